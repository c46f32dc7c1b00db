#include "document/lights/disk_light.h"

#include "document/lights/common.h"
#include "document/types/common.h"
#include "params/param_table.h"
#include "render/light/lights.h"

namespace ovrix::document {

using namespace specs;

namespace {

const struct DiskParams : ParamTable {
    EmissionParams emission{*this};
    Handle<double> radius = add(number("radius", "Radius", 0.5, "m", 1e-6, 1e6, 0.05, 5, "Size of the disk"));
    TransformParams transform{*this};
} kDisk;

/// An ellipse that shines to one side: what a disk becomes under any matrix.
struct DiskLight {
    V3f center, axis1, axis2, normal;  ///< two half diameters, which a shear leaves at an angle
    float area = 0;
    V3f radiance{0, 0, 0};

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

Light diskLight(const LightInput& in) {
    DiskLight l;
    const float r = float(in.params[kDisk.radius]);
    in.world.multVecMatrix(V3f(0.0f), l.center);
    in.world.multDirMatrix(V3f(r, 0, 0), l.axis1);
    in.world.multDirMatrix(V3f(0, 0, r), l.axis2);
    // X x Z points along -Y; where the light is mirrored its own -Y is on the other side.
    const V3f n = l.axis1.cross(l.axis2) * (in.world.determinant() < 0 ? -1.0f : 1.0f);
    l.area = kPi * n.length();
    l.normal = n.length() > 0 ? n.normalized() : V3f(0, -1, 0);
    l.radiance = radianceOf(in.params, kDisk.emission);
    return l;
}

std::vector<std::vector<V3f>> outline(const OutlineInput& in) {
    const ResolvedParams& p = in.params;
    const float r = float(p[kDisk.radius]);
    return {circle(r, {1, 0, 0}, {0, 0, 1}), {{0, 0, 0}, {0, -r, 0}}};
}

}  // namespace

NodeType diskLightType() {
    return {.id = "disk",
            .title = "Disk light",
            .category = Category::Light,
            .help = "A glowing disk that shines along its -Y",
            .params = kDisk.specs(),
            .light = diskLight,
            .outline = outline,
            .sign = "light",
            .problem = [](const ResolvedParams& p) { return darkness(p, kDisk.emission); }};
}

}  // namespace ovrix::document
