#include "render/trace/walk.h"

#include <limits>

#include "render/shade/microfacet.h"

namespace ovrix::render {

namespace {

/// The cosine of the angle that light is turned by.
float turnBy(float forward, float u) {
    if (std::abs(forward) < 1e-3f) return 1.0f - 2.0f * u;
    const float part = (1.0f - forward * forward) / (1.0f - forward + 2.0f * forward * u);
    return (1.0f + forward * forward - part * part) / (2.0f * forward);
}

V3f turned(const V3f& d, float cosine, float around) {
    V3f x, y;
    basis(d, x, y);
    const float s = std::sqrt(std::max(0.0f, 1.0f - cosine * cosine));
    return (d * cosine + x * (s * std::cos(2.0f * kPi * around)) + y * (s * std::sin(2.0f * kPi * around)))
        .normalized();
}

V3f through(const V3f& density, float distance) {
    return V3f(std::exp(-density.x * distance), std::exp(-density.y * distance),
               std::exp(-density.z * distance));
}

}  // namespace

Cloudy Cloudy::of(const Color& color, const V3f& radius, float forward) {
    Cloudy c;
    c.forward = within(forward, -0.95f, 0.95f);
    c.color = V3f(within(color.x, 0.0f, 1.0f), within(color.y, 0.0f, 1.0f), within(color.z, 0.0f, 1.0f));
    for (int k = 0; k < 3; ++k) {
        const float a = within(color[k], 0.0f, 1.0f);
        const float s = 4.09712f + 4.20863f * a - std::sqrt(9.59217f + 41.6808f * a + 17.7126f * a * a);
        c.albedo[k] = within((1.0f - s * s) / (1.0f - c.forward * s * s), 0.0f, 1.0f);
        c.density[k] = 1.0f / within(radius[k], 1e-6f, 1e6f);
    }
    return c;
}

std::optional<WalkEnd> walk(const Cloudy& m, const Ray& into, Sampler& sampler, V3f& weight,
                            const std::function<RayHit(const Ray&, float)>& meet) {
    constexpr int kMost = 2048, kSurely = 24;
    WalkEnd end{.hit = {}, .ray = into};
    for (int step = 0; step < kMost; ++step) {
        const auto r = sampler.next4();
        // Each colour is drawn as often as it counts.
        const V3f counts = weight * m.albedo;
        const float sum = counts.x + counts.y + counts.z;
        if (!(sum > 0.0f) || !std::isfinite(sum)) return std::nullopt;
        const V3f chance = counts / sum;
        const int drawn = r[0] < chance.x ? 0 : r[0] < chance.x + chance.y ? 1 : 2;
        const float distance = -std::log(1.0f - r[1]) / m.density[drawn];
        // The first ray looks as far as there is anything: what is not closed has no inside.
        end.hit = meet(end.ray, step == 0 ? std::numeric_limits<float>::infinity() : distance);
        if (step == 0 && !end.hit.hit()) {
            weight *= m.color;
            end.open = true;
            return end;
        }
        if (end.hit.hit() && end.hit.distance < distance) {
            const V3f left = through(m.density, end.hit.distance);
            weight *= left / std::max(1e-30f, chance.dot(left));
            return end;
        }
        const V3f left = through(m.density, distance) * m.density;
        weight *= m.albedo * left / std::max(1e-30f, chance.dot(left));
        if (step >= kSurely) {
            const float stay = std::min(1.0f, std::max({weight.x, weight.y, weight.z}));
            if (sampler.next4()[0] >= stay) return std::nullopt;
            weight /= stay;
        }
        end.ray.origin += end.ray.direction * distance;
        end.ray.direction = turned(end.ray.direction, turnBy(m.forward, r[2]), r[3]);
    }
    end.open = true;  // what would take too long comes out where it entered
    end.hit = {};
    return end;
}

}  // namespace ovrix::render
