// A lamp that shines through a cone.
#include "base/random.h"
#include "document/edits/edits.h"
#include "render/light/disk.h"
#include "support.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;

namespace {

Light lamp(const char* type, const std::vector<std::pair<const char*, const char*>>& params) {
    Document d = Document::fresh();
    const Node node = makeNode(d, type);
    d.put(node);
    for (const auto& [param, text] : params) d = withText(d, node.id + "/" + param, text);
    const NodeType& known = *findNodeType(type);
    const ResolvedParams p(known.params, d.get(node.id).params, FieldContext{});
    return known.light(
        {d, d.get(node.id), 1, p, d.worldMatrix(node.id, 1), {}, {}, {}, [](const std::string&) {
             return 0u;
         }});
}

/// Light on a floor that faces up at a point, as samples of the light tell it.
double irradiance(const Light& light, const V3f& at) {
    double sum = 0;
    constexpr int kDraws = 4000;
    for (int i = 0; i < kDraws; ++i) {
        const Random4 r = random4(8, uint64_t(i), Stream::Place);
        const LightSample s = light.sample(at, r[0], r[1]);
        if (s.pdf > 0) sum += double(s.radiance.x) * double(std::max(0.0f, s.direction.y)) / double(s.pdf);
    }
    return sum / kDraws;
}

}  // namespace

TEST_CASE("a spot light is a disk light within its cone, and dark outside", "[lights]") {
    const Light spot =
        lamp("spot", {{"position", "0,2,0"}, {"cone", "60"}, {"softness", "0.5"}, {"radius", "0.02"}});
    const Light disk = lamp("disk", {{"position", "0,2,0"}, {"radius", "0.02"}});
    const auto at = [](float degrees) { return V3f(2 * std::tan(degrees * kPi / 180), 0, 0); };
    for (const float within : {0.0f, 7.0f, 14.0f})
        CHECK(irradiance(spot, at(within)) == Approx(irradiance(disk, at(within))));
    const double half =
        irradiance(spot, at(22.5f)) / irradiance(disk, at(22.5f));  // between 15 and 30 degrees
    CHECK(half > 0.4);
    CHECK(half < 0.65);
    CHECK(irradiance(spot, at(31)) == 0.0);
    CHECK(irradiance(spot, V3f(0, 4, 0)) == 0.0);
    const Light hard =
        lamp("spot", {{"position", "0,2,0"}, {"cone", "60"}, {"softness", "0"}, {"radius", "0.001"}});
    CHECK(irradiance(hard, at(29.8f)) ==
          Approx(irradiance(lamp("disk", {{"position", "0,2,0"}, {"radius", "0.001"}}), at(29.8f))));
    CHECK(irradiance(hard, at(30.2f)) == 0.0);
}

TEST_CASE("a spot light is met as it is sampled", "[lights]") {
    const Light spot =
        lamp("spot", {{"position", "0.3,2,0.1"}, {"rotation", "20,0,10"}, {"radius", "0.4"}, {"cone", "90"}});
    const V3f from(0.4f, 0.1f, 0.2f);
    for (uint64_t i = 0; i < 300; ++i) {
        const Random4 r = random4(3, i, Stream::Place);
        const LightSample s = spot.sample(from, 0.02f + 0.96f * r[0], 0.02f + 0.96f * r[1]);
        if (!(s.pdf > 0)) continue;
        const LightHit hit = spot.hit(from, s.direction);
        REQUIRE(hit.hit);
        CHECK(hit.distance == Approx(s.distance).epsilon(1e-4));
        CHECK(hit.pdf == Approx(s.pdf).epsilon(1e-3));
        CHECK(hit.radiance.x == Approx(s.radiance.x).epsilon(1e-3).margin(1e-6));
    }
}
