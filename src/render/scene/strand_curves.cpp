#include "render/scene/strand_curves.h"

#include <embree3/rtcore.h>

#include "base/hash.h"
#include "base/parallel.h"
#include "geo/surface/embree_device.h"
#include "render/scene/time_steps.h"

namespace ovrix::render {

StrandCurves::StrandCurves(StrandsPtr strands, const ThinLimit& limit, std::vector<StrandsPtr> moves)
    : strands_(std::move(strands)),
      moves_(std::move(moves)),
      p_(strands_->points.find<V3f>("P")),
      width_(strands_->points.find<float>("width")),
      color_(strands_->points.find<Color>("color")),
      uv_(strands_->strands.find<V2f>("uv")),
      id_(strands_->strands.find<uint64_t>("id")),
      limit_(limit),
      scene_(rtcNewScene(embreeDevice())) {
    rtcSetSceneFlags(scene_, RTC_SCENE_FLAG_CONTEXT_FILTER_FUNCTION);
    const StrandSet& set = *strands_;
    if (p_.empty()) {
        commitScene(scene_);
        return;
    }
    const RTCGeometryType type =
        set.round ? RTC_GEOMETRY_TYPE_ROUND_LINEAR_CURVE : RTC_GEOMETRY_TYPE_FLAT_LINEAR_CURVE;
    RTCGeometry geometry = rtcNewGeometry(embreeDevice(), type);
    for (const StrandsPtr& m : moves_) steps_.push_back(m->points.find<V3f>("P"));
    if (steps_.size() < 2) steps_.clear();
    const size_t steps = std::max<size_t>(1, steps_.size());
    if (steps > 1) rtcSetGeometryTimeStepCount(geometry, unsigned(steps));
    std::vector<V4f*> vertex;
    for (size_t k = 0; k < steps; ++k)
        vertex.push_back(static_cast<V4f*>(rtcSetNewGeometryBuffer(
            geometry, RTC_BUFFER_TYPE_VERTEX, unsigned(k), RTC_FORMAT_FLOAT4, sizeof(V4f), p_.size())));
    const size_t segments = p_.size() - set.size();
    auto* index = static_cast<uint32_t*>(rtcSetNewGeometryBuffer(
        geometry, RTC_BUFFER_TYPE_INDEX, 0, RTC_FORMAT_UINT, sizeof(uint32_t), segments));
    uint8_t* flags = nullptr;  // which ends of a segment have a neighbour to join to
    if (set.round)
        flags = static_cast<uint8_t*>(
            rtcSetNewGeometryBuffer(geometry, RTC_BUFFER_TYPE_FLAGS, 0, RTC_FORMAT_UCHAR, 1, segments));
    std::atomic<bool> thinned{false};
    parallelRanges(set.size(), 1024, Progress::none(), [&](size_t begin, size_t end) {
        bool any = false;
        for (size_t s = begin; s < end; ++s)
            for (uint32_t i = set.start[s]; i < set.start[s + 1]; ++i) {
                const float least = limit_.widthAt(p_[i]), width = widthAt(i);
                any = any || width < least;
                for (size_t k = 0; k < steps; ++k) {
                    const V3f& p = steps > 1 ? steps_[k][i] : p_[i];
                    vertex[k][i] = V4f(p.x, p.y, p.z, 0.5f * std::max(width, least));
                }
                if (i + 1 == set.start[s + 1]) continue;
                index[i - s] = i;
                if (flags)
                    flags[i - s] = uint8_t((i > set.start[s] ? RTC_CURVE_FLAG_NEIGHBOR_LEFT : 0) |
                                           (i + 2 < set.start[s + 1] ? RTC_CURVE_FLAG_NEIGHBOR_RIGHT : 0));
            }
        if (any) thinned = true;
    });
    first_ = index;
    if (thinned) {
        rtcSetGeometryUserData(geometry, this);
        rtcSetGeometryIntersectFilterFunction(geometry, letThrough);
        rtcSetGeometryOccludedFilterFunction(geometry, letThrough);
    }
    rtcCommitGeometry(geometry);
    rtcAttachGeometryByID(scene_, geometry, 0);
    rtcReleaseGeometry(geometry);
    commitScene(scene_);
}

StrandCurves::~StrandCurves() { rtcReleaseScene(scene_); }

/// Strand s begins with segment start[s] - s.
uint32_t StrandCurves::strandOf(uint32_t segment) const {
    size_t low = 0, high = strands_->size();
    while (high - low > 1) {
        const size_t middle = (low + high) / 2;
        (strands_->start[middle] - middle <= segment ? low : high) = middle;
    }
    return uint32_t(low);
}

/// Part of the width drawn that the strand really has, behind a point of it.
float StrandCurves::coverageAt(size_t i, float u) const {
    const float least = limit_.widthAt(p_[i] + (p_[i + 1] - p_[i]) * u),
                width = lerp(widthAt(i), widthAt(i + 1), u);
    return width < least ? width / least : 1.0f;
}

/// By chance, which depends on the ray and the segment alone: whichever order they are met in. Rays come one
/// by one.
void StrandCurves::letThrough(const RTCFilterFunctionNArguments* meeting) {
    const auto& curves = *static_cast<const StrandCurves*>(meeting->geometryUserPtr);
    const auto& ray = *reinterpret_cast<const RTCRay*>(meeting->ray);
    const uint32_t segment = RTCHitN_primID(meeting->hit, 1, 0);
    const float coverage = curves.coverageAt(curves.first_[segment], RTCHitN_u(meeting->hit, 1, 0));
    if (coverage >= 1.0f) return;
    Hasher h;
    for (const float x : {ray.org_x, ray.org_y, ray.org_z, ray.dir_x, ray.dir_y, ray.dir_z}) h.add(double(x));
    if (float(h.add(uint64_t(segment)).value() >> 40) * 0x1p-24f >= coverage) meeting->valid[0] = 0;
}

V3f StrandCurves::pointAt(size_t i, float time) const {
    if (steps_.empty()) return p_[i];
    const auto [k, part] = timeStep(time, steps_.size());
    return steps_[k][i] + (steps_[k + 1][i] - steps_[k][i]) * part;
}

StrandCurves::Place StrandCurves::placeAt(uint32_t segment, float u, float time) const {
    Place out;
    const uint32_t s = strandOf(segment);
    const size_t i = segment + s, first = strands_->start[s], last = strands_->start[s + 1] - 1;
    const auto at = [&](size_t k) { return pointAt(k, time); };
    out.center = at(i) + (at(i + 1) - at(i)) * u;
    // Bends are smooth to the light though pieces are straight.
    const V3f own = (at(i + 1) - at(i)).normalized();
    const V3f before = i > first ? (own + (at(i) - at(i - 1)).normalized()).normalized() : own;
    const V3f after = i + 1 < last ? (own + (at(i + 2) - at(i + 1)).normalized()).normalized() : own;
    out.tangent = (before * (1.0f - u) + after * u).normalized();
    if (!(out.tangent.length() > 0.5f)) out.tangent = V3f(0, 1, 0);
    out.radius = 0.5f * std::max(lerp(widthAt(i), widthAt(i + 1), u), limit_.widthAt(out.center));
    if (!color_.empty()) out.color = Color(color_[i] + (color_[i + 1] - color_[i]) * u), out.colored = true;
    if (!uv_.empty()) out.uv = uv_[s];
    if (!id_.empty()) out.id = id_[s];
    out.strand = s;
    out.along = (float(i - first) + u) / float(last - first);
    return out;
}

}  // namespace ovrix::render
