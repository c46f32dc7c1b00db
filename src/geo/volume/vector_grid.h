// Vectors on a regular grid, such as velocities that another program worked out.
#pragma once
#include <memory>
#include <vector>

#include "base/vec.h"

namespace ovrix::geo {

/// Immutable once made; thread safe.
struct VectorGrid {
    V3i size{0, 0, 0};
    M44f cellFromWorld;       ///< the first cell's middle is at 0, the next along x at (1, 0, 0)
    std::vector<V3f> values;  ///< x runs fastest; in the world's units and axes
    /// Between cells straight along each axis; 0 outside. Not finite places give 0.
    V3f at(const V3f& world) const;
};
using VectorGridPtr = std::shared_ptr<const VectorGrid>;

}  // namespace ovrix::geo
