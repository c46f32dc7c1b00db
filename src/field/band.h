// The passage of a number between two limits with soft edges.
#pragma once
#include <algorithm>

#include "base/vec.h"

namespace ovrix::field {

/// 1 inside [from, to], 0 outside, and a straight passage of width @p soft centred on each limit.
struct Band {
    float from = 0, to = 1, soft = 0;
    float at(float x) const { return std::min(edge(x - from), edge(to - x)); }

  private:
    float edge(float inside) const {
        if (soft <= 0.0f) return inside >= 0.0f ? 1.0f : 0.0f;
        return std::clamp(inside / soft + 0.5f, 0.0f, 1.0f);
    }
};

/// From 0 at @p from to 1 at @p to, straight; a step where they are the same.
inline float rise(float from, float to, float x) {
    return to > from ? std::clamp((x - from) / (to - from), 0.0f, 1.0f) : (x >= from ? 1.0f : 0.0f);
}

}  // namespace ovrix::field
