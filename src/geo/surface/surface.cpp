#include "geo/surface/surface.h"

#include <embree3/rtcore.h>
#include <tbb/task_arena.h>
#include <xmmintrin.h>

#include <tuple>

#include "base/parallel.h"
#include "base/random.h"
#include "geo/mesh/sides.h"
#include "geo/surface/embree_closest.h"
#include "geo/surface/embree_device.h"

namespace ovrix::geo {

namespace {

int16_t packSigned(float x) { return int16_t(std::lround(std::clamp(x, -1.0f, 1.0f) * 32767.0f)); }

}  // namespace

/// More than places and distances there are rounded by.
static float roundingAt(const V3f& p) { return 1e-6f * (std::abs(p.x) + std::abs(p.y) + std::abs(p.z)); }

static uint64_t nextNumber() {
    static std::atomic<uint64_t> last{0};
    return ++last;
}

Surface::Surface(MeshPtr mesh) : mesh_(std::move(mesh)), number_(nextNumber()) {
    const auto& triangles = mesh_->triangles();
    const auto p = mesh_->positions();
    const auto n = mesh_->normals();
    packed_.resize(triangles.size());
    cumulated_.resize(triangles.size());
    parallelFor(triangles.size(), Progress::none(), [&](size_t t) {
        const V3f& a = p[mesh_->cornerPoint[triangles[t][0]]];
        Packed& k = packed_[t];
        k.p = a;
        k.e1 = p[mesh_->cornerPoint[triangles[t][1]]] - a;
        k.e2 = p[mesh_->cornerPoint[triangles[t][2]]] - a;
        for (size_t i = 0; i < 3; ++i)
            for (int j = 0; j < 3; ++j) k.n[i][j] = packSigned(n[triangles[t][i]][j]);
        const double area = 0.5 * double(k.e1.cross(k.e2).length());
        cumulated_[t] = std::isfinite(area) ? area : 0.0;
    });
    for (double& area : cumulated_) area = totalArea_ += area;
    startAt_.resize(triangles.size() + 1);
    uint32_t t = 0;
    for (size_t k = 0; k < startAt_.size(); ++k) {
        const double target = totalArea_ * double(k) / double(startAt_.size());
        while (t + 1 < cumulated_.size() && cumulated_[t] <= target) ++t;
        startAt_[k] = t;
    }
}

size_t Surface::bytes() const {
    return packed_.size() * sizeof(Packed) + cumulated_.size() * 8 + startAt_.size() * 4;
}

uint32_t Surface::pick(double unit) const {
    const double target = unit * totalArea_;
    uint32_t t = startAt_[size_t(unit * double(startAt_.size()))];
    while (t + 1 < cumulated_.size() && cumulated_[t] <= target) ++t;
    return t;
}

void Surface::sample(uint64_t seed, uint64_t firstId, size_t count, Sample* out) const {
    if (packed_.empty()) {
        std::fill(out, out + count, Sample{V3f(0.0f), V3f(0, 1, 0), kNoTriangle, 0, 0});
        return;
    }
    constexpr size_t kBatch = 64;  // memory of one batch is asked for before any of it is used
    std::array<Random4, kBatch> r;
    std::array<uint32_t, kBatch> triangle;
    std::array<double, kBatch> unit;
    for (size_t begin = 0; begin < count; begin += kBatch) {
        const size_t n = std::min(kBatch, count - begin);
        for (size_t i = 0; i < n; ++i) {
            r[i] = random4(seed, firstId + begin + i, Stream::Place);
            unit[i] = double(r[i].bits[0]) * 0x1p-32 + double(r[i].bits[1] & 0xFFFFFu) * 0x1p-52;
            _mm_prefetch(reinterpret_cast<const char*>(&startAt_[size_t(unit[i] * double(startAt_.size()))]),
                         _MM_HINT_T0);
        }
        for (size_t i = 0; i < n; ++i) {
            triangle[i] = startAt_[size_t(unit[i] * double(startAt_.size()))];
            _mm_prefetch(reinterpret_cast<const char*>(&cumulated_[triangle[i]]), _MM_HINT_T0);
        }
        for (size_t i = 0; i < n; ++i) {
            triangle[i] = pick(unit[i]);
            _mm_prefetch(reinterpret_cast<const char*>(&packed_[triangle[i]]), _MM_HINT_T0);
        }
        for (size_t i = 0; i < n; ++i) {
            const Packed& k = packed_[triangle[i]];
            float u = float(r[i].bits[2] >> 8) * 0x1p-24f, v = float(r[i].bits[3] >> 8) * 0x1p-24f;
            if (u + v > 1.0f) {  // fold the square onto the triangle
                u = 1.0f - u;
                v = 1.0f - v;
            }
            const float w = 1.0f - u - v;
            const V3f normal(w * k.n[0][0] + u * k.n[1][0] + v * k.n[2][0],
                             w * k.n[0][1] + u * k.n[1][1] + v * k.n[2][1],
                             w * k.n[0][2] + u * k.n[1][2] + v * k.n[2][2]);
            const float length = std::sqrt(normal.dot(normal));
            out[begin + i] = {k.p + u * k.e1 + v * k.e2, length > 0 ? normal / length : V3f(0, 1, 0),
                              triangle[i], u, v};
        }
    }
}

namespace {

/// Where numbers from 0 to 1 lie in a triangle such that numbers near each other lie near each other, and
/// equal parts of the one are equal parts of the other: each base 4 digit chooses one of four smaller
/// triangles (Basu and Owen, "Low discrepancy constructions in the triangle", SIAM J. Numer. Anal. 53(2),
/// 2015). Four digits at a time.
class TriangleOrder {
  public:
    TriangleOrder() {
        for (int i = 0; i < 256; ++i) {
            V2f corner(0.0f);
            float size = 1.0f;  // below 0 in the middle one, which stands on its head
            for (int shift = 6; shift >= 0; shift -= 2) {
                const int digit = i >> shift & 3;
                const V2f step = digit == 0   ? V2f(0, 0)
                                 : digit == 1 ? V2f(0.5f, 0.5f)
                                 : digit == 2 ? V2f(0.5f, 0)
                                              : V2f(0, 0.5f);
                corner += step * size;
                size *= digit == 1 ? -0.5f : 0.5f;
            }
            parts_[size_t(i)] = {corner, size};
        }
    }
    /// Weights of the second and third corner.
    V2f at(double f) const {
        constexpr int kBits = 40;  // corners are 2^-20 of the edges apart
        const uint64_t all = std::min(uint64_t(f * double(uint64_t(1) << kBits)), (uint64_t(1) << kBits) - 1);
        V2f corner(0.0f);
        float size = 1.0f;
        for (int shift = kBits - 8; shift >= 0; shift -= 8) {
            const Part& part = parts_[all >> shift & 255];
            corner += part.corner * size;
            size *= part.size;
        }
        return corner + V2f(size / 3.0f);
    }

  private:
    struct Part {
        V2f corner;
        float size;
    };
    std::array<Part, 256> parts_;
};

const TriangleOrder triangleOrder;

}  // namespace

void Surface::samplePlaces(uint64_t seed, uint64_t round, std::span<const uint32_t> parts, size_t total,
                           Place* out) const {
    if (parts.empty()) return;
    const double part = totalArea_ / double(total);
    uint32_t t = pick(double(parts[0]) / double(total));
    uint64_t four = UINT64_MAX;
    Random4 random{};
    for (const uint32_t i : parts) {
        if (i / 4 != four) {  // four parts share a block of random words
            four = i / 4;
            random = random4(seed, four | round << 40, Stream::Place);
        }
        // Not all of its part: what lies closer to the middle meets others less.
        const double target = (double(i) + 0.2 + 0.6 * double(random.bits[i % 4]) * 0x1p-32) * part;
        while (t + 1 < cumulated_.size() && cumulated_[t] <= target) ++t;
        const double before = t ? cumulated_[t - 1] : 0.0, area = cumulated_[t] - before;
        const V2f w = triangleOrder.at(area > 0 ? std::clamp((target - before) / area, 0.0, 1.0) : 0.0);
        const Packed& k = packed_[t];
        *out++ = {k.p + w.x * k.e1 + w.y * k.e2, t, w.x, w.y};
    }
}

Surface::Sample Surface::sampleAt(uint32_t triangle, float u, float v) const {
    const Packed& k = packed_[triangle];
    const float w = 1.0f - u - v;
    V3f n(0.0f);
    for (int j = 0; j < 3; ++j) n[j] = w * k.n[0][j] + u * k.n[1][j] + v * k.n[2][j];
    const float length = n.length();
    return {k.p + u * k.e1 + v * k.e2, length > 0 ? n / length : V3f(0, 1, 0), triangle, u, v};
}

V2f Surface::uvAt(uint32_t triangle, float u, float v) const {
    const auto uv = mesh_->uvs();
    if (uv.empty()) return V2f(0.0f);
    const Triangle& t = mesh_->triangles()[triangle];
    return uv[t[0]] * (1.0f - u - v) + uv[t[1]] * u + uv[t[2]] * v;
}

V3f Surface::normalAt(uint32_t triangle, float u, float v) const {
    const auto n = mesh_->normals();
    const Triangle& t = mesh_->triangles()[triangle];
    const V3f sum = n[t[0]] * (1.0f - u - v) + n[t[1]] * u + n[t[2]] * v;
    return sum.length() > 0.0f ? sum.normalized() : V3f(0, 1, 0);
}

float Surface::between(std::span<const float> perPoint, uint32_t triangle, float u, float v) const {
    const Triangle& t = mesh_->triangles()[triangle];
    const auto at = [&](size_t k) { return perPoint[mesh_->cornerPoint[t[k]]]; };
    return at(0) * (1.0f - u - v) + at(1) * u + at(2) * v;
}

std::shared_ptr<const void> Surface::cachedAny(
    const std::string& key, const std::function<std::shared_ptr<const void>()>& make) const {
    std::shared_ptr<Cached> slot;
    {
        std::lock_guard lock(cacheMutex_);
        auto& known = cached_[key];
        if (!known) known = std::make_shared<Cached>();
        slot = known;
    }
    // Isolated: while it waits within making, the thread must take up no other work that asks for the same.
    std::call_once(slot->once, [&] { tbb::this_task_arena::isolate([&] { slot->value = make(); }); });
    return slot->value;
}

struct Surface::Tracer {
    RTCScene scene = nullptr;
    ~Tracer() {
        if (scene) rtcReleaseScene(scene);
    }
};

Surface::~Surface() = default;

Surface::Tracer& Surface::tracer() const {
    std::call_once(tracerOnce_, [&] {
        auto made = std::make_unique<Tracer>();
        made->scene = rtcNewScene(embreeDevice());
        rtcSetSceneFlags(made->scene, RTC_SCENE_FLAG_ROBUST);  // nothing slips through between two triangles
        if (!mesh_->triangles().empty()) {
            RTCGeometry geometry = meshGeometry(*mesh_);
            rtcAttachGeometry(made->scene, geometry);
            rtcReleaseGeometry(geometry);
        }
        // A query within a parallel loop may come here; the thread must not take up another piece of that
        // loop, which would wait for itself.
        commitScene(made->scene);
        tracer_ = std::move(made);
    });
    return *tracer_;
}

SurfaceHit Surface::intersect(const V3f& origin, const V3f& direction, float reach) const {
    RTCRayHit ray{};
    ray.ray = {origin.x,    origin.y, origin.z, 0.0f,        direction.x, direction.y,
               direction.z, 0.0f,     reach,    0xFFFFFFFFu, 0,           0};
    ray.hit.geomID = RTC_INVALID_GEOMETRY_ID;
    RTCIntersectContext context;
    rtcInitIntersectContext(&context);
    rtcIntersect1(tracer().scene, &context, &ray);
    if (ray.hit.geomID == RTC_INVALID_GEOMETRY_ID) return {};
    SurfaceHit hit{
        true, ray.hit.primID, ray.hit.u, ray.hit.v, ray.ray.tfar, origin + direction * ray.ray.tfar, {}};
    hit.normal = normalAt(hit.triangle, hit.u, hit.v);
    return hit;
}

bool Surface::blocked(const V3f& o, const V3f& d, float distance) const {
    RTCRay ray{};
    ray.org_x = o.x, ray.org_y = o.y, ray.org_z = o.z;
    ray.dir_x = d.x, ray.dir_y = d.y, ray.dir_z = d.z;
    ray.tfar = distance;
    ray.mask = 0xFFFFFFFFu;
    RTCIntersectContext context;
    rtcInitIntersectContext(&context);
    rtcOccluded1(tracer().scene, &context, &ray);
    return ray.tfar < 0.0f;
}

V3f closestOnTriangle(const V3f& p, const V3f& a, const V3f& ab, const V3f& ac, float& u, float& v) {
    const V3f ap = p - a;
    const float d1 = ab.dot(ap), d2 = ac.dot(ap);
    const auto at = [&](float s, float t) {
        u = s;
        v = t;
        return a + ab * s + ac * t;
    };
    if (d1 <= 0 && d2 <= 0) return at(0, 0);
    const V3f bp = ap - ab;
    const float d3 = ab.dot(bp), d4 = ac.dot(bp);
    if (d3 >= 0 && d4 <= d3) return at(1, 0);
    const float vc = d1 * d4 - d3 * d2;
    if (vc <= 0 && d1 >= 0 && d3 <= 0) return at(d1 / (d1 - d3), 0);
    const V3f cp = ap - ac;
    const float d5 = ab.dot(cp), d6 = ac.dot(cp);
    if (d6 >= 0 && d5 <= d6) return at(0, 1);
    const float vb = d5 * d2 - d1 * d6;
    if (vb <= 0 && d2 >= 0 && d6 <= 0) return at(0, d2 / (d2 - d6));
    const float va = d3 * d6 - d5 * d4;
    if (va <= 0 && d4 - d3 >= 0 && d5 - d6 >= 0) {
        const float w = (d4 - d3) / ((d4 - d3) + (d5 - d6));
        return at(1 - w, w);
    }
    const float sum = va + vb + vc;
    return sum > 0 ? at(vb / sum, vc / sum) : at(0, 0);
}

SurfaceHit Surface::closest(const V3f& point, float reach, uint32_t guess) const {
    if (!isFinite(point)) return {};
    const auto triangle = [&](uint32_t k) { return std::tie(packed_[k].p, packed_[k].e1, packed_[k].e2); };
    SurfaceHit best =
        closestIn(tracer().scene, point, reach, triangle, guess < packed_.size() ? guess : kNoTriangle);
    if (best.hit) best.normal = normalAt(best.triangle, best.u, best.v);
    return best;
}

/// The closest of those that are listed, the lower triangle where two are alike; without its normal.
SurfaceHit Surface::closestOf(const V3f& point, float reach, const NearTriangles& near) const {
    SurfaceHit best;
    best.distance = reach;
    // None is nearer to the point than to the place by more than the way between both, and its rounding.
    const float moved = (point - near.position).length(),
                slack = 1e-5f * (moved + near.reach) + roundingAt(point);
    for (uint32_t k = 0; k < near.count && near.distance[k] - moved - slack <= best.distance; ++k) {
        const Packed& t = packed_[near.triangle[k]];
        meetNearer(point, near.triangle[k], t.p, t.e1, t.e2, best);
    }
    return best;
}

/// Lists the nearest of those within a radius, and how far around that is all.
void Surface::lookAround(const V3f& point, float radius, NearTriangles& near) const {
    near.of = number_, near.position = point, near.reach = radius, near.count = 0;
    within(point, radius, [&](uint32_t t, float distance) {
        for (uint32_t k = 0; k < near.count; ++k)
            if (distance < near.distance[k] || (distance == near.distance[k] && t < near.triangle[k]))
                std::swap(distance, near.distance[k]), std::swap(t, near.triangle[k]);
        if (near.count < NearTriangles::kMost)
            near.distance[near.count] = distance, near.triangle[near.count++] = t;
        else
            near.reach = std::min(near.reach, distance);  // the one that finds no room
        return near.reach;
    });
}

SurfaceHit Surface::closest(const V3f& point, float reach, NearTriangles& near) const {
    if (!isFinite(point)) return {};
    SurfaceHit best;
    const bool known = near.of == number_ && near.reach > 0;
    if (known) best = closestOf(point, reach, near);
    // Distances are rounded: what is here must be nearer by more than that.
    const float around = near.reach * (1.0f - 1e-5f) - roundingAt(point);
    if (!known || !((point - near.position).length() + std::min(best.distance, reach) < around)) {
        // So far that a point may go on for a while, and no farther than that a few are enough.
        const auto side = [&] {
            const Packed& k = packed_[best.triangle];
            return std::sqrt(k.e1.cross(k.e2).length());
        };
        // What was near and still is bounds what is looked through; what is nearest is then among it.
        if (!best.hit || best.distance > side()) {
            best = closest(point, reach, near.of == number_ && near.count ? near.triangle[0] : kNoTriangle);
            near.reach = 0;
            if (!best.hit) return best;
        }
        lookAround(point, best.distance + 0.75f * side(), near);
        if (const SurfaceHit listed = closestOf(point, reach, near); listed.hit) best = listed;
    }
    return best;
}

/// By the sides of its plane on which both ends lie, and of its edges on which the line passes (Plücker's
/// coordinates); false only where that is sure in spite of rounding.
bool Surface::mayCross(const Packed& t, const V3f& from, const V3f& to, float rounding) {
    const V3f n = t.e1.cross(t.e2), w = t.p - from;
    const float above0 = -w.dot(n), above1 = (to - t.p).dot(n), least2 = rounding * rounding * n.length2();
    if (above0 * above1 > 0 && std::min(above0 * above0, above1 * above1) > least2) return false;
    const V3f ray = to - from;
    const float sides[] = {ray.dot(w.cross(t.e1)), ray.dot((w + t.e1).cross(t.e2 - t.e1)),
                           ray.dot(t.e2.cross(w))};
    const float slack = (rounding + 1e-6f * w.length()) * ray.length() * (t.e1.length() + t.e2.length());
    const auto [low, high] = std::minmax({sides[0], sides[1], sides[2]});
    return !(low < -slack && high > slack);
}

bool Surface::apart(const V3f& from, const V3f& to, const NearTriangles& near) const {
    if (near.of != number_) return false;
    const float rounding = roundingAt(from) + roundingAt(to);
    const float moved = std::sqrt(std::max((from - near.position).length2(), (to - near.position).length2()));
    if (!(moved < near.reach * (1.0f - 1e-5f) - rounding)) return false;
    for (uint32_t k = 0; k < near.count && near.distance[k] <= moved + 1e-5f * near.reach + rounding; ++k)
        if (mayCross(packed_[near.triangle[k]], from, to, rounding)) return false;
    return true;
}

V3f Surface::outwardAt(uint32_t triangle, float u, float v) const {
    if (NoPart(u, v).count == 0) {
        const V3f n = packed_[triangle].e1.cross(packed_[triangle].e2);
        const float length = n.length();
        return length > 0 ? n / length : V3f(0.0f);
    }
    const auto edges = [&]() -> const MeshEdges& {
        std::call_once(edgesOnce_, [&] { edges_ = std::make_unique<const MeshEdges>(*mesh_); });
        return *edges_;
    };
    const auto p = mesh_->positions();
    return pseudonormal(*mesh_, edges, triangle, u, v,
                        [&](uint32_t corner) { return p[mesh_->cornerPoint[corner]]; });
}

bool Surface::closed() const {
    return *cached<bool>("closed", [&] { return std::make_shared<const bool>(isClosed(*mesh_)); });
}

bool Surface::inside(const V3f& point) const {
    return closed() && insideBy(point, [&](const V3f& from, const V3f& direction) -> std::optional<V3f> {
               const SurfaceHit hit = intersect(from, direction);
               return hit.hit ? std::optional(hit.position) : std::nullopt;
           });
}

/// Calls @p visit with each triangle nearer than that, and how near it is; it answers how near the next must
/// be.
template <class Visit>
void Surface::within(const V3f& point, float radius, const Visit& visit) const {
    struct Query {
        const std::vector<Packed>& packed;
        const Visit& visit;
        V3f point;
        float radius;
    } query{packed_, visit, point, radius};
    RTCPointQuery q{};
    q.x = point.x, q.y = point.y, q.z = point.z;
    q.radius = radius;
    RTCPointQueryContext context;
    rtcInitPointQueryContext(&context);
    const auto each = [](RTCPointQueryFunctionArguments* args) {
        auto& state = *static_cast<Query*>(args->userPtr);
        const Packed& k = state.packed[args->primID];
        float u, v;
        const float distance = (closestOnTriangle(state.point, k.p, k.e1, k.e2, u, v) - state.point).length();
        if (!(distance < state.radius)) return false;
        const float next = state.visit(args->primID, distance);
        const bool less = next < state.radius;
        args->query->radius = state.radius = next;
        return less;
    };
    rtcPointQuery(tracer().scene, &q, &context, each, &query);
}

void Surface::trianglesWithin(const V3f& point, float radius,
                              const std::function<void(uint32_t)>& visit) const {
    within(point, radius, [&](uint32_t t, float) {
        visit(t);
        return radius;
    });
}

}  // namespace ovrix::geo
