// A tube that shines all around.
#pragma once
#include "render/light/lights.h"

namespace ovrix::render {

/// The round side of a cylinder; its ends give no light. Points are drawn on the half that a place sees, even
/// by angle and along the axis. Inside it there is none.
struct TubeLight {
    V3f center, axis;  ///< axis: unit
    float half = 0, radius = 0;
    V3f radiance{0, 0, 0};

    /// Along X about the origin, under a matrix whose shear is left out.
    TubeLight(const M44f& world, float length, float r, const V3f& light = V3f(0.0f)) : radiance(light) {
        world.multVecMatrix(V3f(0.0f), center);
        world.multDirMatrix(V3f(0.5f * length, 0, 0), axis);
        half = axis.length();
        V3f across, up;
        world.multDirMatrix(V3f(0, r, 0), up);
        world.multDirMatrix(V3f(0, 0, r), across);
        radius = 0.5f * (up.length() + across.length());
        axis = half > 0 ? axis / half : V3f(1, 0, 0);
    }
    float area() const { return 4.0f * kPi * radius * half; }

    LightSample sample(const V3f& from, float u, float v) const {
        const Seen seen(*this, from);
        if (!seen.any()) return {};
        const float angle = (2.0f * u - 1.0f) * seen.reach;
        const V3f n = seen.towards * std::cos(angle) + axis.cross(seen.towards) * std::sin(angle);
        const V3f to = center + axis * (half * (2.0f * v - 1.0f)) + n * radius - from;
        const float distance = to.length();
        if (!(distance > 0.0f)) return {};
        LightSample s;
        s.direction = to / distance, s.distance = distance;
        const float cosine = -s.direction.dot(n);
        if (!(cosine > 0.0f)) return {};
        s.pdf = distance * distance / (cosine * seen.area);
        s.radiance = radiance;
        return s;
    }

    LightHit hit(const V3f& origin, const V3f& d) const {
        const Seen seen(*this, origin);
        if (!seen.any()) return {};
        const V3f o = origin - center - axis * (origin - center).dot(axis), w = d - axis * d.dot(axis);
        const float a = w.dot(w), b = o.dot(w), c = o.dot(o) - radius * radius, under = b * b - a * c;
        if (!(a > 1e-12f) || !(under > 0.0f)) return {};
        const float t = (-b - std::sqrt(under)) / a;
        const V3f at = origin + d * t - center;
        if (!(t > 0.0f) || std::abs(at.dot(axis)) > half) return {};
        const V3f n = (at - axis * at.dot(axis)) / radius;
        const float cosine = -d.dot(n);
        if (!(cosine > 0.0f)) return {};
        LightHit h;
        h.hit = true, h.distance = t, h.radiance = radiance;
        h.pdf = t * t / (cosine * seen.area);
        return h;
    }

    LightBounds bounds() const {
        LightBounds b;
        V3f most;
        for (int k = 0; k < 3; ++k)
            most[k] = half * std::abs(axis[k]) + radius * std::sqrt(std::max(0.0f, 1.0f - axis[k] * axis[k]));
        b.box = Box3f(center - most, center + most);
        b.axis = axis;
        b.power = kPi * area() * luminance(radiance);
        return b;
    }

  private:
    /// What of it a place sees: the angles about the direction to that place, and their area.
    struct Seen {
        V3f towards{0, 0, 0};
        float reach = 0, area = 0;
        Seen(const TubeLight& tube, const V3f& from) {
            const V3f way = from - tube.center, out = way - tube.axis * way.dot(tube.axis);
            const float away = out.length();
            if (!(away > tube.radius) || !(tube.radius > 0.0f) || !(tube.half > 0.0f)) return;
            towards = out / away;
            reach = std::acos(std::min(1.0f, tube.radius / away));
            area = 4.0f * reach * tube.radius * tube.half;
        }
        bool any() const { return area > 0.0f; }
    };
};

}  // namespace ovrix::render
