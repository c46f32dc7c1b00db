#include "document/lights/tube_light.h"

#include "document/lights/common.h"
#include "document/types/common.h"
#include "params/param_table.h"
#include "render/light/tube.h"

namespace ovrix::document {

using namespace specs;

namespace {

const struct TubeParams : ParamTable {
    EmissionParams emission{*this};
    Handle<double> length = add(number("length", "Length", 1.2, "m", 1e-6, 1e6, 0.05, 5, "Along its X"));
    Handle<double> radius = add(number("radius", "Radius", 0.02, "m", 1e-6, 1e6, 0.002, 0.5, "Of the tube"));
    LightUseParams use{*this};
    TransformParams transform{*this};
} kTube;

Light tubeLight(const LightInput& in) {
    TubeLight tube(in.world, float(in.params[kTube.length]), float(in.params[kTube.radius]));
    tube.radiance = radianceOf(in.params, kTube.emission, tube.area());
    return used(in, kTube.use, tube);
}

std::vector<std::vector<V3f>> tubeOutline(const OutlineInput& in) {
    const ResolvedParams& p = in.params;
    const float r = float(p[kTube.radius]), half = 0.5f * float(p[kTube.length]);
    std::vector<std::vector<V3f>> lines;
    for (const float end : {-half, half}) {
        lines.push_back(circle(r, {0, 1, 0}, {0, 0, 1}));
        for (V3f& v : lines.back()) v.x = end;
    }
    for (const V3f& side : {V3f(0, 1, 0), V3f(0, -1, 0), V3f(0, 0, 1), V3f(0, 0, -1)})
        lines.push_back({side * r + V3f(-half, 0, 0), side * r + V3f(half, 0, 0)});
    return lines;
}

}  // namespace

NodeType tubeLightType() {
    return {.id = "tube",
            .title = "Tube light",
            .category = Category::Light,
            .help = "A glowing tube along its X, which shines all around",
            .params = kTube.specs(),
            .light = tubeLight,
            .outline = tubeOutline,
            .sign = "light",
            .problem = [](const ResolvedParams& p) { return darkness(p, kTube.emission); }};
}

}  // namespace ovrix::document
