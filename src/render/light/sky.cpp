#include "render/light/sky.h"

#include "base/parallel.h"

namespace ovrix::render {

namespace {

constexpr double kEarth = 6371e3, kTop = 6471e3, kEye = kEarth + 50.0;  // metres
constexpr double kAirHeight = 8e3, kHazeHeight = 1.2e3;
const V3d kAir(5.802e-6, 13.558e-6, 33.1e-6);    // scattering at sea level, per metre
const V3d kOzone(0.650e-6, 1.881e-6, 0.085e-6);  // absorption in its layer, per metre
constexpr double kHazeAmount = 3.996e-6, kHazeLost = 4.4e-6;

double toSphere(const V3d& p, const V3d& d, double radius) {
    const double b = p.dot(d), c = p.dot(p) - radius * radius, under = b * b - c;
    return under < 0 ? -1.0 : -b + std::sqrt(under);
}

bool meetsGround(const V3d& p, const V3d& d) {
    const double b = p.dot(d), c = p.dot(p) - kEarth * kEarth;
    return b < 0 && b * b - c > 0;
}

double ozoneAt(double height) { return std::max(0.0, 1.0 - std::abs(height - 25e3) / 15e3); }

/// Optical depth per colour from p along d to the top of the air.
V3d depthAlong(const V3d& p, const V3d& d, double haze) {
    constexpr int kSteps = 24;
    const double step = toSphere(p, d, kTop) / kSteps;
    V3d depth(0.0);
    for (int i = 0; i < kSteps; ++i) {
        const double height = std::max(0.0, (p + d * (step * (i + 0.5))).length() - kEarth);
        depth += (kAir * std::exp(-height / kAirHeight) +
                  V3d(kHazeLost * haze * std::exp(-height / kHazeHeight)) + kOzone * ozoneAt(height)) *
                 step;
    }
    return depth;
}

V3d fade(const V3d& depth) { return V3d(std::exp(-depth.x), std::exp(-depth.y), std::exp(-depth.z)); }

/// What is left of the sun's light at a height, for each angle of the sun: looked up instead of integrated
/// anew along every ray.
class SunTable {
  public:
    explicit SunTable(double haze) : left_(size_t(kHeights) * kAngles) {
        parallelRanges(kHeights, 1, Progress::none(), [&](size_t begin, size_t end) {
            for (size_t h = begin; h < end; ++h)
                for (int a = 0; a < kAngles; ++a) {
                    const double mu = angleAt(a), height = heightAt(int(h));
                    const V3d d(std::sqrt(1 - mu * mu), mu, 0), p(0, kEarth + height, 0);
                    left_[h * kAngles + size_t(a)] =
                        meetsGround(p, d) ? V3d(0.0) : fade(depthAlong(p, d, haze));
                }
        });
    }
    V3d at(double height, double mu) const {
        const double y = std::sqrt(std::clamp(height / (kTop - kEarth), 0.0, 1.0)) * (kHeights - 1);
        const double x = (std::copysign(std::sqrt(std::abs(mu)), mu) + 1.0) * 0.5 * (kAngles - 1);
        const int j = std::min(int(y), kHeights - 2), i = std::clamp(int(x), 0, kAngles - 2);
        const double fy = y - j, fx = x - i;
        return (cell(j, i) * (1 - fx) + cell(j, i + 1) * fx) * (1 - fy) +
               (cell(j + 1, i) * (1 - fx) + cell(j + 1, i + 1) * fx) * fy;
    }

  private:
    static constexpr int kHeights = 32, kAngles = 129;
    static double heightAt(int j) {
        return (kTop - kEarth) * double(j * j) / double((kHeights - 1) * (kHeights - 1));
    }
    static double angleAt(int i) {  // finer near the horizon
        const double t = 2.0 * i / (kAngles - 1) - 1.0;
        return std::copysign(t * t, t);
    }
    const V3d& cell(int j, int i) const { return left_[size_t(j) * kAngles + size_t(i)]; }
    std::vector<V3d> left_;
};

/// Radiance from direction d for a sun of 1 in direction sun.
V3d skyRadiance(const V3d& d, const V3d& sun, double haze, const SunTable& table) {
    constexpr int kSteps = 32;
    const V3d eye(0, kEye, 0);
    const double length = toSphere(eye, d, kTop);
    const double mu = d.dot(sun), g = 0.78;
    const double airPhase = 3.0 / (16.0 * M_PI) * (1 + mu * mu);
    const double hazePhase = 3.0 / (8.0 * M_PI) * (1 - g * g) * (1 + mu * mu) /
                             ((2 + g * g) * std::pow(1 + g * g - 2 * g * mu, 1.5));
    V3d light(0.0), passed(0.0);
    double before = 0.0;
    for (int i = 0; i < kSteps; ++i) {
        const double end = length * std::pow((i + 1.0) / kSteps, 2.0),
                     step = end - before;  // finer near the eye
        const V3d p = eye + d * (before + 0.5 * step);
        before = end;
        const double height = std::max(0.0, p.length() - kEarth);
        const V3d air = kAir * std::exp(-height / kAirHeight);
        const double mist = haze * std::exp(-height / kHazeHeight);
        passed += (air + V3d(kHazeLost * mist) + kOzone * ozoneAt(height)) * step;
        const V3d scattering = air * airPhase + V3d(kHazeAmount * mist * hazePhase);
        const V3d even = (air + V3d(kHazeAmount * mist)) / (4.0 * M_PI);
        const V3d sunlight = table.at(height, p.dot(sun) / p.length());
        const V3d again = V3d(0.25) * std::clamp(sun.y * 2.0 + 0.35, 0.0, 1.0);
        light += (scattering * sunlight + even * again * sunlight.length()) * fade(passed) * step;
    }
    return light;
}

}  // namespace

V3f sunDirection(float elevation, float azimuth) {
    return V3f(std::cos(elevation) * std::sin(azimuth), std::sin(elevation),
               std::cos(elevation) * std::cos(azimuth));
}

Color sunThroughAir(float elevation, float haze) {
    const V3d d(std::cos(double(elevation)), std::sin(double(elevation)), 0), eye(0, kEye, 0);
    if (meetsGround(eye, d)) return Color(0.0f);
    return Color(V3f(fade(depthAlong(eye, d, double(haze)))));
}

std::shared_ptr<const Image> makeSky(const SkyOptions& o) {
    constexpr int kWidth = 256, kHeight = 128;
    auto image = std::make_shared<Image>();
    image->width = kWidth;
    image->height = kHeight;
    image->pixels.resize(size_t(kWidth) * kHeight * 4);
    const V3d sun(sunDirection(o.elevation, o.azimuth));
    const SunTable table(double(o.haze));
    std::vector<V3f> rows(size_t(kWidth) * kHeight);
    parallelRanges(kHeight / 2, 1, Progress::none(), [&](size_t begin, size_t end) {
        for (size_t y = begin; y < end; ++y)
            for (int x = 0; x < kWidth; ++x) {
                const double theta = M_PI * (double(y) + 0.5) / kHeight,
                             phi = 2 * M_PI * ((x + 0.5) / kWidth - 0.5);
                const V3d d(std::sin(theta) * std::sin(phi), std::cos(theta),
                            std::sin(theta) * std::cos(phi));
                rows[y * kWidth + size_t(x)] = V3f(skyRadiance(d, sun, double(o.haze), table));
            }
    });
    V3d onGround = V3d(sunThroughAir(o.elevation, o.haze)) * std::max(0.0, sun.y);
    for (size_t y = 0; y < kHeight / 2; ++y) {
        const double theta = M_PI * (double(y) + 0.5) / kHeight;
        for (size_t x = 0; x < kWidth; ++x)
            onGround += V3d(rows[y * kWidth + x]) *
                        (std::sin(theta) * std::cos(theta) * M_PI / kHeight * 2 * M_PI / kWidth);
    }
    const V3f ground = V3f(onGround / M_PI) * V3f(o.ground);
    for (int y = 0; y < kHeight; ++y)
        for (int x = 0; x < kWidth; ++x) {
            // The first row below the horizon is still sky, or the horizon would blend into the ground.
            const V3f c =
                y <= kHeight / 2 ? rows[size_t(std::min(y, kHeight / 2 - 1)) * kWidth + size_t(x)] : ground;
            half* p = &image->pixels[4 * (size_t(y) * kWidth + size_t(x))];
            p[0] = c.x, p[1] = c.y, p[2] = c.z, p[3] = 1.0f;
        }
    return image;
}

}  // namespace ovrix::render
