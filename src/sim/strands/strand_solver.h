// Simulates strands as rods that are held at their roots.
#pragma once
#include "sim/particle_parts.h"

namespace ovrix::sim {

/// The step "Simulate strands": takes strands, which are their rest shapes, and gives them as they move.
StepType simulateStrandsStep();
/// Strands keep a thickness from each other.
ParticleModifier strandSpacingPart();

}  // namespace ovrix::sim
