// Fog that thins out with height.
#pragma once
#include <algorithm>
#include <cmath>
#include <limits>

#include "base/vec.h"

namespace ovrix::render {

/// Its density falls by e with each @ref falloff metres up from its base, and is even below; so what lies
/// along a ray is known in closed form, and so is where along it a given depth is reached. It takes all
/// colours alike; what it gives back is tinted. A value, thread safe.
struct Fog {
    float density = 0.0f;  ///< a metre, at the base and below; 0 for no fog
    float base = 0.0f;     ///< height in the world, metres
    float falloff = 20.0f;
    V3f color{1, 1, 1};    ///< of each scattering, from 0 to 1
    float forward = 0.0f;  ///< see phase()
    bool on() const { return density > 0.0f; }

    /// Optical depth of a ray's first @p distance metres.
    float depth(const V3f& origin, const V3f& direction, float distance) const {
        const float turn = crossing(origin, direction);
        if (origin.y < base)
            return density * std::min(distance, turn) +
                   (distance > turn ? above(density, direction.y, distance - turn) : 0.0f);
        const float first = above(densityAt(origin.y), direction.y, std::min(distance, turn));
        return distance > turn ? first + density * (distance - turn) : first;
    }
    /// What of light comes through.
    float through(const V3f& origin, const V3f& direction, float distance) const {
        return on() ? std::exp(-depth(origin, direction, distance)) : 1.0f;
    }
    /// How far along a ray it has that depth; infinite where it never has.
    float distanceAt(const V3f& origin, const V3f& direction, float wanted) const {
        if (!on()) return kNever;
        const float turn = crossing(origin, direction);
        if (origin.y < base) {
            if (wanted <= density * turn) return wanted / density;
            return turn + aboveAt(density, direction.y, wanted - density * turn);
        }
        const float first = std::isfinite(turn) ? above(densityAt(origin.y), direction.y, turn) : kNever;
        if (wanted <= first) return aboveAt(densityAt(origin.y), direction.y, wanted);
        return turn + (wanted - first) / density;
    }

  private:
    static constexpr float kNever = std::numeric_limits<float>::infinity();
    float densityAt(float height) const {
        return density * std::exp(std::max((base - height) / falloff, -80.0f));
    }
    /// How far along a ray it comes to the height of the base.
    float crossing(const V3f& origin, const V3f& direction) const {
        const bool crosses = origin.y < base ? direction.y > 0.0f : direction.y < 0.0f;
        return crosses ? (base - origin.y) / direction.y : kNever;
    }
    /// Above the base: depth of so many metres from where it is so dense, as the ray rises by @p rise a
    /// metre.
    float above(float here, float rise, float distance) const {
        const float k = rise / falloff;
        if (!std::isfinite(distance)) return k > 1e-12f ? here / k : kNever;
        if (std::abs(k) * distance < 1e-3f)  // almost level, or short: two terms of the series
            return here * distance * (1.0f - 0.5f * k * distance);
        return here * (1.0f - std::exp(std::clamp(-k * distance, -80.0f, 80.0f))) / k;
    }
    /// Its inverse.
    float aboveAt(float here, float rise, float wanted) const {
        const float k = rise / falloff, level = wanted / here;
        if (std::abs(k) * level < 1e-3f) return level * (1.0f + 0.5f * k * level);
        const float left = 1.0f - k * level;
        return left > 0.0f ? -std::log(left) / k : kNever;
    }
};

}  // namespace ovrix::render
