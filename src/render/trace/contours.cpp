#include "render/trace/contours.h"

namespace ovrix::render {

namespace {

constexpr float kMostPixels = 64.0f;  ///< half of the widest line

}  // namespace

/// What a ray of the stencil meets.
struct ContourFinder::Met {
    RayHit hit;
    SurfacePoint point;                  ///< where it hit
    const Contours* contours = nullptr;  ///< of what it hit
};

/// Rays about one, by where they pass: a place on a disc of radius 1 across it.
struct ContourFinder::Stencil {
    Ray ray;  ///< its direction reaches to the plane that the disc lies in
    V3f x, y;
    float spread;  ///< radius of the disc
    float radius;  ///< of the widest line, as it is in the picture: radians
    float before;  ///< metres that the path came
    float slack;   ///< metres between things that count as meeting
    Ray at(const V2f& place) const {
        Ray out = ray;
        out.direction = (ray.direction + (x * place.x + y * place.y) * spread).normalized();
        return out;
    }
};

ContourFinder::ContourFinder(const RenderScene& scene, const Camera& camera, int height)
    : scene_(scene),
      right_(camera.right()),
      up_(camera.up()),
      forward_(camera.forward()),
      pixel_(2.0f * camera.halfHeight() / float(std::max(1, height))),
      usual_(std::max(1e-4f, camera.focus())),
      height_(height) {
    for (const SurfaceMaterial& m : scene.materials()) {
        if (!m.contours || !(m.contours->most() > 0.0f)) continue;
        any_ = true;
        const Contours& c = *m.contours;
        if (c.unit == Contours::Unit::Metres)
            widestMetres_ = std::max(widestMetres_, 0.5f * c.most());
        else
            widest_ = std::max(widest_, radiusOf(c, c.most(), 1.0f));
    }
}

/// Radians, as seen from that far away.
float ContourFinder::radiusOf(const Contours& c, float width, float distance) const {
    const float half = 0.5f * width, most = kMostPixels * pixel_;
    switch (c.unit) {
        case Contours::Unit::Pixels:
            return std::min(half * pixel_, most);
        case Contours::Unit::Picture:
            return std::min(half * 0.001f * float(height_) * pixel_, most);
        case Contours::Unit::Metres:
            break;
    }
    return std::min(half / std::max(distance, 1e-6f), most);
}

float ContourFinder::widestAt(float distance) const {
    return std::min(std::max(widest_, widestMetres_ / std::max(distance, 1e-6f)), kMostPixels * pixel_);
}

/// @param hit  of that ray
ContourFinder::Met ContourFinder::metBy(const Ray& ray, const RayHit& hit) const {
    Met met{hit, {}, nullptr};
    if (!met.hit.hit()) return met;
    met.point = scene_.surfacePoint(met.hit, ray);
    met.contours = scene_.materialOf(met.point).contours.get();
    return met;
}

/// Whether an edge lies between both that one of them draws.
bool ContourFinder::differ(const Met& a, const Met& b, const Contours& by) const {
    if (!a.hit.hit() || !b.hit.hit()) return by.objects && a.hit.hit() != b.hit.hit();
    const SurfacePoint &p = a.point, &q = b.point;
    const bool sameThing = p.object == q.object && p.layer == q.layer;
    if (!sameThing && by.objects) return true;
    if (p.material != q.material && by.materials) return true;
    const bool sameElement = sameThing && a.hit.instance == b.hit.instance && p.element == q.element;
    if (sameThing && !sameElement && by.elements) return true;
    if (!sameThing || p.strand || q.strand) return false;  // strands turn to every ray, and hide each other
    if (sameElement && by.crease < kPi && p.faceNormal.dot(q.faceNormal) < std::cos(by.crease)) return true;
    if (!(by.jump > 0.0f)) return false;
    // Of what bends smoothly each place lies near the other's plane.
    const V3f between = q.position - p.position;
    return std::abs(between.dot(p.faceNormal)) > by.jump && std::abs(between.dot(q.faceNormal)) > by.jump;
}

/// Which of both draws the edge between them: the nearer, or where they meet, the one that has lines.
const ContourFinder::Met* ContourFinder::ownerOf(const Met& main, const Met& other, float slack) const {
    if (!main.hit.hit() && !other.hit.hit()) return nullptr;
    const float a = main.hit.hit() ? main.hit.distance : std::numeric_limits<float>::infinity();
    const float b = other.hit.hit() ? other.hit.distance : std::numeric_limits<float>::infinity();
    const Met *nearer = a <= b ? &main : &other, *farther = a <= b ? &other : &main;
    const Met* owner = nearer->contours || std::abs(a - b) > slack ? nearer : farther;
    return owner->contours && differ(main, other, *owner->contours) ? owner : nullptr;
}

/// The line that the edge draws which lies between the middle of a stencil and a place on it; nothing where
/// there is none, or it does not reach to the middle.
std::optional<ContourFinder::Line> ContourFinder::lineTowards(const Stencil& stencil, const Met& main,
                                                              const V2f& way) const {
    const auto meet = [&](const V2f& at) {
        const Ray ray = stencil.at(at);
        return metBy(ray, scene_.intersect(ray, true));
    };
    Met other = meet(way);
    if (!main.contours && !other.contours) return std::nullopt;
    if (main.hit.hit() && other.hit.hit() && main.hit.instance == other.hit.instance &&
        main.hit.triangle == other.hit.triangle)
        return std::nullopt;
    const float before = stencil.before, radius = stencil.radius;
    const Met* owner = ownerOf(main, other, stencil.slack);
    if (!owner) return std::nullopt;
    const auto halfWidth = [&](const Met& of) {
        const Samples one = samplesAt(of.point, scene_.materialOf(of.point));
        FieldsAt at(one);
        return radiusOf(*of.contours, at.of(of.contours->width), before + of.hit.distance) / radius;
    };
    // How far its end passes by in the picture, by the distance of what it is compared with.
    const auto away = [&](const Met& of) {
        const float t = of.hit.distance;
        return way.length() * stencil.spread / radius * (before > 0.0f ? t / (before + t) : 1.0f);
    };
    constexpr int kHalvings = 4;
    float reach = halfWidth(*owner);
    float from = 0.0f, to = 1.0f;  // of the way: the edge lies between
    for (int i = 0; i < kHalvings && reach < to * away(*owner); ++i) {
        const float middle = 0.5f * (from + to);
        Met there = meet(way * middle);
        const Met* by = ownerOf(main, there, stencil.slack);
        if (!by) {
            from = middle;
            if (from * away(*owner) > reach) break;
            continue;
        }
        to = middle;
        const bool own = by == &main;
        other = std::move(there);
        owner = own ? &main : &other;
        reach = halfWidth(*owner);
    }
    if (!(reach >= to * away(*owner))) return std::nullopt;
    return Line{owner->point, owner->hit.distance};
}

std::optional<ContourFinder::Line> ContourFinder::find(const Ray& ray, const RayHit& hit, float before,
                                                       Sampler& sampler) const {
    const float ahead = hit.hit() ? std::max(hit.distance, 1e-6f) : std::max(usual_, before);
    const float radius = widestAt(before + ahead);
    Stencil stencil{ray, right_, up_, radius, radius, before, 4.0f * radius * (before + ahead)};
    if (before == 0.0f) {  // lines are as wide at the picture's rim as in its middle
        stencil.ray.direction = ray.direction / std::max(ray.direction.dot(forward_), 1e-6f);
    } else {  // where a mirror sent it on, as over the whole way
        basis(ray.direction, stencil.x, stencil.y);
        stencil.spread = radius * (before + ahead) / ahead;
    }
    const Met main = metBy(ray, hit);
    constexpr int kOuter = 8, kInner = 4;
    const float turn = sampler.next4()[0];
    for (int k = 0; k < kOuter + kInner; ++k) {
        const bool outer = k < kOuter;
        const float part = outer ? (float(k) + turn) / kOuter : (float(k) + 2 * turn) / kInner;
        const V2f way(std::cos(2.0f * kPi * part), std::sin(2.0f * kPi * part));
        if (auto line = lineTowards(stencil, main, outer ? way : way * 0.5f)) return line;
    }
    return std::nullopt;
}

}  // namespace ovrix::render
