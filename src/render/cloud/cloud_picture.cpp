#include "render/cloud/cloud_picture.h"

#include "render/cloud/cloud_scatter.h"

namespace ovrix::render {

/// Where a point falls, in pixels of the lists from the whole picture's corner: so parts of it have its bits.
struct CloudPicture::Fallen {
    V3f place;
    float x = 0, y = 0, depth = 0;
    bool there = false;
};

PointLists::Frame CloudPicture::frameOf(const Camera& camera, const Film& film, const CloudPoints& points,
                                        int step) {
    PointLists::Frame frame{(film.width() + step - 1) / step, (film.height() + step - 1) / step};
    const Box3f box = points.bounds();
    if (box.isEmpty()) return frame;
    // By the whole cloud, so that parts of a picture have the same order.
    const V3f middle = (box.min + box.max) * 0.5f - camera.position();
    const float reach = box.size().length() * 0.5f, at = middle.dot(camera.forward());
    frame.near = std::max(0.0f, at - reach), frame.far = std::max(frame.near + 1e-6f, at + reach);
    return frame;
}

CloudPicture::CloudPicture(const RenderScene& scene, const Camera& camera, const Film& film,
                           const Options& options, Progress& progress)
    : camera_(camera),
      options_(options),
      from_(film.from() / options.step),
      whole_(float(film.whole().x), float(film.whole().y)),
      pixel_(2.0f * camera.halfHeight() * float(options.step) / float(film.whole().y)),
      lens_(camera.hasLens()),
      points_(scene.clouds(), options.shutter, options.oneOf),
      light_(scene, points_, options.shutter.pass, options.shutter.seed, progress),
      lists_(
          points_.size(), frameOf(camera, film, points_, options.step),
          [this](size_t i, const auto& to) { put(i, to); }, progress),
      grid_(scene.instanceCount() > 0 ? scene.cloudGrid() : nullptr) {
    if (grid_) gatherGlow(progress);
}

CloudPicture::Fallen CloudPicture::fallen(const CloudPoints::Row& r) const {
    Fallen s{.place = points_.at(r)};
    float u = 0.5f, v = 0.5f;
    if (lens_) {
        const uint64_t own = mixBits(r.cloud->idOf(r.row) + (uint64_t(options_.shutter.seed) << 32) + 0x1e5u);
        u = spreadNumber(own, options_.shutter.pass, 0),
        v = spreadNumber(mixBits(own), options_.shutter.pass, 1);
    }
    const auto at = camera_.through(s.place, u, v, points_.timeOf(r));
    if (!at) return s;
    const float step = float(options_.step);
    s.x = (at->x * whole_.x + options_.offset.x) / step;
    s.y = (at->y * whole_.y + options_.offset.y) / step;
    s.depth = at->z;
    constexpr float kFarOut = 1e6f;
    s.there = std::abs(s.x) < kFarOut && std::abs(s.y) < kFarOut;
    return s;
}

/// Pixels that a point's radius covers, beyond half of one.
static float pixelsOf(float radius, float depth, float pixel) {
    constexpr float kMost = 64.0f;
    return std::min(radius / std::max(depth * pixel, 1e-12f), kMost);
}

/// How much of a pixel a ball covers whose middle is so far from the pixel's.
static float covered(float radius, float distance) {
    return std::clamp(radius + 0.5f - distance, 0.0f, 1.0f);
}

template <class Put>
void CloudPicture::put(size_t point, const Put& to) const {
    const CloudPoints::Row r = points_[point];
    const Fallen s = fallen(r);
    if (!s.there) return;
    const auto splat = r.cloud->look().splat;
    const float radius =
        splat == CloudMaterial::Splat::Round ? pixelsOf(r.cloud->radius(r.row), s.depth, pixel_) : 0.0f;
    if (splat == CloudMaterial::Splat::Nearest ||
        (splat == CloudMaterial::Splat::Round && !(radius > 0.5f))) {
        to(int(std::floor(s.x)) - from_.x, int(std::floor(s.y)) - from_.y, s.depth);
        return;
    }
    const float reach = splat == CloudMaterial::Splat::Bilinear ? 1.0f : radius + 0.5f;
    for (int y = int(std::floor(s.y - 0.5f - reach)) + 1; float(y) < s.y - 0.5f + reach; ++y)
        for (int x = int(std::floor(s.x - 0.5f - reach)) + 1; float(x) < s.x - 0.5f + reach; ++x)
            if (weightAt(s, *r.cloud, r.row, x, y) > 0.0f) to(x - from_.x, y - from_.y, s.depth);
}

/// How much of a point's area lies on each square pixel that it is in.
float CloudPicture::weightAt(const Fallen& s, const Cloud& cloud, size_t row, int x, int y) const {
    const float dx = float(x) + 0.5f - s.x, dy = float(y) + 0.5f - s.y;
    if (cloud.look().splat == CloudMaterial::Splat::Bilinear)
        return std::max(0.0f, 1.0f - std::abs(dx)) * std::max(0.0f, 1.0f - std::abs(dy));
    if (cloud.look().splat != CloudMaterial::Splat::Round) return 1.0f;
    const float radius = pixelsOf(cloud.radius(row), s.depth, pixel_);
    if (!(radius > 0.5f)) return 1.0f;
    return covered(radius, std::sqrt(dx * dx + dy * dy)) / (kPi * radius * radius);
}

CloudPicture::Walk CloudPicture::walk(int x, int y) const {
    x /= options_.step, y /= options_.step;
    const auto list = lists_.pixel(x, y);
    return {list.data(), list.data() + list.size(), x, y};
}

/// Calls body(beam, sample, part, depth) for each beam that reaches a point.
template <class Body>
void CloudPicture::eachArriving(const CloudPoints::Row& r, size_t point, const V3f& place,
                                const Body& body) const {
    for (size_t b = 0; b < beams().size(); ++b) {
        const CloudLight::Beam& beam = beams()[b];
        if (!beam.light->reaches(r.cloud->object(), r.cloud->layer())) continue;
        const float depth = CloudLight::depthOf(beam, point);
        if (std::isinf(depth)) continue;
        const LightSample s = beam.light->sample(place, beam.u, beam.v);
        if (s.pdf > 0.0f) body(b, s, beam.part, depth);
    }
}

/// What of a beam goes on from so deep. Light that was scattered before is taken as light that its way thins
/// less, that is weaker and less bundled, several times over: Wrenninge, Kulla and Lundqvist, "Oz: The Great
/// and Volumetric", SIGGRAPH 2013 talks, doi:10.1145/2504459.2504518.
/// @param bundles  whether softening changes a value  @param value  of how much is left of its direction
template <class Value>
V3f CloudPicture::arrivingAt(const Cloud& cloud, float depth, bool bundles, const Value& value) {
    constexpr int kScattered = 4;
    const V3f& loss = cloud.lossToLight();
    const float milk = cloud.look().milk;
    V3f sum(0.0f), now = value(1.0f);
    float thinned = 1.0f, weaker = 1.0f;
    for (int k = 0; k < (milk > 0.0f ? kScattered : 1); ++k) {
        if (k > 0 && bundles) now = value(thinned);
        for (int c = 0; c < 3; ++c) sum[c] += now[c] * weaker * std::exp(-depth * thinned * loss[c]);
        thinned *= 0.5f, weaker *= milk;
    }
    return sum;
}

/// A mean of what some points in each cell turn to everywhere, by how much of a beam they take.
void CloudPicture::gatherGlow(Progress& progress) {
    constexpr size_t kInCell = 4;
    const size_t step = std::max<size_t>(1, points_.size() / std::max<size_t>(1, kInCell * grid_->cells()));
    const size_t count = (points_.size() + step - 1) / step;
    struct Turned {
        V3f light;
        float area;
        size_t cell;
    };
    std::vector<Turned> turned(count);
    parallelFor(count, progress, [&](size_t k) {
        const size_t i = k * step;
        const CloudPoints::Row r = points_[i];
        const V3f place = r.cloud->at(r.row), albedo(r.cloud->albedo(r.row));
        Turned& t = turned[k];
        t = {r.cloud->emits() ? V3f(r.cloud->emission(r.row)) : V3f(0.0f), points_.area(r),
             grid_->cellOf(place)};
        if (t.cell != SIZE_MAX)
            eachArriving(r, i, place, [&](size_t, const LightSample& s, float part, float depth) {
                t.light +=
                    albedo *
                    arrivingAt(*r.cloud, depth, false, [](float) { return V3f(1.0f / (4.0f * kPi)); }) *
                    s.radiance * (part / s.pdf);
            });
    });
    glow_.assign(grid_->cells(), V3f(0.0f));
    std::vector<float> areas(glow_.size(), 0.0f);
    for (const Turned& t : turned)
        if (t.cell != SIZE_MAX && isFinite(t.light))
            glow_[t.cell] += t.light * t.area, areas[t.cell] += t.area;
    for (size_t c = 0; c < glow_.size(); ++c)
        if (areas[c] > 0.0f) glow_[c] /= areas[c];
}

CloudPicture::Seen CloudPicture::along(const V3f& origin, const V3f& direction, float distance) const {
    constexpr float kNothing = 1e-3f;
    Seen seen;
    if (!grid_) return seen;
    grid_->along(origin, direction, distance, [&](size_t cell, const V3f& left) {
        seen.light += seen.through * (V3f(1.0f) - left) * glow_[cell];
        seen.through *= left;
        return std::max({seen.through.x, seen.through.y, seen.through.z}) > kNothing;
    });
    return seen;
}

/// The light of each beam that a point turns to the eye.
void CloudPicture::turn(const CloudPoints::Row& r, size_t point, const V3f& place, const V3f& toEye,
                        const V3f& weight, Met& met) const {
    const CloudScatter scatter(*r.cloud, r.row, toEye);
    eachArriving(r, point, place, [&](size_t b, const LightSample& s, float part, float depth) {
        const V3f turned = arrivingAt(*r.cloud, depth, scatter.bundles(),
                                      [&](float left) { return scatter.value(s.direction, left); });
        met.beams[b] += weight * turned * s.radiance * (part / s.pdf);
    });
}

/// Its own number in this pass, from 0 to 1.
float CloudPicture::drawnFor(const CloudPoints::Row& r) const {
    const uint64_t own = mixBits(r.cloud->idOf(r.row) + (uint64_t(options_.shutter.seed) << 32) + 0xa5cu);
    return spreadNumber(own, options_.shutter.pass, 0);
}

void CloudPicture::follow(Walk& walk, float depth, Met& met) const {
    constexpr float kNothing = 1e-3f;  // of what lies behind: then nothing behind it counts
    constexpr float kSeen = 1.0f / 64.0f;
    for (; walk.next != walk.end && lists_.depthOf(*walk.next) < depth; ++walk.next) {
        const PointLists::Entry& e = *walk.next;
        const CloudPoints::Row r = points_[e.point];
        const Fallen s = fallen(r);
        const V3f away = camera_.position() - s.place;
        const float distance = away.length();
        // What a pixel covers there, across the way to it.
        const float covers = pixel_ * pixel_ * s.depth * s.depth * (s.depth / std::max(distance, 1e-12f));
        float weight = 1.0f;
        if (r.cloud->look().splat != CloudMaterial::Splat::Nearest)
            weight = weightAt(s, *r.cloud, r.row, walk.x + from_.x, walk.y + from_.y);
        const float own = points_.area(r) * weight / std::max(covers, 1e-30f);
        V3f taken;
        for (int c = 0; c < 3; ++c) taken[c] = -std::expm1(-own * r.cloud->lossToEye()[c]);
        const V3f seenOf = met.through * taken;
        if (!(std::max({seenOf.x, seenOf.y, seenOf.z}) > 0.0f)) continue;
        // Of many that are hardly seen some are asked, and count for the others.
        const float asked = std::max({seenOf.x, seenOf.y, seenOf.z}) / kSeen;
        if (asked >= 1.0f || drawnFor(r) < asked)
            turn(r, e.point, s.place, away / std::max(distance, 1e-12f), seenOf / std::min(asked, 1.0f), met);
        if (r.cloud->emits())
            met.own += seenOf * V3f(r.cloud->emission(r.row)), met.ownGroup = r.cloud->group();
        met.through -= seenOf;
        if (!met.cloud && 1.0f - luminance(met.through) > met.pick)
            met.cloud = r.cloud, met.row = r.row, met.place = s.place;
        if (std::max({met.through.x, met.through.y, met.through.z}) < kNothing) {
            met.through = V3f(0.0f);
            walk.next = walk.end;
            return;
        }
    }
}

}  // namespace ovrix::render
