// Built-in surfaces. All have UVs from 0 to 1, outward winding, and stand around the origin; Y is up.
#pragma once
#include <functional>

#include "geo/mesh/mesh.h"
#include "params/curve.h"

namespace ovrix::geo {

/// A square of @p size metres in the XZ plane, @p divisions quads a side (1 to 2048), facing up.
MeshPtr makePlane(float size, int divisions);

/// Latitude-longitude sphere: @p segments around (3 to 2048), half as many from pole to pole.
MeshPtr makeSphere(float radius, int segments);

/// Ring of radius @p radius (to the middle of the tube) and tube radius @p tube, lying flat.
MeshPtr makeTorus(float radius, float tube, int segments);

struct TerrainOptions {
    float size = 4.0f;         ///< metres a side
    int divisions = 128;       ///< quads a side, 1 to 2048
    float height = 0.6f;       ///< metres, from the middle to the highest crest
    float featureSize = 1.5f;  ///< metres of the largest feature
    float ridges = 0.3f;       ///< 0 soft hills to 1 sharp crests
    uint32_t seed = 1;
};
/// A patch of hills by fractal noise over the XZ plane.
MeshPtr makeTerrain(const TerrainOptions& options);

struct BladeOptions {
    float height = 0.3f, width = 0.02f;                      ///< metres
    Curve profile = {{{0, 0.6f}, {0.3f, 1}, {1, 0}}, true};  ///< width from foot to tip, as a part of it
    int segments = 10;                                       ///< 1 to 256
    float bend = radians(30.0f), curl = radians(20.0f), twist = radians(15.0f),
          wave = 0.0f;          ///< radians over the whole length
    float fold = 0.15f;         ///< 0 flat to 1 edges raised by the half width
    int blades = 1;             ///< 1 to 512
    float spread = 0.03f;       ///< metres, radius of the tuft's foot
    int columns = 1, rows = 1;  ///< of the pictures in the blades' image
    std::vector<int> cells =
        {};  ///< pictures that the blades take in turn, from the upper left; empty for all
    uint32_t seed = 1;
};
/// Blades that grow along +Y from the origin: three points across and segments + 1 along. U runs across, V
/// along from foot to tip, laid before the blade is bent. A single blade leans towards +Z; those of a tuft
/// lean outward.
MeshPtr makeBlades(const BladeOptions& options);

/// Quads over a grid of (columns + 1) x (rows + 1) points that @p place gives for u, v in [0, 1].
MeshPtr makeGrid(int columns, int rows, const std::function<V3f(float u, float v)>& place);

}  // namespace ovrix::geo
