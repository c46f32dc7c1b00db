// What particles look like for their age and motion: size, colour, turn.
#pragma once
#include "sim/particle_parts.h"

namespace ovrix {

ParticlePart sizePart();
ParticlePart colorPart();
ParticlePart facingPart();

}  // namespace ovrix
