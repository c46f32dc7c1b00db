#include "params/manual_edits.h"

#include <algorithm>

namespace ovrix::params {

bool ManualEdit::changesNothing() const {
    return !added && !removed && move == V3f(0.0f) && turn == Quatf() && size == 1.0f && prototype.empty();
}

static bool before(const ManualEdit& e, uint64_t id) { return e.id < id; }

const ManualEdit* ManualEdits::find(uint64_t id) const {
    const auto it = std::lower_bound(list.begin(), list.end(), id, before);
    return it != list.end() && it->id == id ? &*it : nullptr;
}

void ManualEdits::put(const ManualEdit& edit) {
    auto it = std::lower_bound(list.begin(), list.end(), edit.id, before);
    const bool there = it != list.end() && it->id == edit.id;
    if (edit.changesNothing() || (edit.added && edit.removed)) {
        if (there) list.erase(it);
    } else if (there) {
        *it = edit;
    } else {
        list.insert(it, edit);
    }
}

}  // namespace ovrix::params
