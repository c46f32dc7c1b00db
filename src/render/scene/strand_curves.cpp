#include "render/scene/strand_curves.h"

#include <embree3/rtcore.h>

#include "base/hash.h"
#include "base/parallel.h"
#include "geo/surface/embree_device.h"
#include "render/scene/ray_context.h"
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
    if (limit_.detail > 0.0f) leaveOutStraight();
    const size_t steps = std::max<size_t>(1, steps_.size());
    if (steps > 1) rtcSetGeometryTimeStepCount(geometry, unsigned(steps));
    std::vector<V4f*> vertex;
    for (size_t k = 0; k < steps; ++k)
        vertex.push_back(static_cast<V4f*>(rtcSetNewGeometryBuffer(
            geometry, RTC_BUFFER_TYPE_VERTEX, unsigned(k), RTC_FORMAT_FLOAT4, sizeof(V4f), vertices())));
    auto* index = static_cast<uint32_t*>(rtcSetNewGeometryBuffer(
        geometry, RTC_BUFFER_TYPE_INDEX, 0, RTC_FORMAT_UINT, sizeof(uint32_t), pieces()));
    uint8_t* flags = nullptr;
    if (set.round)
        flags = static_cast<uint8_t*>(
            rtcSetNewGeometryBuffer(geometry, RTC_BUFFER_TYPE_FLAGS, 0, RTC_FORMAT_UCHAR, 1, pieces()));
    first_ = index;
    if (fill(vertex, index, flags)) {
        noteCoverage();
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

/// What the ray tracer reads; true when some are drawn wider than they are.
/// @param flags  which ends of a piece have a neighbour to join to; null for none
bool StrandCurves::fill(const std::vector<V4f*>& vertex, uint32_t* index, uint8_t* flags) const {
    std::atomic<bool> thinned{false};
    parallelRanges(strands_->size(), 1024, Progress::none(), [&](size_t begin, size_t end) {
        bool any = false;
        for (uint32_t s = uint32_t(begin); s < end; ++s)
            for (uint32_t v = startOf(s), last = startOf(s + 1) - 1; v <= last; ++v) {
                const size_t i = pointOf(v);
                const float least = limit_.widthAt(p_[i]), width = widthAt(i);
                any = any || width < least;
                for (size_t k = 0; k < vertex.size(); ++k) {
                    const V3f& p = steps_.empty() ? p_[i] : steps_[k][i];
                    vertex[k][v] = V4f(p.x, p.y, p.z, 0.5f * std::max(width, least));
                }
                if (v == last) continue;
                index[v - s] = v;
                if (flags)
                    flags[v - s] = uint8_t((v > startOf(s) ? RTC_CURVE_FLAG_NEIGHBOR_LEFT : 0) |
                                           (v + 1 < last ? RTC_CURVE_FLAG_NEIGHBOR_RIGHT : 0));
            }
        if (any) thinned = true;
    });
    return thinned;
}

/// Whether one piece between two points stands for all between them: nowhere off by more than a detail, at
/// any time, and of nearly their widths and colours.
bool StrandCurves::straight(size_t from, size_t to) const {
    const auto near = [&](std::span<const V3f> p) {
        const V3f along = p[to] - p[from];
        const float length2 = along.length2();
        for (size_t i = from + 1; i < to; ++i) {
            const float t = length2 > 0.0f ? (p[i] - p[from]).dot(along) / length2 : -1.0f;
            const float most = limit_.detailAt(p[i]);
            if (!(t >= 0.0f && t <= 1.0f) || !((p[from] + along * t - p[i]).length2() <= most * most))
                return false;
            if (std::abs(lerp(widthAt(from), widthAt(to), t) - widthAt(i)) > most) return false;
            if (color_.empty()) continue;
            const V3f off = V3f(color_[from]) + (V3f(color_[to]) - V3f(color_[from])) * t - V3f(color_[i]);
            if (!(std::max({std::abs(off.x), std::abs(off.y), std::abs(off.z)}) <= 0.01f)) return false;
        }
        return true;
    };
    if (steps_.empty()) return near(p_);
    return std::all_of(steps_.begin(), steps_.end(), near);
}

/// A tree takes time and memory by its pieces, and most bends of far strands are smaller than what is seen.
void StrandCurves::leaveOutStraight() {
    constexpr size_t kMost = 8;  // that one piece may stand for: what is looked at stays in proportion
    const std::vector<uint32_t>& start = strands_->start;
    std::vector<uint8_t> kept(p_.size(), 0);
    std::vector<uint32_t> counts(strands_->size() + 1, 0);
    parallelRanges(strands_->size(), 256, Progress::none(), [&](size_t begin, size_t end) {
        for (size_t s = begin; s < end; ++s) {
            const size_t last = start[s + 1] - 1;
            for (size_t i = start[s]; i < last;) {
                kept[i] = 1, ++counts[s + 1];
                size_t to = i + 1;
                while (to < last && to - i < kMost && straight(i, to + 1)) ++to;
                i = to;
            }
            kept[last] = 1, ++counts[s + 1];
        }
    });
    for (size_t s = 1; s < counts.size(); ++s) counts[s] += counts[s - 1];
    if (counts.back() > p_.size() - p_.size() / 16) return;  // not worth the list
    std::vector<uint32_t> points(counts.back());
    parallelRanges(strands_->size(), 1024, Progress::none(), [&](size_t begin, size_t end) {
        for (size_t s = begin, at = counts[begin]; s < end; ++s)
            for (uint32_t i = start[s]; i < start[s + 1]; ++i)
                if (kept[i]) points[at++] = i;
    });
    point_ = std::move(points), start_ = std::move(counts);
}

/// Strand s begins with piece startOf(s) - s.
uint32_t StrandCurves::strandOf(uint32_t piece) const {
    size_t low = 0, high = strands_->size();
    while (high - low > 1) {
        const size_t middle = (low + high) / 2;
        (startOf(middle) - middle <= piece ? low : high) = middle;
    }
    return uint32_t(low);
}

/// Fraction of the width drawn that the strand really has.
float StrandCurves::coverageAt(uint32_t piece, float u) const {
    const auto [from, to] = coverage_[piece];
    return lerp(float(from), float(to), u) / kWhole;
}

/// Of both ends of each piece, side by side: rays ask for it at nearly all that they meet.
void StrandCurves::noteCoverage() {
    coverage_.resize(pieces());
    parallelFor(coverage_.size(), Progress::none(), [&](size_t piece) {
        const auto at = [&](size_t vertex) {
            const size_t i = pointOf(vertex);
            const float least = limit_.widthAt(p_[i]), width = widthAt(i);
            return uint16_t(std::lround(kWhole * (width < least ? std::max(0.0f, width / least) : 1.0f)));
        };
        coverage_[piece] = {at(first_[piece]), at(first_[piece] + 1)};
    });
}

/// Rays to lights lose the part that strands take; what hardly gets through is stopped.
static void takePart(RayContext& ray, const RTCFilterFunctionNArguments* meeting, float coverage) {
    constexpr float kNothing = 0.01f;
    const uint32_t instance = RTCHitN_instID(meeting->hit, 1, 0, 0);
    if (!ray.again(instance, RTCHitN_primID(meeting->hit, 1, 0))) ray.left *= 1.0f - coverage;
    if (ray.left > kNothing) meeting->valid[0] = 0;
}

/// By chance, which depends on the ray and the piece alone: whichever order they are met in. Rays come one
/// by one.
void StrandCurves::letThrough(const RTCFilterFunctionNArguments* meeting) {
    const auto& curves = *static_cast<const StrandCurves*>(meeting->geometryUserPtr);
    const auto& ray = *reinterpret_cast<const RTCRay*>(meeting->ray);
    const uint32_t piece = RTCHitN_primID(meeting->hit, 1, 0);
    const float coverage = curves.coverageAt(piece, RTCHitN_u(meeting->hit, 1, 0));
    if (coverage >= 1.0f) return;
    if (RayContext* own = RayContext::of(*meeting); own && own->shadow)
        return takePart(*own, meeting, coverage);
    Hasher h;
    for (const float x : {ray.org_x, ray.org_y, ray.org_z, ray.dir_x, ray.dir_y, ray.dir_z}) h.add(double(x));
    if (float(h.add(uint64_t(piece)).value() >> 40) * 0x1p-24f >= coverage) meeting->valid[0] = 0;
}

V3f StrandCurves::pointAt(size_t i, float time) const {
    if (steps_.empty()) return p_[i];
    const auto [k, part] = timeStep(time, steps_.size());
    return steps_[k][i] + (steps_[k + 1][i] - steps_[k][i]) * part;
}

StrandCurves::Place StrandCurves::placeAt(uint32_t piece, float u, float time) const {
    Place out;
    const uint32_t s = strandOf(piece);
    const size_t v = piece + s, first = startOf(s), last = startOf(s + 1) - 1;
    const size_t i = pointOf(v), k = pointOf(v + 1);
    const auto at = [&](size_t vertex) { return pointAt(pointOf(vertex), time); };
    out.center = at(v) + (at(v + 1) - at(v)) * u;
    // Bends are smooth to the light though pieces are straight.
    const V3f own = (at(v + 1) - at(v)).normalized();
    const V3f before = v > first ? (own + (at(v) - at(v - 1)).normalized()).normalized() : own;
    const V3f after = v + 1 < last ? (own + (at(v + 2) - at(v + 1)).normalized()).normalized() : own;
    out.tangent = (before * (1.0f - u) + after * u).normalized();
    if (!(out.tangent.length() > 0.5f)) out.tangent = V3f(0, 1, 0);
    out.radius = 0.5f * std::max(lerp(widthAt(i), widthAt(k), u), limit_.widthAt(out.center));
    if (!color_.empty()) out.color = Color(color_[i] + (color_[k] - color_[i]) * u), out.colored = true;
    if (!uv_.empty()) out.uv = uv_[s];
    if (!id_.empty()) out.id = id_[s];
    out.strand = s;
    out.along = (float(i - strands_->start[s]) + u * float(k - i)) / float(pointOf(last) - pointOf(first));
    return out;
}

}  // namespace ovrix::render
