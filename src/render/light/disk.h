// A disk that shines to one side, whole or through a cone.
#pragma once
#include "render/light/lights.h"

namespace ovrix::render {

/// An ellipse that shines to one side: what a disk becomes under any matrix.
struct DiskLight {
    V3f center, axis1, axis2, normal;  ///< two half diameters, which a shear leaves at an angle
    float area = 0;
    V3f radiance{0, 0, 0};

    /// A disk in the plane of X and Z about the origin, which shines along -Y, under a matrix.
    DiskLight(const M44f& world, float radius, const V3f& light = V3f(0.0f)) : radiance(light) {
        world.multVecMatrix(V3f(0.0f), center);
        world.multDirMatrix(V3f(radius, 0, 0), axis1);
        world.multDirMatrix(V3f(0, 0, radius), axis2);
        // X x Z points along -Y; where the light is mirrored its own -Y is on the other side.
        const V3f n = axis1.cross(axis2) * (world.determinant() < 0 ? -1.0f : 1.0f);
        area = kPi * n.length();
        normal = n.length() > 0 ? n.normalized() : V3f(0, -1, 0);
    }

    /// Even over the area. Rings of equal area keep samples that are well spread so (Shirley and Chiu,
    /// "A Low Distortion Map Between Disk and Square", JGT 2(3), 1997, doi:10.1080/10867651.1997.10487479).
    LightSample sample(const V3f& from, float u, float v) const {
        const float x = 2 * u - 1, y = 2 * v - 1;
        V2f at(0.0f);
        if (x != 0.0f || y != 0.0f) {
            const bool wide = std::abs(x) > std::abs(y);
            const float r = wide ? x : y, a = wide ? kPi / 4 * (y / x) : kPi / 2 - kPi / 4 * (x / y);
            at = V2f(r * std::cos(a), r * std::sin(a));
        }
        return sampleOfFlat(center + axis1 * at.x + axis2 * at.y - from, normal, area, radiance);
    }

    LightBounds bounds() const {
        V3f half;  // of an ellipse, along each axis
        for (int k = 0; k < 3; ++k) half[k] = std::hypot(axis1[k], axis2[k]);
        return boundsOfFlat(Box3f(center - half, center + half), normal, area, radiance);
    }

    LightHit hit(const V3f& origin, const V3f& d) const {
        const float t = alongToFlat(origin, d, center, normal);
        if (t <= 0.0f) return {};
        const V3f local = origin + d * t - center;
        const float whole = axis1.cross(axis2).dot(normal);
        const float a = local.cross(axis2).dot(normal) / whole, b = axis1.cross(local).dot(normal) / whole;
        if (a * a + b * b > 1.0f) return {};
        return hitOfFlat(t, d, normal, area, radiance);
    }
};

/// A disk whose light is kept to a cone about its normal.
struct SpotLight {
    DiskLight disk;
    float cosEdge, cosFull;  ///< of the angles at which there is no light any more, and all of it
    std::shared_ptr<const Image> image = nullptr;  ///< what it throws, across the square about its cone
    V3f right{1, 0, 0}, up{0, 0, 1};               ///< of that

    /// Of its light what goes that way.
    V3f thrown(const V3f& direction) const {
        const float part = partAt(direction), ahead = direction.dot(disk.normal);
        if (!image || !(part > 0.0f) || !(ahead > 1e-6f)) return V3f(part);
        const float edge = std::sqrt(std::max(0.0f, 1.0f - cosEdge * cosEdge)) / std::max(cosEdge, 1e-3f);
        const float x = direction.dot(right) / (ahead * edge), y = direction.dot(up) / (ahead * edge);
        return V3f(image->sampleWithin(0.5f + 0.5f * x, 0.5f + 0.5f * y)) * part;
    }
    float partAt(const V3f& direction) const {
        const float t = (direction.dot(disk.normal) - cosEdge) / std::max(1e-6f, cosFull - cosEdge);
        const float s = std::clamp(t, 0.0f, 1.0f);
        return s * s * (3.0f - 2.0f * s);
    }
    LightSample sample(const V3f& from, float u, float v) const {
        LightSample s = disk.sample(from, u, v);
        s.radiance *= thrown(-s.direction);
        return s;
    }
    LightHit hit(const V3f& origin, const V3f& d) const {
        LightHit h = disk.hit(origin, d);
        h.radiance *= thrown(-d);
        return h;
    }
    LightBounds bounds() const {
        LightBounds b = disk.bounds();
        b.cosEdge = cosEdge;
        b.power *= 1.0f - cosEdge * cosEdge;  // of an even glow, that within the cone
        return b;
    }
};

}  // namespace ovrix::render
