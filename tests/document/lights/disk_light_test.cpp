// A glowing disk: what it gives, where it is met, and what becomes of it under odd matrices.
#include "base/random.h"
#include "document/edits/edits.h"
#include "render/light/lights.h"
#include "support.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;

namespace {

struct Disk {
    Document document = Document::fresh();
    std::string id;
    Disk() {
        const Node node = makeNode(document, "disk");
        id = node.id;
        document.put(node);
    }
    void set(const std::string& param, const std::string& text) {
        document = withText(document, id + "/" + param, text);
    }
    Light light() const { return light(document.worldMatrix(id, 1)); }
    Light light(const M44f& world) const {
        const NodeType& type = *findNodeType("disk");
        const ResolvedParams p(type.params, document.get(id).params, FieldContext{});
        return type.light(
            {document, document.get(id), 1, p, world, {}, {}, {}, [](const std::string&) { return 0u; }});
    }
};

/// Light on a face at a point, as samples of the light tell it.
double irradiance(const Light& light, const V3f& at, const V3f& normal, int count) {
    double sum = 0;
    for (int i = 0; i < count; ++i) {
        const Random4 r = random4(8, uint64_t(i), Stream::Place);
        const LightSample s = light.sample(at, r[0], r[1]);
        if (s.pdf > 0) sum += double(s.radiance.x) * std::max(0.0f, s.direction.dot(normal)) / double(s.pdf);
    }
    return sum / count;
}

}  // namespace

TEST_CASE("a disk light gives what its form factor says", "[lights]") {
    Disk d;
    d.set("radius", "0.7");
    d.set("position", "0,1.5,0");
    d.set("power", "10");
    // On its axis: pi times the radiance times the square of the sine of its half angle.
    const double exact = M_PI * 10 * 0.49 / (0.49 + 2.25);
    CHECK(irradiance(d.light(), V3f(0.0f), V3f(0, 1, 0), 20000) == Approx(exact).epsilon(0.01));
    d.set("exposure", "1");
    CHECK(irradiance(d.light(), V3f(0.0f), V3f(0, 1, 0), 20000) == Approx(2 * exact).epsilon(0.01));
    CHECK(irradiance(d.light(), V3f(0, 3, 0), V3f(0, -1, 0), 100) == 0);  // behind it is dark
}

TEST_CASE("a disk light is hit where it is sampled, sheared and mirrored ones too", "[lights]") {
    const Disk d;
    for (const float side : {1.0f, -1.0f}) {
        M44f world(side * 1.5f, 0.2f, 0, 0, 0, 1, 0.1f, 0, 0.6f, 0, 0.8f, 0, 0.1f, 2, -0.3f, 1);
        const Light light = d.light(world);
        const V3f from(0.4f, 0.1f, 0.2f);
        size_t middle = 0;
        for (uint64_t i = 0; i < 400; ++i) {
            const Random4 r = random4(3, i, Stream::Place);
            const LightSample s = light.sample(from, r[0], r[1]);
            REQUIRE(s.pdf > 0);
            const LightHit hit = light.hit(from, s.direction);
            // Samples at the very edge may be rounded past it.
            if (std::max(std::abs(2 * r[0] - 1), std::abs(2 * r[1] - 1)) > 0.9999f) continue;
            REQUIRE(hit.hit);
            CHECK(hit.distance == Approx(s.distance).epsilon(1e-4));
            CHECK(hit.pdf == Approx(s.pdf).epsilon(1e-3));
            middle += std::max(std::abs(2 * r[0] - 1), std::abs(2 * r[1] - 1)) < 0.5f;
        }
        // A quarter of the samples in a quarter of the area: 100 give or take four deviations of 8.7.
        CHECK(std::abs(double(middle) - 100) < 35);
        // A corner of the square about it is no part of it.
        V3f corner;
        world.multVecMatrix(V3f(0.45f, 0, 0.45f), corner);
        CHECK_FALSE(light.hit(from, (corner - from).normalized()).hit);
    }
}

TEST_CASE("a disk light without size gives nothing, and nothing that is no number", "[lights]") {
    const Disk d;
    M44f flat;
    flat.setScale(V3f(0, 1, 1));
    for (const M44f& world : {flat, M44f().setScale(V3f(0.0f))}) {
        const Light light = d.light(world);
        const LightSample s = light.sample(V3f(0, -1, 0), 0.3f, 0.6f);
        CHECK(s.pdf == 0);
        CHECK_FALSE(light.hit(V3f(0, -1, 0), V3f(0, 1, 0)).hit);
    }
    const ResolvedParams params(findNodeType("disk")->params, d.document.get(d.id).params, FieldContext{});
    const auto lines = findNodeType("disk")->outline({params});
    REQUIRE(lines.size() == 2);
    for (const V3f& p : lines[0]) CHECK(p.length() == Approx(0.5f));
}
