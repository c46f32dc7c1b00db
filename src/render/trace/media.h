// Clear matter that a path is within.
#pragma once
#include <array>
#include <cmath>
#include <cstdint>

#include "base/vec.h"

namespace ovrix::render {

struct Medium {
    uint32_t instance = 0;
    int priority = 0;
    float ior = 1.0f;
    V3f extinction{0.0f, 0.0f, 0.0f};  ///< per metre: what is absorbed, and what is scattered
    V3f scatter{0.0f, 0.0f, 0.0f};     ///< of that the scattered part, per metre
    float forward = 0.0f;              ///< see phase()
    bool scatters() const { return scatter.x + scatter.y + scatter.z > 0.0f; }
    V3f through(float distance) const {
        V3f out(1.0f);
        for (int k = 0; k < 3; ++k)
            if (extinction[k] > 0.0f) out[k] = std::exp(-extinction[k] * distance);
        return out;
    }
};

/// Those that a path has entered and not left. Where they overlap, the one with the highest priority is there
/// alone, and boundaries of the others do nothing: Schmidt and Budge, "Simple Nested Dielectrics in Ray
/// Traced Images", Journal of Graphics Tools 7(2), 2002. Beyond eight the oldest are forgotten.
class Media {
  public:
    void enter(const Medium& medium) {
        if (count_ == all_.size()) {
            for (size_t i = 1; i < count_; ++i) all_[i - 1] = all_[i];
            --count_;
        }
        all_[count_++] = medium;
    }
    void leave(uint32_t instance) {
        for (size_t i = count_; i-- > 0;)
            if (all_[i].instance == instance) {
                for (size_t j = i + 1; j < count_; ++j) all_[j - 1] = all_[j];
                --count_;
                return;
            }
    }
    /// The one that is there, leaving out that of an instance; null for none.
    const Medium* present(uint32_t without = UINT32_MAX) const {
        const Medium* best = nullptr;
        for (size_t i = 0; i < count_; ++i)
            if (all_[i].instance != without && (!best || all_[i].priority >= best->priority)) best = &all_[i];
        return best;
    }
    float iorAround(uint32_t instance) const {
        const Medium* m = present(instance);
        return m ? m->ior : 1.0f;
    }
    /// Whether a boundary of that instance does nothing: something else counts for more there.
    bool hides(uint32_t instance, int priority) const {
        const Medium* m = present(instance);
        return m && m->priority > priority;
    }
    /// What comes through so many metres of it; infinitely many let nothing through where anything is taken.
    V3f through(float distance) const {
        const Medium* m = present();
        return m ? m->through(distance) : V3f(1.0f);
    }

  private:
    std::array<Medium, 8> all_;
    size_t count_ = 0;
};

}  // namespace ovrix::render
