// What is seen of particles between two frames.
#pragma once
#include "sim/solver.h"

namespace ovrix::sim {

/// By id: along a cubic that both places and both speeds give. Those born between are there from their birth
/// on. @p fraction 0 to 1 of the way from @p a to @p b; @p rate frames a second.
Geometry particlesBetween(const SolverState& a, const SolverState& b, double fraction, double rate);

}  // namespace ovrix::sim
