// What particles look like for their age and motion: size, colour, turn.
#pragma once
#include "sim/particle_parts.h"

namespace ovrix::sim {

ParticlePart sizePart();
ParticlePart colorPart();
/// Spins that come to an even one.
ParticlePart spinPart();
ParticlePart facingPart();

}  // namespace ovrix::sim
