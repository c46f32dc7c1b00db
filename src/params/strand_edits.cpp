#include "params/strand_edits.h"

#include <algorithm>

namespace ovrix::params {

const StrandEdit* StrandEdits::find(uint64_t id) const {
    const auto it = std::lower_bound(list.begin(), list.end(), id,
                                     [](const StrandEditPtr& e, uint64_t x) { return e->id < x; });
    return it != list.end() && (*it)->id == id ? it->get() : nullptr;
}

void StrandEdits::put(std::vector<StrandEdit> edits) {
    std::stable_sort(edits.begin(), edits.end(),
                     [](const StrandEdit& a, const StrandEdit& b) { return a.id < b.id; });
    std::vector<StrandEditPtr> merged;
    merged.reserve(list.size() + edits.size());
    size_t old = 0;
    for (size_t i = 0; i < edits.size(); ++i) {
        if (i + 1 < edits.size() && edits[i + 1].id == edits[i].id) continue;
        while (old < list.size() && list[old]->id < edits[i].id) merged.push_back(list[old++]);
        if (old < list.size() && list[old]->id == edits[i].id) ++old;
        if (edits[i].changesNothing() || (edits[i].added && edits[i].removed)) continue;
        merged.push_back(std::make_shared<const StrandEdit>(std::move(edits[i])));
    }
    merged.insert(merged.end(), list.begin() + std::ptrdiff_t(old), list.end());
    list = std::move(merged);
}

bool StrandEdits::operator==(const StrandEdits& other) const {
    return topology == other.topology &&
           std::equal(list.begin(), list.end(), other.list.begin(), other.list.end(),
                      [](const StrandEditPtr& a, const StrandEditPtr& b) { return a == b || *a == *b; });
}

}  // namespace ovrix::params
