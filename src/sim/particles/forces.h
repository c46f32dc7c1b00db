// Forces on particles; what each does stands at its declaration.
#pragma once
#include "sim/particle_parts.h"

namespace ovrix::sim {

ParticleModifier gravityPart();
ParticleModifier dragPart();
ParticleModifier windPart();
ParticleModifier turbulencePart();
ParticleModifier vortexPart();
ParticleModifier attractPart();
ParticleModifier followPart();
ParticleModifier stayPart();
ParticleModifier targetPart();
/// By a grid of vectors that comes from a file.
ParticleModifier vectorsPart();
ParticleModifier speedLimitPart();

/// A force as a part.
template <class F>
ParticleModifier forcePart(std::string id, std::string title, std::string help, const ParamTable& params) {
    return {
        partType(std::move(id), std::move(title), std::move(help), params),
        [](const PartContext& c, ParticleParts& parts) { parts.forces.push_back(std::make_unique<F>(c)); }};
}

}  // namespace ovrix::sim
