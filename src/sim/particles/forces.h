// Forces on particles; what each does stands at its declaration.
#pragma once
#include "sim/particle_parts.h"

namespace ovrix::sim {

ParticlePart gravityPart();
ParticlePart dragPart();
ParticlePart windPart();
ParticlePart turbulencePart();
ParticlePart vortexPart();
ParticlePart attractPart();
ParticlePart followPart();
ParticlePart stayPart();
ParticlePart targetPart();
/// By a grid of vectors that comes from a file.
ParticlePart vectorsPart();
ParticlePart speedLimitPart();

/// A force as a part, with the "group" that all of them have.
template <class F>
ParticlePart forcePart(std::string id, std::string title, std::string help, std::vector<ParamSpec> params) {
    params.push_back(groupSpec());
    return {
        partType(std::move(id), std::move(title), std::move(help), std::move(params)),
        [](const PartContext& c, ParticleParts& parts) { parts.forces.push_back(std::make_unique<F>(c)); }};
}

}  // namespace ovrix::sim
