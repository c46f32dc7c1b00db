// Changes to single elements, made by hand and kept by id.
#pragma once
#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "base/vec.h"

namespace ovrix::params {

/// What was changed of one element, on top of what the recipe gives it; or an element that was added.
struct ManualEdit {
    uint64_t id = 0;
    bool added = false;  ///< no element of the recipe: move is its place, and prototype must be set
    bool removed = false;
    V3f move{0, 0, 0};      ///< metres in the world; of an added one its place
    Quatf turn;             ///< after its own orientation, in the world; of an added one its orientation
    float size = 1.0f;      ///< factor on its scale; of an added one its scale
    std::string prototype;  ///< another one of the layer's; empty for its own
    bool operator==(const ManualEdit&) const = default;
    bool changesNothing() const;
};

/// Sorted by id, one entry an id.
struct ManualEdits {
    std::vector<ManualEdit> list;
    /// Null when there is none of that id.
    const ManualEdit* find(uint64_t id) const;
    /// Puts an edit in its place; one that changes nothing is dropped.
    void put(const ManualEdit& edit);
    bool operator==(const ManualEdits&) const = default;
};

/// Ids of added elements start here, above all that recipes give.
inline constexpr uint64_t kFirstAddedId = uint64_t(1) << 62;

}  // namespace ovrix::params
