#include "geo/surface/moving_surface.h"

#include <tuple>
#include <type_traits>

#include "base/error.h"
#include "geo/cubic.h"
#include "geo/strands/strands.h"
#include "geo/surface/embree_closest.h"
#include "geo/surface/embree_device.h"

namespace ovrix::geo {

V3f MovingTriangle::normal() const {
    const V3f n = (b - a).cross(c - a);
    const float length = n.length();
    return length > 0.0f ? n / length : V3f(0, 1, 0);
}

namespace {

/// Weights of the point's foot on the triangle's plane; false when it lies outside by more than rounding.
bool weightsOf(const V3d& p, const V3d& a, const V3d& b, const V3d& c, float& u, float& v) {
    const V3d e1 = b - a, e2 = c - a, w = p - a;
    const double d11 = e1.dot(e1), d12 = e1.dot(e2), d22 = e2.dot(e2), w1 = w.dot(e1), w2 = w.dot(e2);
    const double area2 = d11 * d22 - d12 * d12;
    if (!(area2 > 0)) return false;
    const double uu = (d22 * w1 - d12 * w2) / area2, vv = (d11 * w2 - d12 * w1) / area2;
    constexpr double slack = 1e-6;  // edges are met by both triangles rather than by none
    if (uu < -slack || vv < -slack || uu + vv > 1 + slack) return false;
    u = float(std::clamp(uu, 0.0, 1.0));
    v = float(std::clamp(vv, 0.0, 1.0 - double(u)));
    return true;
}

}  // namespace

float meetTriangle(const V3f& p0, const V3f& p1, const MovingTriangle& t0, const MovingTriangle& t1, float& u,
                   float& v) {
    // All relative to the first corner: what they have in common costs no accuracy.
    const V3d p(p0 - t0.a), dp = V3d(p1 - t1.a) - p;
    const V3d b(t0.b - t0.a), db = V3d(t1.b - t1.a) - b;
    const V3d c(t0.c - t0.a), dc = V3d(t1.c - t1.a) - c;
    const V3d n0 = b.cross(c), n1 = b.cross(dc) + db.cross(c), n2 = db.cross(dc);
    const Cubic f{p.dot(n0), dp.dot(n0) + p.dot(n1), dp.dot(n1) + p.dot(n2), dp.dot(n2)};
    double roots[4];
    const int count = f.roots(roots);
    for (int i = 0; i < count; ++i) {
        const double t = roots[i];
        if (weightsOf(p + dp * t, V3d(0), b + db * t, c + dc * t, u, v)) return float(t);
    }
    return -1.0f;
}

/// The ray tracer's tree over the boxes that the triangles pass through within the frame.
struct MovingSurface::Tracer {
    RTCScene scene = nullptr;
    ~Tracer() {
        if (scene) rtcReleaseScene(scene);
    }
};

MovingSurface::~MovingSurface() = default;

namespace {

MovingTriangle triangleOf(const Mesh& mesh, uint32_t t) {
    const Triangle& k = mesh.triangles()[t];
    return {mesh.cornerPosition(k[0]), mesh.cornerPosition(k[1]), mesh.cornerPosition(k[2])};
}

MovingTriangle mixed(const MovingTriangle& a, const MovingTriangle& b, double t) {
    const float s = float(t);
    if (s <= 0.0f) return a;
    if (s >= 1.0f) return b;
    return {a.a + (b.a - a.a) * s, a.b + (b.b - a.b) * s, a.c + (b.c - a.c) * s};
}

/// Turn, even size and place of a matrix; false when it shears, mirrors or scales unevenly.
bool takeApart(const M44f& m, Quatf& turn, float& size, V3f& position) {
    const V3f x(m[0][0], m[0][1], m[0][2]), y(m[1][0], m[1][1], m[1][2]), z(m[2][0], m[2][1], m[2][2]);
    size = x.length();
    if (!(size > 1e-12f) || !std::isfinite(size)) return false;
    const float slack = 1e-4f * size;
    if (std::abs(y.length() - size) > slack || std::abs(z.length() - size) > slack) return false;
    if (std::abs(x.dot(y)) > slack * size || std::abs(y.dot(z)) > slack * size ||
        std::abs(x.dot(z)) > slack * size || x.cross(y).dot(z) < 0)
        return false;
    turn = turnFromAxes(x / size, y / size, z / size).normalized();
    position = m.translation();
    return true;
}

struct Sweep {  // what the callbacks of the ray tracer are told
    RTCIntersectContext context;
    const MovingSurface* surface;
    V3f from, to;
    double begin, end;
    Touch best;
};

}  // namespace

MovingSurfacePtr MovingSurface::moved(SurfacePtr shape, const M44f& before, const M44f& now) {
    auto made = std::shared_ptr<MovingSurface>(new MovingSurface);
    if (!takeApart(before, made->turn0_, made->size0_, made->position0_) ||
        !takeApart(now, made->turn1_, made->size1_, made->position1_))
        return deformed(transformed(shape->mesh(), before), transformed(shape->mesh(), now));
    if ((made->turn0_ ^ made->turn1_) < 0) made->turn1_ = -made->turn1_;  // the shorter way round
    made->closed_ = shape->closed();
    made->shape_ = std::move(shape);
    made->before_ = before, made->now_ = now;
    return made;
}

MovingSurfacePtr MovingSurface::deformed(MeshPtr before, MeshPtr now) {
    if (before->triangles() != now->triangles() || before->cornerPoint != now->cornerPoint)
        throw Error("the mesh has other faces than a frame before");
    auto made = std::shared_ptr<MovingSurface>(new MovingSurface);
    made->mesh0_ = std::move(before), made->mesh1_ = std::move(now);
    made->closed_ = isClosed(*made->mesh1_);
    const auto p0 = made->mesh0_->positions(), p1 = made->mesh1_->positions();
    for (size_t i = 0; i < p1.size(); ++i) made->most_ = std::max(made->most_, (p1[i] - p0[i]).length());
    made->tracer_ = std::make_unique<Tracer>();
    RTCScene scene = made->tracer_->scene = rtcNewScene(embreeDevice());
    rtcSetSceneFlags(scene, RTC_SCENE_FLAG_ROBUST);
    rtcSetSceneBuildQuality(scene, RTC_BUILD_QUALITY_LOW);  // it is made anew for each frame
    RTCGeometry geometry = rtcNewGeometry(embreeDevice(), RTC_GEOMETRY_TYPE_USER);
    rtcSetGeometryUserPrimitiveCount(geometry, unsigned(made->triangleCount()));
    rtcSetGeometryUserData(geometry, made.get());
    rtcSetGeometryBoundsFunction(
        geometry,
        [](const RTCBoundsFunctionArguments* a) {
            const auto& s = *static_cast<const MovingSurface*>(a->geometryUserPtr);
            Box3f box;
            for (const double t : {0.0, 1.0}) {
                const MovingTriangle k = s.triangle(a->primID, t);
                box.extendBy(k.a), box.extendBy(k.b), box.extendBy(k.c);
            }
            const float slack = 1e-6f * (1.0f + std::max(box.max.length(), box.min.length()));
            RTCBounds& b = *a->bounds_o;
            b.lower_x = box.min.x - slack, b.lower_y = box.min.y - slack, b.lower_z = box.min.z - slack;
            b.upper_x = box.max.x + slack, b.upper_y = box.max.y + slack, b.upper_z = box.max.z + slack;
        },
        nullptr);
    rtcSetGeometryIntersectFunction(geometry, [](const RTCIntersectFunctionNArguments* a) {
        if (a->N != 1 || !a->valid[0]) return;
        auto& query = *reinterpret_cast<Sweep*>(a->context);
        const MovingTriangle t0 = query.surface->triangle(a->primID, query.begin),
                             t1 = query.surface->triangle(a->primID, query.end);
        float u, v;
        const float fraction = meetTriangle(query.from, query.to, t0, t1, u, v);
        Touch& best = query.best;
        if (fraction < 0 || (best.hit && (fraction > best.fraction ||
                                          (fraction == best.fraction && a->primID > best.triangle))))
            return;
        best.hit = true, best.fraction = fraction, best.triangle = a->primID, best.u = u, best.v = v;
        auto* ray = reinterpret_cast<RTCRayHit*>(a->rayhit);
        ray->ray.tfar =
            std::min(ray->ray.tfar,
                     std::nextafter(fraction, 2.0f));  // others that are as near may have a lower number
        ray->hit.geomID = a->geomID, ray->hit.primID = a->primID;
    });
    rtcCommitGeometry(geometry);
    rtcAttachGeometry(scene, geometry);
    rtcReleaseGeometry(geometry);
    commitScene(scene);
    return made;
}

bool MovingSurface::empty() const { return triangleCount() == 0; }

size_t MovingSurface::triangleCount() const { return (shape_ ? shape_->mesh() : *mesh0_).triangles().size(); }

M44f MovingSurface::worldAt(double time) const {
    if (time <= 0) return before_;
    if (time >= 1) return now_;
    const float t = float(time);
    M44f m = Imath::slerpShortestArc(turn0_, turn1_, t).toMatrix44();
    const float size = lerp(size0_, size1_, t);
    for (int r = 0; r < 3; ++r)
        for (int c = 0; c < 3; ++c) m[r][c] *= size;
    const V3f p = position0_ + (position1_ - position0_) * t;
    m[3][0] = p.x, m[3][1] = p.y, m[3][2] = p.z;
    return m;
}

MovingTriangle MovingSurface::triangle(uint32_t t, double time) const {
    if (!shape_) return mixed(triangleOf(*mesh0_, t), triangleOf(*mesh1_, t), time);
    const MovingTriangle k = triangleOf(shape_->mesh(), t);
    const M44f m = worldAt(time);
    return {k.a * m, k.b * m, k.c * m};
}

V3f MovingSurface::velocityAt(uint32_t t, float u, float v, double time) const {
    if (!shape_) return triangleOf(*mesh1_, t).at(u, v) - triangleOf(*mesh0_, t).at(u, v);
    if (before_ == now_) return V3f(0.0f);
    const V3f p = triangleOf(shape_->mesh(), t).at(u, v);
    const double h = 1.0 / 64.0, low = std::max(0.0, time - h), high = std::min(1.0, time + h);
    return (p * worldAt(high) - p * worldAt(low)) / float(high - low);
}

float MovingSurface::mostMoved(double begin, double end) const {
    if (!shape_) return most_ * float(end - begin);
    if (before_ == now_ || shape_->mesh().bounds().isEmpty()) return 0.0f;
    // How far a place moves grows outward: a corner of the box goes farthest.
    const M44f a = worldAt(begin), b = worldAt(end);
    const Box3f& box = shape_->mesh().bounds();
    float most = 0;
    for (int k = 0; k < 8; ++k) most = std::max(most, (cornerOf(box, k) * b - cornerOf(box, k) * a).length());
    return most;
}

MovingSurface::During MovingSurface::during(double begin, double end) const {
    During d;
    d.surface_ = this;
    d.begin_ = begin, d.end_ = end;
    if (shape_) {
        d.local0_ = worldAt(begin).inverse();
        d.world1_ = worldAt(end);
        d.local1_ = d.world1_.inverse();
        d.positions_ = shape_->mesh().positions();
    }
    return d;
}

MovingTriangle MovingSurface::During::triangle(uint32_t t) const {
    if (!surface_->shape_) return surface_->triangle(t, end_);
    const Mesh& mesh = surface_->shape_->mesh();
    const Triangle& k = mesh.triangles()[t];
    const auto at = [&](uint32_t corner) { return positions_[mesh.cornerPoint[corner]] * world1_; };
    return {at(k[0]), at(k[1]), at(k[2])};
}

V3f MovingSurface::During::outwardAt(uint32_t t, float u, float v) const {
    V3f out;
    if (surface_->shape_) {
        world1_.multDirMatrix(surface_->shape_->outwardAt(t, u, v), out);
    } else {
        const Mesh &m0 = *surface_->mesh0_, &m1 = *surface_->mesh1_;
        const auto p0 = m0.positions(), p1 = m1.positions();
        const float time = float(end_);
        const auto edges = [&]() -> const MeshEdges& {
            std::call_once(surface_->edgesOnce_,
                           [&] { surface_->edges_ = std::make_unique<const MeshEdges>(m1); });
            return *surface_->edges_;
        };
        out = pseudonormal(m1, edges, t, u, v, [&](uint32_t corner) {
            const uint32_t p = m1.cornerPoint[corner];
            return p0[p] + (p1[p] - p0[p]) * time;
        });
    }
    const float length = out.length();
    return length > 0 ? out / length : triangle(t).normal();
}

/// In the surface's own space, where it stands still; the way there is taken as straight.
Touch MovingSurface::During::sweepRigid(const V3f& from, const V3f& to) const {
    const V3f a = from * local0_, b = to * local1_, path = b - a;
    const float length = path.length();
    Touch touch;
    if (!(length > 0.0f) || !std::isfinite(length)) return touch;
    const V3f direction = path / length;
    const SurfaceHit hit = surface_->shape_->intersect(a, direction, length * 1.000001f);
    if (!hit.hit) return touch;
    touch.hit = true;
    touch.fraction = std::min(1.0f, hit.distance / length);
    touch.triangle = hit.triangle, touch.u = hit.u, touch.v = hit.v;
    return touch;
}

Touch MovingSurface::During::sweep(const V3f& from, const V3f& to) const {
    if (surface_->empty() || !isFinite(from) || !isFinite(to)) return {};
    Touch touch;
    if (surface_->shape_) {
        touch = sweepRigid(from, to);
    } else {
        Sweep query{.context = {},
                    .surface = surface_,
                    .from = from,
                    .to = to,
                    .begin = begin_,
                    .end = end_,
                    .best = {}};
        rtcInitIntersectContext(&query.context);
        const V3f d = to - from;
        RTCRayHit ray{};
        ray.ray = {from.x, from.y, from.z, 0.0f, d.x, d.y, d.z, 0.0f, 1.000001f, 0xFFFFFFFFu, 0, 0};
        ray.hit.geomID = RTC_INVALID_GEOMETRY_ID;
        if (d.length2() > 0) {
            rtcIntersect1(surface_->tracer_->scene, &query.context, &ray);
        } else {  // it stands still, and the surface comes to it
            ray.ray.dir_x = 1.0f, ray.ray.tfar = 0.0f;
            rtcIntersect1(surface_->tracer_->scene, &query.context, &ray);
        }
        touch = query.best;
    }
    if (!touch.hit) return touch;
    const double time = begin_ + (end_ - begin_) * double(touch.fraction);
    const MovingTriangle k = surface_->triangle(touch.triangle, time);
    touch.position = k.at(touch.u, touch.v);
    touch.normal = k.normal();
    const MovingTriangle before = surface_->triangle(touch.triangle, begin_);
    if ((from - before.a).dot(before.normal()) < 0) touch.normal = -touch.normal;
    touch.velocity = surface_->velocityAt(touch.triangle, touch.u, touch.v, time);
    return touch;
}

/// Of one that moves as a whole: asked in its own space.
template <class Known>
SurfaceHit MovingSurface::During::closestBy(const V3f& point, float reach, Known&& known) const {
    const float size = lerp(surface_->size0_, surface_->size1_, float(end_));
    SurfaceHit hit = surface_->shape_->closest(point * local1_, reach / size, known);
    if (!hit.hit) return hit;
    hit.distance *= size;
    hit.position = hit.position * world1_;
    if constexpr (!std::is_same_v<std::remove_cvref_t<Known>, NearTriangles>) {
        world1_.multDirMatrix(V3f(hit.normal), hit.normal);
        hit.normal.normalize();
    }
    return hit;
}

SurfaceHit MovingSurface::During::closest(const V3f& point, float reach, uint32_t guess) const {
    if (surface_->empty() || !isFinite(point)) return {};
    if (surface_->shape_) return closestBy(point, reach, guess);
    const auto triangle = [&](uint32_t t) {
        const MovingTriangle k = surface_->triangle(t, end_);
        return std::tuple(k.a, k.b - k.a, k.c - k.a);
    };
    SurfaceHit best = closestIn(surface_->tracer_->scene, point, reach, triangle,
                                guess < surface_->triangleCount() ? guess : kNoTriangle);
    if (best.hit) best.normal = surface_->triangle(best.triangle, end_).normal();
    return best;
}

SurfaceHit MovingSurface::During::closest(const V3f& point, float reach, NearTriangles& near) const {
    if (surface_->empty() || !isFinite(point)) return {};
    if (surface_->shape_) return closestBy(point, reach, near);
    // What deforms has other neighbours in each frame: only the nearest is a good guess.
    SurfaceHit hit = closest(point, reach, near.count ? near.triangle[0] : kNoTriangle);
    near = {};
    if (hit.hit) near.count = 1, near.triangle[0] = hit.triangle;
    return hit;
}

bool MovingSurface::During::inside(const V3f& point) const {
    if (surface_->shape_) return surface_->shape_->inside(point * local1_);
    if (!surface_->closed_) return false;
    const During still = surface_->during(end_, end_);
    Box3f box = surface_->mesh1_->bounds();
    box.extendBy(surface_->mesh0_->bounds());
    const float far = box.size().length() + (point - box.center()).length();
    return insideBy(point, [&](const V3f& from, const V3f& direction) -> std::optional<V3f> {
        const Touch t = still.sweep(from, from + direction * far);
        return t.hit ? std::optional(t.position) : std::nullopt;
    });
}

}  // namespace ovrix::geo
