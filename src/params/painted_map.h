// A painted map: values at many places of a surface, kept as part of a document's value.
#pragma once
#include <cstdint>
#include <memory>
#include <vector>

#include "base/vec.h"

namespace ovrix::params {

/// Where the values of a map lie: a lattice on each triangle of a mesh, rows from its first corner outward.
/// Triangle t with an edge cut in n parts has (n + 1)(n + 2) / 2 places, start[t] to start[t + 1] - 1.
struct PaintLayout {
    uint64_t topology = 0;        ///< of the mesh it was made for, see topologyOf()
    float resolution = 0.0f;      ///< metres, in the object's own space
    std::vector<uint32_t> start;  ///< one more than there are triangles
    std::vector<V3f> position;    ///< in the object's own space
};
using PaintLayoutPtr = std::shared_ptr<const PaintLayout>;

/// Immutable: a stroke makes another one. While its file is not read, it has a hash, and a layout
/// of topology and resolution alone.
struct PaintedMap {
    PaintLayoutPtr layout;
    std::vector<float> values;  ///< 0 to 1, one per place of the layout
    uint64_t hash = 0;          ///< of the contents; also the name of its file

    PaintedMap() = default;
    PaintedMap(PaintLayoutPtr l, std::vector<float> v);
    bool loaded() const { return !values.empty(); }
};

/// What a parameter holds; null for nothing painted yet.
struct MapValue {
    std::shared_ptr<const PaintedMap> map;
    uint64_t hash() const { return map ? map->hash : 0; }
    bool operator==(const MapValue& o) const { return hash() == o.hash(); }
};

}  // namespace ovrix::params
