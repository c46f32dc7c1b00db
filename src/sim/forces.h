// Forces on particles; what each does stands at its declaration.
#pragma once
#include "sim/particle_parts.h"

namespace ovrix {

ParticlePart gravityPart();
ParticlePart dragPart();
ParticlePart windPart();
ParticlePart turbulencePart();
ParticlePart vortexPart();
ParticlePart attractPart();
ParticlePart followPart();
ParticlePart stayPart();
ParticlePart targetPart();
ParticlePart speedLimitPart();

/// A part with what all forces have: its phase, that it stands among particles, and "group".
StepType forceType(std::string id, std::string title, std::string help, std::vector<ParamSpec> params);

}  // namespace ovrix
