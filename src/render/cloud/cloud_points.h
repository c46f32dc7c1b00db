// The points of all clouds of a scene as one pass sees them.
#pragma once
#include <span>
#include <vector>

#include "base/hash.h"
#include "render/scene/cloud.h"

namespace ovrix::render {

/// Numbers that fill (0, 1) evenly, a pass after another, from where a hash begins: Roberts' sequence by the
/// plastic number. @param which  the dimension: 0 or 1
inline float spreadNumber(uint64_t hash, uint32_t pass, int which) {
    const double step = which == 0 ? 0.7548776662466927 : 0.5698402909980532;
    const double at = double(hash >> 11) * 0x1p-53 + double(pass) * step;
    return std::min(float(at - std::floor(at)), 0x1.fffffep-1f);
}

using CloudPtr = std::shared_ptr<const Cloud>;

/// Every one, or one of so many, each then counted as that many; each at its own time while the shutter is
/// open, so that few passes already show no steps. Refers to the clouds. Const functions are thread safe.
class CloudPoints {
  public:
    /// When each is looked at.
    struct Shutter {
        uint32_t pass = 0, seed = 0;
        bool open = false;                   ///< else all are at @ref time
        float time = 1.0f;                   ///< from its opening (0) to its closing (1)
        std::span<const float> places = {};  ///< see RenderOptions::shutter
    };
    struct Row {
        const Cloud* cloud;
        size_t row;
    };
    CloudPoints(std::span<const CloudPtr> clouds, const Shutter& shutter, uint32_t oneOf = 1)
        : clouds_(clouds), shutter_(shutter), oneOf_(std::max(oneOf, 1u)) {
        size_t sum = 0;
        for (const CloudPtr& c : clouds) {
            sum += (c->size() + oneOf_ - 1) / oneOf_;
            ends_.push_back(sum);
        }
    }
    size_t size() const { return ends_.empty() ? 0 : ends_.back(); }
    Row operator[](size_t i) const {
        size_t c = 0;
        while (i >= ends_[c]) ++c;
        const size_t first = (c == 0 ? i : i - ends_[c - 1]) * oneOf_, count = clouds_[c]->size();
        if (oneOf_ == 1) return {clouds_[c].get(), first};
        const size_t own = std::min<size_t>(oneOf_, count - first);
        return {clouds_[c].get(), first + mixBits(i + 1) % own};
    }
    float timeOf(const Row& r) const {
        if (!shutter_.open) return shutter_.time;
        const uint64_t own = mixBits(r.cloud->idOf(r.row) + (uint64_t(shutter_.seed) << 32) + 0x71eu);
        return placeAt(spreadNumber(own, shutter_.pass, 0));
    }
    V3f at(const Row& r) const {
        return r.cloud->moves() ? r.cloud->at(r.row, timeOf(r)) : r.cloud->at(r.row);
    }
    /// m2 that it takes of a beam to the eye.
    float area(const Row& r) const { return r.cloud->area(r.row) * float(oneOf_); }
    Box3f bounds() const {
        Box3f box;
        for (const CloudPtr& c : clouds_)
            if (!c->bounds().isEmpty()) box.extendBy(c->bounds());
        return box;
    }
    const Shutter& shutter() const { return shutter_; }

  private:
    float placeAt(float u) const {
        const auto& places = shutter_.places;
        if (places.size() < 2) return u;
        const float at = u * float(places.size() - 1);
        const size_t i = std::min(size_t(at), places.size() - 2);
        return lerp(places[i], places[i + 1], at - float(i));
    }
    std::span<const CloudPtr> clouds_;
    Shutter shutter_;
    uint32_t oneOf_;
    std::vector<size_t> ends_;
};

}  // namespace ovrix::render
