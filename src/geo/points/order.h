// An order of places in which neighbours follow each other.
#pragma once
#include <cstdint>
#include <span>
#include <vector>

#include "base/vec.h"

namespace ovrix::geo {

/// Indices along a curve that fills the box around the places (Morton, "A Computer Oriented Geodetic Data
/// Base", IBM, 1966), 1,024 cells to its longest side; within a cell by index. What is worked out in this
/// order finds what it reads near in memory. Up to 2^32 places; those that are not finite come first.
std::vector<uint32_t> orderInSpace(std::span<const V3f> positions);

}  // namespace ovrix::geo
