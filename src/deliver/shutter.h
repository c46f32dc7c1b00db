// What moves while the shutter is open.
#pragma once
#include "document/model/document.h"
#include "geo/points/elements.h"
#include "render/scene/cloud.h"

namespace ovrix::deliver {

/// Frames over which motion is looked at: as long as the shutter is open; a whole one where it is shut at
/// once and the film keeps motion; 0 where nobody asks.
double motionFrames(const Document& document, double frame);

/// Whether films keep the pass of motion; the document where they do.
bool keepsMotion(const Document& document, double frame);
Document withMotion(const Document& document);

/// Frames at which the shutter looks, the last the one asked for; that one alone where motion is not looked
/// at. It looks back, so that no simulation has to go further than the frame that is shown.
std::vector<double> shutterFrames(const Document& document, double frame);

/// Where in the time that it is open even draws come to, by its curve; empty where it lets light through
/// alike all the time, or none at all.
std::vector<float> shutterPlaces(const Curve& curve);

/// Matrices of copies at the times of a shutter, matched by id. One that was not there yet comes from where
/// its velocity says. Refers to what it is made from.
class MovingPlaces {
  public:
    MovingPlaces(const Copies& last, const std::vector<std::shared_ptr<const Copies>>& moves,
                 double stepSeconds)
        : last_(last.attributes), seconds_(stepSeconds) {
        const auto id = last.attributes.find<uint64_t>("id");
        velocity_ = last.attributes.find<V3f>("v");
        for (const auto& m : moves) {
            places_.emplace_back(m->attributes);
            const auto other = m->attributes.find<uint64_t>("id");
            std::vector<int64_t> where(id.size(), -1);
            const auto index = indexById(other);
            for (size_t i = 0; i < id.size(); ++i)
                if (const auto it = index.find(id[i]); it != index.end()) where[i] = int64_t(it->second);
            where_.push_back(std::move(where));
        }
    }
    M44f matrix(size_t i, size_t step) const {
        if (places_.empty()) return last_.matrix(i);
        if (where_[step][i] >= 0) return places_[step].matrix(size_t(where_[step][i]));
        M44f m = last_.matrix(i);
        if (velocity_.empty()) return m;
        const V3f back = velocity_[i] * float(seconds_ * double(places_.size() - 1 - step));
        for (int k = 0; k < 3; ++k) m[3][k] -= back[k];
        return m;
    }
    size_t steps() const { return std::max<size_t>(1, places_.size()); }

  private:
    ElementPlaces last_;
    std::span<const V3f> velocity_;
    std::vector<ElementPlaces> places_;
    std::vector<std::vector<int64_t>> where_;
    double seconds_;
};

/// How points move while the shutter is open: along a parabola through where they were when it opened and
/// half way, matched by id; those that were not there yet, and all where only their velocity says, straight
/// along that.
/// @param moves  at the shutter's times, the last as @p last; empty for points that are the same at all
/// @param seconds  that it is open; 0 for shut
render::Cloud::Motion motionOf(const PointSet& last,
                               const std::vector<std::shared_ptr<const PointSet>>& moves, double seconds);

}  // namespace ovrix::deliver
