#include "document/lights/area_light.h"

#include "document/lights/common.h"
#include "document/types/common.h"
#include "params/param_table.h"
#include "render/light/lights.h"

namespace ovrix::document {

using namespace specs;

namespace {

const struct AreaParams : ParamTable {
    EmissionParams emission{*this};
    Handle<double> width = add(number("width", "Width", 1, "m", 1e-6, 1e6, 0.05, 5, "Along its X"));
    Handle<double> height = add(number("height", "Height", 1, "m", 1e-6, 1e6, 0.05, 5, "Along its Z"));
    LightUseParams use{*this};
    TransformParams transform{*this};
} kArea;

}  // namespace

static std::vector<std::vector<V3f>> frameOf(const OutlineInput& in) {
    const ResolvedParams& p = in.params;
    const float x = float(p[kArea.width]) / 2, z = float(p[kArea.height]) / 2;
    return {{{-x, 0, -z}, {x, 0, -z}, {x, 0, z}, {-x, 0, z}, {-x, 0, -z}},
            {{0, 0, 0}, {0, -std::min(x, z), 0}}};
}

static Light quadLight(const LightInput& in) {
    const ResolvedParams& p = in.params;
    QuadLight q;
    const float w = float(p[kArea.width]), h = float(p[kArea.height]);
    in.world.multDirMatrix(V3f(w, 0, 0), q.side1);
    in.world.multDirMatrix(V3f(0, 0, h), q.side2);
    in.world.multVecMatrix(V3f(-w / 2, 0, -h / 2), q.corner);
    // X x Z points along -Y; where the light is mirrored its own -Y is on the other side.
    q.turn = in.world.determinant() < 0 ? -1.0f : 1.0f;
    const V3f n = q.side1.cross(q.side2) * q.turn;
    q.area = n.length();
    q.normal = q.area > 0 ? n / q.area : V3f(0, -1, 0);
    q.radiance = radianceOf(p, kArea.emission, q.area);
    return used(in, kArea.use, q);
}

NodeType areaLightType() {
    return {.id = "area",
            .title = "Area light",
            .category = Category::Light,
            .help = "A glowing rectangle that shines along its -Y",
            .params = kArea.specs(),
            .light = quadLight,
            .outline = frameOf,
            .sign = "light",
            .problem = [](const ResolvedParams& p) { return darkness(p, kArea.emission); }};
}

}  // namespace ovrix::document
