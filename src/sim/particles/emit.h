// Parts that bear particles.
#pragma once
#include "sim/particle_parts.h"

namespace ovrix::sim {

/// From the elements that come before the simulation, over time.
ParticleModifier emitPart();
/// From other particles: when they touch something, when they end, or along their way.
ParticleModifier offspringPart();

/// The order in which sources bear: source i comes at the place where it stands in the result.
enum class BirthOrder { Random, Index, Distance, Direction, Field };
std::vector<uint32_t> birthOrder(BirthOrder order, bool reversed, const AttributeSet& source,
                                 const V3f& point, const V3f& direction, const Varying& field,
                                 Progress& progress);

}  // namespace ovrix::sim
