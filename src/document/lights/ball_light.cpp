#include "document/lights/ball_light.h"

#include "document/lights/common.h"
#include "document/types/common.h"
#include "render/light/lights.h"

namespace ovrix::document {

using namespace specs;

static std::vector<std::vector<V3f>> ringsOf(const OutlineInput& in) {
    const ResolvedParams& p = in.params;
    const float r = float(p.number("radius"));
    return {circle(r, {1, 0, 0}, {0, 0, 1}), circle(r, {1, 0, 0}, {0, 1, 0}),
            circle(r, {0, 1, 0}, {0, 0, 1})};
}

static Light ballLight(const LightInput& in) {
    const ResolvedParams& p = in.params;
    BallLight b;
    in.world.multVecMatrix(V3f(0.0f), b.center);
    b.radius = float(p.number("radius")) * std::cbrt(std::abs(in.world.determinant()));
    b.radiance = radianceOf(p);
    return b;
}

NodeType ballLightType() {
    return {.id = "ball",
            .title = "Sphere light",
            .category = Category::Light,
            .help = "A glowing ball",
            .params = Specs{exposureSpec(), powerSpec(), tintSpec(),
                            number("radius", "Radius", 0.1, "m", 1e-6, 1e6, 0.01, 2, "Size of the ball")} +
                      transformSpecs(),
            .light = ballLight,
            .outline = ringsOf,
            .sign = "light",
            .problem = darkness};
}

}  // namespace ovrix::document
