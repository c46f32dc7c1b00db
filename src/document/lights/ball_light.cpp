#include "document/lights/ball_light.h"

#include "document/lights/common.h"
#include "document/types/common.h"
#include "params/param_table.h"
#include "render/light/lights.h"

namespace ovrix::document {

using namespace specs;

namespace {

const struct BallParams : ParamTable {
    EmissionParams emission{*this};
    Handle<double> radius = add(number("radius", "Radius", 0.1, "m", 1e-6, 1e6, 0.01, 2, "Size of the ball"));
    LightUseParams use{*this};
    TransformParams transform{*this};
} kBall;

}  // namespace

static std::vector<std::vector<V3f>> ringsOf(const OutlineInput& in) {
    const ResolvedParams& p = in.params;
    const float r = float(p[kBall.radius]);
    return {circle(r, {1, 0, 0}, {0, 0, 1}), circle(r, {1, 0, 0}, {0, 1, 0}),
            circle(r, {0, 1, 0}, {0, 0, 1})};
}

static Light ballLight(const LightInput& in) {
    const ResolvedParams& p = in.params;
    BallLight b;
    in.world.multVecMatrix(V3f(0.0f), b.center);
    b.radius = float(p[kBall.radius]) * std::cbrt(std::abs(in.world.determinant()));
    b.radiance = radianceOf(p, kBall.emission, 4.0f * kPi * b.radius * b.radius);
    return used(in, kBall.use, b);
}

NodeType ballLightType() {
    return {.id = "ball",
            .title = "Sphere light",
            .category = Category::Light,
            .help = "A glowing ball",
            .params = kBall.specs(),
            .light = ballLight,
            .outline = ringsOf,
            .sign = "light",
            .problem = [](const ResolvedParams& p) { return darkness(p, kBall.emission); }};
}

}  // namespace ovrix::document
