// Steps that shape an object's own mesh: the ground that layers then lie on.
#pragma once
#include "ops/step.h"

namespace ovrix::ops {

/// Catmull-Clark subdivision, @p levels times (1 to 6), with points and normals of the limit surface. UVs are
/// cut where they were; slots are kept. By OpenSubdiv: Nießner, Loop, Meyer, DeRose, "Feature-Adaptive GPU
/// Rendering of Catmull-Clark Subdivision Surfaces", TOG 31(1), 2012. Throws Error on a mesh whose faces
/// cannot be joined.
MeshPtr subdivided(const Mesh& mesh, int levels);

/// The mesh with each point moved along its normal by what @p strength gives there, metres. The field is
/// asked in the object's own space. Normals are made again. Cost linear in corners.
MeshPtr displaced(const MeshPtr& mesh, const Varying& strength, Progress& progress);

/// Each point moved by @p strength (0 to 1) towards the middle of its neighbours, @p rounds times, then a
/// little back, so that the whole does not shrink: Taubin, "A Signal Processing Approach to Fair Surface
/// Design", SIGGRAPH 1995, doi:10.1145/218380.218473.
MeshPtr smoothed(const Mesh& mesh, int rounds, float strength);

StepType subdivideStep();
StepType displaceStep();
StepType pushStep();
StepType smoothStep();

}  // namespace ovrix::ops
