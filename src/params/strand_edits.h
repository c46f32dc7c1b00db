// Strands as they were combed in the view, kept by id.
#pragma once
#include <cstdint>
#include <memory>
#include <vector>

#include "base/vec.h"

namespace ovrix::params {

/// What combing made of one strand, on top of what the recipe gives it; or a strand that was planted. It is
/// held in the frame of the root (see StrandSet), so that it moves and turns with a surface that deforms.
struct StrandEdit {
    uint64_t id = 0;
    bool added = false;  ///< no strand of the recipe
    bool removed = false;
    float length = 1.0f;          ///< factor on the recipe's length; of a planted one metres
    std::vector<V3f> directions;  ///< unit, one a segment from root to tip; empty for the recipe's own
    // Of a planted one: where its root is.
    int32_t triangle = -1;
    V2f bary{0, 0};
    V3f position{0, 0, 0};  ///< at rest, in the world: by this it is found again on another topology
    bool operator==(const StrandEdit&) const = default;
    bool changesNothing() const { return !added && !removed && length == 1.0f && directions.empty(); }
};

using StrandEditPtr = std::shared_ptr<const StrandEdit>;

/// Sorted by id, one entry an id. Copying it copies no strand.
struct StrandEdits {
    std::vector<StrandEditPtr> list;
    uint64_t topology = 0;  ///< of the surface that planted roots lie on
    /// Null when there is none of that id.
    const StrandEdit* find(uint64_t id) const;
    /// Puts edits in their places; those that change nothing are dropped. Later ones of the same id win.
    void put(std::vector<StrandEdit> edits);
    bool operator==(const StrandEdits& other) const;
};

}  // namespace ovrix::params
