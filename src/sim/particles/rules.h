// What changes particles when something holds for them.
#pragma once
#include "sim/particle_parts.h"

namespace ovrix::sim {

/// When: inside an object, past an age, on contact, near another, in a field. Then: another group, another
/// colour, an end, a wait, a start. Forces that ask for a group are so switched on and off.
ParticleModifier rulePart();

}  // namespace ovrix::sim
