// Parts of swarms: how each goes by its neighbours and by what it sees.
#pragma once
#include "sim/particle_parts.h"

namespace ovrix::sim {

ParticlePart flockPart();
ParticlePart chasePart();
ParticlePart avoidPart();
ParticlePart roamPart();
ParticlePart landPart();
ParticlePart steerPart();

}  // namespace ovrix::sim
