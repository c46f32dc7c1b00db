#include "render/light/lights.h"

#include <algorithm>
#include <limits>
#include <optional>

#include "render/light/spherical_rectangle.h"

namespace ovrix::render {

constexpr float kFar = std::numeric_limits<float>::infinity();

/// A direction within a cone around @p axis, evenly by solid angle.
static V3f inCone(const V3f& axis, float cosAngle, float u, float v) {
    const float c = 1.0f - u * (1.0f - cosAngle), s = std::sqrt(std::max(0.0f, 1.0f - c * c)),
                phi = 2 * kPi * v;
    V3f t, b;
    basis(axis, t, b);
    return t * (s * std::cos(phi)) + b * (s * std::sin(phi)) + axis * c;
}

static float conePdf(float cosAngle) { return 1.0f / (2.0f * kPi * std::max(1e-9f, 1.0f - cosAngle)); }

LightSample SunLight::sample(const V3f&, float u, float v) const {
    return {inCone(direction, cosAngle, u, v), kFar, conePdf(cosAngle), radiance};
}

LightHit SunLight::hit(const V3f&, const V3f& d) const {
    if (d.dot(direction) < cosAngle) return {};
    return {radiance, kFar, conePdf(cosAngle), true};
}

LightSample sampleOfFlat(const V3f& to, const V3f& normal, float area, const V3f& radiance) {
    const float distance2 = to.dot(to), distance = std::sqrt(distance2);
    if (!(distance > 0.0f) || !(area > 0.0f)) return {};
    const V3f d = to / distance;
    const float cosine = -d.dot(normal);
    if (!(cosine > 0.0f)) return {};
    return {d, distance, distance2 / (cosine * area), radiance};
}

float alongToFlat(const V3f& origin, const V3f& d, const V3f& point, const V3f& normal) {
    const float cosine = -d.dot(normal);
    return cosine > 0.0f ? std::max(0.0f, (origin - point).dot(normal) / cosine) : 0.0f;
}

LightHit hitOfFlat(float t, const V3f& d, const V3f& normal, float area, const V3f& radiance) {
    const float cosine = -d.dot(normal);
    if (!(t > 0.0f) || !(area > 0.0f)) return {};
    return {radiance, t, t * t / (cosine * area), true};
}

LightBounds boundsOfFlat(const Box3f& box, const V3f& normal, float area, const V3f& radiance) {
    return {.box = box, .axis = normal, .cosFaces = 1.0f, .power = kPi * area * luminance(radiance)};
}

LightBounds SunLight::bounds() const {
    return {.power = 2.0f * kPi * (1.0f - cosAngle) * luminance(radiance), .far = true};
}

LightBounds QuadLight::bounds() const {
    Box3f box;
    for (int k = 0; k < 4; ++k) box.extendBy(corner + side1 * float(k & 1) + side2 * float(k >> 1));
    return boundsOfFlat(box, normal, area, radiance);
}

LightBounds BallLight::bounds() const {
    return {.box = Box3f(center - V3f(radius), center + V3f(radius)),
            .power = 4.0f * kPi * kPi * radius * radius * luminance(radiance)};
}

LightBounds DomeLight::bounds() const {
    return {.power = kPi * luminance(scale_) * (table_ ? table_->brightness() : 1.0f), .far = true};
}

/// Where its sides stand upright on one another, and it is seen so large that places of even area are not of
/// even solid angle.
static std::optional<SphericalRectangle> seenLarge(const QuadLight& q, const V3f& from) {
    constexpr float kUpright = 1e-4f, kLarge = 0.01f;
    constexpr double kLeast = 1e-4;  // steradians: at a slant there is less
    const float slant = q.side1.dot(q.side2), sides = q.side1.dot(q.side1) * q.side2.dot(q.side2);
    if (!(q.area > 0.0f) || slant * slant > kUpright * kUpright * sides) return std::nullopt;
    const V3f middle = q.corner + (q.side1 + q.side2) * 0.5f - from;
    if (q.area < kLarge * middle.dot(middle)) return std::nullopt;
    const SphericalRectangle seen(from, q.corner, q.side1, q.side2);
    return seen.angle() > kLeast ? std::optional(seen) : std::nullopt;
}

LightSample QuadLight::sample(const V3f& from, float u, float v) const {
    const auto seen = seenLarge(*this, from);
    if (!seen) return sampleOfFlat(corner + side1 * u + side2 * v - from, normal, area, radiance);
    LightSample s = sampleOfFlat(seen->at(u, v), normal, area, radiance);
    if (s.pdf > 0.0f) s.pdf = float(1.0 / seen->angle());
    return s;
}

LightHit QuadLight::hit(const V3f& origin, const V3f& d) const {
    const float t = alongToFlat(origin, d, corner, normal);
    if (t <= 0.0f) return {};
    const V3f local = origin + d * t - corner;
    const float a = local.cross(side2).dot(normal) / area * turn,
                b = side1.cross(local).dot(normal) / area * turn;
    if (a < 0 || a > 1 || b < 0 || b > 1) return {};
    LightHit hit = hitOfFlat(t, d, normal, area, radiance);
    if (!hit.hit) return hit;
    if (const auto seen = seenLarge(*this, origin)) hit.pdf = float(1.0 / seen->angle());
    return hit;
}

/// Cosine of the cone in which a ball is seen; rounding-safe for small and far balls.
static float ballCone(const BallLight& l, float distance2) {
    return std::sqrt(std::max(0.0f, 1.0f - l.radius * l.radius / distance2));
}

static float ballDistance(const BallLight& l, const V3f& origin, const V3f& d) {
    const V3f to = l.center - origin;
    const float along = to.dot(d), off2 = (to - d * along).dot(to - d * along),
                under = l.radius * l.radius - off2;
    return along - std::sqrt(std::max(0.0f, under));
}

static float ballPdf(const BallLight& l, float distance2) {
    const float sin2 = l.radius * l.radius / distance2;
    // For narrow cones 1 - cos loses all digits: use its series.
    const float oneMinusCos =
        sin2 < 1e-3f ? 0.5f * sin2 * (1.0f + 0.25f * sin2) : 1.0f - ballCone(l, distance2);
    return 1.0f / (2.0f * kPi * oneMinusCos);
}

LightSample BallLight::sample(const V3f& from, float u, float v) const {
    const V3f to = center - from;
    const float distance2 = to.dot(to);
    if (distance2 <= radius * radius) return {};
    const V3f d = inCone(to / std::sqrt(distance2), ballCone(*this, distance2), u, v);
    return {d, ballDistance(*this, from, d), ballPdf(*this, distance2), radiance};
}

LightHit BallLight::hit(const V3f& origin, const V3f& d) const {
    const V3f to = center - origin;
    const float along = to.dot(d), distance2 = to.dot(to);
    const V3f off = to - d * along;
    if (along <= 0.0f || off.dot(off) > radius * radius || distance2 <= radius * radius) return {};
    return {radiance, ballDistance(*this, origin, d), ballPdf(*this, distance2), true};
}

LightSample DomeLight::sample(const V3f&, float u, float v) const {
    float pdf = 0;
    const V3f d = sample(u, v, pdf);
    return {d, kFar, pdf, radiance(d)};
}

LightHit DomeLight::hit(const V3f&, const V3f& d) const { return {radiance(d), kFar, pdf(d), true}; }

static size_t pick(const float* cumulated, size_t count, float u, float& rest) {
    const size_t i =
        std::min(size_t(std::upper_bound(cumulated, cumulated + count, u) - cumulated), count - 1);
    const float low = i ? cumulated[i - 1] : 0.0f, width = cumulated[i] - low;
    rest = width > 0 ? std::clamp((u - low) / width, 0.0f, 0.99999994f) : 0.5f;
    return i;
}

DomeTable::DomeTable(std::shared_ptr<const Image> image) : image_(std::move(image)) {
    width_ = image_->width;
    height_ = image_->height;
    const size_t w = size_t(width_), h = size_t(height_);
    const auto brightness = [&](size_t x, size_t y) {
        const Color c = image_->color(int(x), int(y));
        return double(std::max(0.0f, c.x) + std::max(0.0f, c.y) + std::max(0.0f, c.z));
    };
    // Between pixels the picture runs straight: over a pixel its mean takes an eighth of each neighbour's.
    std::vector<double> flat(w * h), mean(w * h);
    for (size_t y = 0; y < h; ++y)
        for (size_t x = 0; x < w; ++x)
            flat[y * w + x] = 0.75 * brightness(x, y) +
                              0.125 * (brightness((x + 1) % w, y) + brightness((x + w - 1) % w, y));
    for (size_t y = 0; y < h; ++y)
        for (size_t x = 0; x < w; ++x)
            mean[y * w + x] = 0.75 * flat[y * w + x] + 0.125 * (flat[std::min(y + 1, h - 1) * w + x] +
                                                                flat[(y > 0 ? y - 1 : 0) * w + x]);
    cells_.resize(w * h);
    density_.resize(w * h);
    rows_.resize(h);
    double all = 0;
    std::vector<double> rowSum(h, 0.0);
    for (size_t y = 0; y < h; ++y) {
        const double top = std::cos(M_PI * double(y) / double(h)),
                     bottom = std::cos(M_PI * double(y + 1) / double(h));
        const double solid = 2 * M_PI / double(w) * (top - bottom);
        for (size_t x = 0; x < w; ++x) {
            double& weight = mean[y * w + x];
            density_[y * w + x] = float(weight + 1e-6);
            weight = (weight + 1e-6) * solid;
            rowSum[y] += weight;
        }
        all += rowSum[y];
    }
    brightness_ = float(all / (12.0 * M_PI));  // of three colours
    double sum = 0;
    for (size_t y = 0; y < h; ++y) {
        double inRow = 0;
        for (size_t x = 0; x < w; ++x) {
            cells_[y * w + x] = float((inRow += mean[y * w + x]) / rowSum[y]);
            density_[y * w + x] = float(double(density_[y * w + x]) / all);
        }
        rows_[y] = float((sum += rowSum[y]) / all);
    }
}

V2f DomeTable::sample(float u, float v, float& pdf) const {
    float restY, restX;
    const size_t y = pick(rows_.data(), rows_.size(), v, restY);
    const size_t x = pick(&cells_[y * size_t(width_)], size_t(width_), u, restX);
    pdf = density_[y * size_t(width_) + x];
    return V2f(float(x) + restX, float(y) + restY);
}

DomeLight::DomeLight(std::shared_ptr<const DomeTable> table, const V3f& scale, float turn)
    : table_(std::move(table)), scale_(scale), turn_(turn) {}

V3f DomeLight::pixelDirection(float x, float y) const {
    // Even by solid angle within a row: rows are bands between two cosines.
    const float width = float(table_->image().width), height = float(table_->image().height);
    const float band = std::min(std::floor(y), height - 1), top = std::cos(kPi * band / height),
                bottom = std::cos(kPi * (band + 1) / height);
    const float c = lerp(top, bottom, y - band), s = std::sqrt(std::max(0.0f, 1.0f - c * c));
    const float phi = 2 * kPi * (x / width - 0.5f) + turn_;
    return V3f(s * std::sin(phi), c, s * std::cos(phi));
}

namespace {

void pixelOf(const V3f& d, float turn, float& u, float& v) {
    u = (std::atan2(d.x, d.z) - turn) / (2 * kPi) + 0.5f;
    u -= std::floor(u);
    v = std::acos(std::clamp(d.y, -1.0f, 1.0f)) / kPi;
}

}  // namespace

V3f DomeLight::radiance(const V3f& d) const {
    if (!table_) return scale_;
    float u, v;
    pixelOf(d, turn_, u, v);
    // The poles do not wrap: keep half a pixel away from them, or the sample reaches the other one.
    const float margin = 0.5f / float(table_->image().height);
    return V3f(table_->image().sample(u, 1.0f - std::clamp(v, margin, 1.0f - margin))) * scale_;
}

V3f DomeLight::sample(float u, float v, float& pdf) const {
    if (!table_) {
        pdf = 1.0f / (4 * kPi);
        const float c = 1 - 2 * u, s = std::sqrt(std::max(0.0f, 1 - c * c));
        return V3f(s * std::cos(2 * kPi * v), c, s * std::sin(2 * kPi * v));
    }
    const V2f place = table_->sample(u, v, pdf);
    return pixelDirection(place.x, place.y);
}

float DomeLight::pdf(const V3f& d) const {
    if (!table_) return 1.0f / (4 * kPi);
    float u, v;
    pixelOf(d, turn_, u, v);
    const int w = table_->image().width, h = table_->image().height;
    return table_->density(std::clamp(int(u * float(w)), 0, w - 1), std::clamp(int(v * float(h)), 0, h - 1));
}

}  // namespace ovrix::render
