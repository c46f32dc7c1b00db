// Simulates particles: births, forces, contacts, ends.
#pragma once
#include "sim/particle_parts.h"

namespace ovrix::sim {

/// The step "Simulate": takes points, from which particles are born, and gives the particles.
StepType simulateStep();

/// How a frame is stepped.
struct StepSettings {
    int substeps = 2;
    float fastest = 1000;           ///< m/s: what would be faster is held to it, and counted
    bool keepEnded = false;         ///< those that end stay where they are
    size_t memoryLimit = SIZE_MAX;  ///< bytes that all particles may take
};

/// What happened that the artist should know.
struct StepCounts {
    size_t held = 0, freed = 0;
};

/// Moves particles on by one substep, from @p begin to @p end of a frame of @p frame seconds. Forces are
/// asked half way along the speed at its beginning (the midpoint rule), and taken as even from there: speeds
/// and places are the exact solution of dv/dt = a - k v. The error falls by the square of the substep. The
/// same bits on any number of threads.
/// @param late  of the last of the particles, those just born: seconds that they have of the substep
void stepParticles(AttributeSet& particles, ParticleParts& parts, const StepSettings& settings, double begin,
                   double end, float frame, double seconds, std::span<const float> late, StepCounts& counts,
                   Progress& progress);

}  // namespace ovrix::sim
