// What particles look like for their age and motion: size, colour, turn.
#pragma once
#include "sim/particle_parts.h"

namespace ovrix::sim {

ParticleModifier sizePart();
ParticleModifier colorPart();
/// Spins that come to an even one.
ParticleModifier spinPart();
ParticleModifier facingPart();

}  // namespace ovrix::sim
