#include "document/objects/ground.h"

#include <cmath>

#include "document/types/common.h"
#include "geo/mesh/primitives.h"
#include "params/param_table.h"

namespace ovrix::document {

using namespace specs;

namespace {

const struct GroundParams : ParamTable {
    Handle<double> reach = add(number("reach", "Reach", 5000, "m", 1, 1e6, 100, 20000,
                                      "How far it goes: seen from a man's height the horizon is 5 km away"));
    ObjectParams object{*this};
} kGround;

/// Rows of faces lie as far apart as they are away, from a few centimetres in the middle on. Its UVs are
/// metres, so that pictures repeat alike everywhere.
MeshPtr makeGround(float reach) {
    constexpr int kDivisions = 96;
    constexpr float kNearest = 0.05f;  // metres that the inner faces are wide
    const float steps = 0.5f * float(kDivisions);
    const float rate = std::log1p(std::max(reach, 1.0f) / (kNearest * steps)) * 1.2f;
    const auto out = [&](float u) {
        const float s = 2.0f * u - 1.0f;
        return std::copysign(reach * std::expm1(rate * std::abs(s)) / std::expm1(rate), s);
    };
    const MeshPtr grid =
        makeGrid(kDivisions, kDivisions, [&](float u, float v) { return V3f(out(u), 0, -out(v)); });
    auto mesh = std::make_shared<Mesh>(*grid);
    std::vector<V2f> uv;
    uv.reserve(mesh->cornerPoint.size());
    for (uint32_t c = 0; c < mesh->cornerPoint.size(); ++c) {
        const V3f p = mesh->cornerPosition(c);
        uv.push_back(V2f(p.x, -p.z));
    }
    mesh->corners.set("uv", std::move(uv));
    mesh->finish();
    return mesh;
}

}  // namespace

NodeType groundType() {
    return {
        .id = "ground",
        .title = "Ground",
        .category = Category::Object,
        .help = "Flat to the horizon, with small faces near its middle and large ones far away",
        .params = kGround.specs(),
        .make =
            [](const ObjectInput& in) { return ObjectShape{makeGround(float(in.params[kGround.reach]))}; },
        .problem = flatness};
}

}  // namespace ovrix::document
