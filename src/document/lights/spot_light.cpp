#include "document/lights/spot_light.h"

#include "base/image.h"
#include "document/lights/common.h"
#include "document/types/common.h"
#include "params/param_table.h"
#include "render/light/disk.h"

namespace ovrix::document {

using namespace specs;

namespace {

const struct SpotParams : ParamTable {
    EmissionParams emission{*this};
    Handle<double> cone =
        add(number("cone", "Cone", 40, "deg", 0.1, 179, 5, 120, "From edge to edge of its light"));
    Handle<double> softness = add(unitNumber("softness", "Softness", 0.25,
                                             "Fraction of the cone over which its light fades at the edge"));
    Handle<double> radius = add(number("radius", "Radius", 0.05, "m", 1e-6, 1e6, 0.005, 0.5,
                                       "Of its opening: larger, softer shadows"));
    Handle<std::string> image =
        add(specs::file("image", "Image", "A picture that it throws, as a projector does"));
    Handle<std::string> space = add(choice("space", "Colour space", "sRGB", colorSpaceNames(),
                                           "The space that the file's numbers are in"));
    LightUseParams use{*this};
    TransformParams transform{*this};
} kSpot;

Light spotLight(const LightInput& in) {
    const float half = radians(float(in.params[kSpot.cone]) * 0.5f);
    const float full = half * (1.0f - float(in.params[kSpot.softness]));
    DiskLight disk(in.world, float(in.params[kSpot.radius]));
    disk.radiance = radianceOf(in.params, kSpot.emission, disk.area);
    SpotLight spot{.disk = disk, .cosEdge = std::cos(half), .cosFull = std::cos(full)};
    if (const std::string& file = in.params[kSpot.image]; !file.empty()) {
        spot.image = in.image(file, in.params[kSpot.space]);
        in.world.multDirMatrix(V3f(1, 0, 0), spot.right);
        in.world.multDirMatrix(V3f(0, 0, 1), spot.up);
        spot.right.normalize(), spot.up.normalize();
    }
    return used(in, kSpot.use, spot);
}

/// The opening, and the edges of the cone for ten of its radii.
std::vector<std::vector<V3f>> spotOutline(const OutlineInput& in) {
    const ResolvedParams& p = in.params;
    const float r = float(p[kSpot.radius]), half = radians(float(p[kSpot.cone]) * 0.5f);
    const float down = 10.0f * r * std::cos(half), wide = r + 10.0f * r * std::sin(half);
    std::vector<V3f> end = circle(wide, {1, 0, 0}, {0, 0, 1});
    for (V3f& v : end) v.y = -down;
    std::vector<std::vector<V3f>> lines = {circle(r, {1, 0, 0}, {0, 0, 1}), std::move(end)};
    for (const V3f& side : {V3f(1, 0, 0), V3f(-1, 0, 0), V3f(0, 0, 1), V3f(0, 0, -1)})
        lines.push_back({side * r, side * wide + V3f(0, -down, 0)});
    return lines;
}

}  // namespace

NodeType spotLightType() {
    return {.id = "spot",
            .title = "Spot light",
            .category = Category::Light,
            .help = "A lamp that shines through a cone along its -Y",
            .params = kSpot.specs(),
            .light = spotLight,
            .outline = spotOutline,
            .sign = "light",
            .problem = [](const ResolvedParams& p) { return darkness(p, kSpot.emission); }};
}

}  // namespace ovrix::document
