// Parts of swarms: how each goes by its neighbours and by what it sees.
#pragma once
#include "sim/particle_parts.h"

namespace ovrix::sim {

ParticleModifier flockPart();
ParticleModifier chasePart();
ParticleModifier avoidPart();
ParticleModifier roamPart();
ParticleModifier landPart();
ParticleModifier steerPart();

}  // namespace ovrix::sim
