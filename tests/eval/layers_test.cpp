// Layers among layers: links, references, cycles, layers on copies.
#include "base/error.h"
#include "eval/overlay.h"
#include "eval/two_layers.h"
#include "ops/points/keep_apart.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;

namespace {

std::span<const V3f> positions(const LayerResult& r) {
    return std::get<std::shared_ptr<const Copies>>(r.geometry)->attributes.find<V3f>("P");
}

float nearest(std::span<const V3f> cloud, const V3f& p) {
    float best = 1e9f;
    for (const V3f& q : cloud) best = std::min(best, (p - q).length());
    return best;
}

}  // namespace

TEST_CASE("a mask by distance keeps a layer off another one, and follows it", "[layers]") {
    Two s;
    s.maskByDistance(s.b, {s.a}, {0.1, 0.1});
    const LayerResult near = s.eval(s.a), far = s.eval(s.b);
    REQUIRE(far.ok);
    CHECK(elementCount(far.geometry) > 20);
    for (const V3f& p : positions(far)) REQUIRE(nearest(positions(near), p) >= 0.0999f);
    const size_t runs = s.evaluator.stepsRun();
    s.eval(s.b);
    CHECK(s.evaluator.stepsRun() == runs);
    s.set(s.a + "/scatter/seed", "5");  // the other layer moves: this one is computed again
    CHECK(s.eval(s.b).hash != far.hash);
    for (const V3f& p : positions(s.eval(s.b))) REQUIRE(nearest(positions(s.eval(s.a)), p) >= 0.0999f);
    s.set(s.a + "/material", "");
    const LayerResult same = s.eval(s.b);
    s.set(s.plane + "/name", "Floor");  // what cannot be seen in the result changes nothing
    CHECK(s.eval(s.b).hash == same.hash);
}

TEST_CASE("layers that depend on each other are refused, and the cycle is named", "[layers]") {
    Two s;
    s.set(s.a + "/name", "Shells");
    s.set(s.b + "/name", "Stones");
    s.maskByDistance(s.a, {s.b}, {0, 1});
    CHECK(s.error(s.a).empty());
    s.maskByDistance(s.b, {s.a}, {0, 1});
    CHECK(s.error(s.a).find("Shells \u2192 Stones \u2192 Shells") != std::string::npos);
    CHECK(s.error(s.b).find("depends on itself") != std::string::npos);
    s.maskByDistance(s.b, {s.b}, {0, 1});
    CHECK(s.error(s.b).find("Stones \u2192 Stones") != std::string::npos);
    s.document = withValue(s.document, {s.b, "", "surface"}, s.b);
    CHECK(s.error(s.b).find("depends on itself") != std::string::npos);
    const auto overlay =
        makeOverlay(s.document, {s.b, "scatter", "mask"}, s.evaluator, {1}, Progress::none());
    CHECK(overlay->error.find("depends on itself") != std::string::npos);
}

TEST_CASE("keeping apart looks at the other layer's footprints", "[layers]") {
    Two s;
    s.document = withStep(s.document, s.b, 4, makeStep("keep_apart", s.document.get(s.b)));
    s.document = withValue(s.document, {s.b, "keep_apart", "from"}, Refs{s.a});
    const LayerResult a = s.eval(s.a), b = s.eval(s.b);
    REQUIRE(b.ok);
    CHECK(elementCount(b.geometry) > 20);
    CHECK(elementCount(b.geometry) < 500);
    const std::vector<float> radius = {0.05f};
    const Footprints fa = footprintsOf(*std::get<std::shared_ptr<const Copies>>(a.geometry), radius);
    const Footprints fb = footprintsOf(*std::get<std::shared_ptr<const Copies>>(b.geometry), radius);
    for (size_t i = 0; i < fb.center.size(); ++i) {
        for (size_t j = 0; j < fa.center.size(); ++j)
            REQUIRE((fb.center[i] - fa.center[j]).length() >= (fb.radius[i] + fa.radius[j]) * 0.999f);
        for (size_t j = 0; j < i; ++j)
            REQUIRE((fb.center[i] - fb.center[j]).length() >= (fb.radius[i] + fb.radius[j]) * 0.999f);
    }
    s.set(s.ball + "/radius", "0.02");  // a smaller prototype leaves room for more
    CHECK(elementCount(s.eval(s.b).geometry) > elementCount(b.geometry));
    s.document = withValue(s.document, {s.b, "keep_apart", "from"}, Refs{"gone"});
    CHECK(s.error(s.b).find("gone") != std::string::npos);
}

TEST_CASE("a layer lies on the copies of another one", "[layers]") {
    Two s;
    s.set(s.a + "/scatter/count", "12");
    s.set(s.a + "/vary_size/between", "1..1");
    s.document = withValue(s.document, {s.b, "", "surface"}, s.a);
    const LayerResult stones = s.eval(s.a), pebbles = s.eval(s.b);
    REQUIRE(pebbles.ok);
    REQUIRE(elementCount(pebbles.geometry) == 500);
    for (const V3f& p : positions(pebbles)) {
        float off = 1.0f;  // from the skin of some ball
        for (const V3f& q : positions(stones)) off = std::min(off, std::abs((p - q).length() - 0.05f));
        REQUIRE(off < 2e-4f);
    }
    CHECK(s.document.layersOn(s.a).size() == 1);
    // The surface of copies is asked for in memory like all else.
    s.set(s.a + "/scatter/count", "2000000");
    s.set("scene/memory", "0.5");
    CHECK(s.error(s.b).find("limit") != std::string::npos);
    // A layer of bare points gives nothing to lie on.
    s.set(s.a + "/scatter/count", "12");
    s.document = withoutStep(s.document, s.a, "copies_of");
    CHECK(s.error(s.b).find("makes no copies") != std::string::npos);
    CHECK_FALSE(withoutNode(s.document, s.a).find(s.b));
}

TEST_CASE("a linked layer follows the recipe, keeps its own values, and can be unlinked", "[layers][link]") {
    Two s;
    std::string linked;
    s.document = withLinkedLayer(s.document, s.a, s.plane, &linked);
    CHECK(s.eval(linked).hash == s.eval(s.a).hash);
    CHECK(s.document.get(linked).steps.empty());

    s.set(linked + "/scatter/seed", "77");  // its own
    CHECK(isOwnValue(s.document, {linked, "scatter", "seed"}));
    CHECK_FALSE(isOwnValue(s.document, {linked, "scatter", "count"}));
    s.set(s.a + "/scatter/count", "321");  // shared
    CHECK(elementCount(s.eval(linked).geometry) == 321);
    CHECK(s.eval(linked).hash != s.eval(s.a).hash);
    s.set(s.a + "/scatter/seed", "3");
    CHECK(std::get<int64_t>(paramAt(s.document, {linked, "scatter", "seed"}).value) == 77);
    // A step that is added or taken out in one is in both.
    s.document = withStep(s.document, linked, 4, makeStep("keep_apart", s.document.get(s.a)));
    CHECK(s.document.get(s.a).step("keep_apart"));
    CHECK(s.eval(linked).steps.size() == 5);
    // A field of its own.
    s.document = withField(s.document, {linked, "scatter", "mask"},
                           std::make_shared<Field>(Field{{makeSource("noise")}}));
    CHECK(elementCount(s.eval(linked).geometry) < 321);
    s.document = withSharedValue(s.document, {linked, "scatter", "mask"});
    s.document = withSharedValue(s.document, {linked, "scatter", "seed"});
    CHECK(s.eval(linked).hash == s.eval(s.a).hash);
    CHECK(s.document.get(linked).steps.empty());

    s.set(linked + "/orient/seed", "8");
    const uint64_t before = s.eval(linked).hash;
    s.document = withUnlinked(s.document, linked);
    CHECK(s.eval(linked).hash == before);
    s.set(s.a + "/scatter/count", "10");
    CHECK(s.eval(linked).hash == before);
}

TEST_CASE("links survive what happens to the layer they follow", "[layers][link]") {
    Two s;
    std::string first, second;
    s.document = withLinkedLayer(s.document, s.a, s.plane, &first);
    s.set(first + "/scatter/seed", "5");
    s.document = withLinkedLayer(s.document, first, s.plane, &second);  // follows the same recipe
    CHECK(recipeOwner(s.document, s.document.get(second)).id == s.a);
    CHECK(s.eval(second).hash == s.eval(first).hash);
    const uint64_t before = s.eval(second).hash;
    Document without = withoutNode(s.document, s.a);
    CHECK(without.get(second).steps.size() == 4);
    CHECK(s.evaluator.layer(without, second, {1, Purpose::Render, false}, Progress::none()).hash == before);
    // A circle of links counts as none.
    s.document = withValue(s.document, {s.a, "", "linked"}, first);
    CHECK(recipeOwner(s.document, s.document.get(s.a)).id == s.a);
    CHECK(s.eval(s.a).ok);
    CHECK_THROWS_AS(withLinkedLayer(s.document, s.ball, s.plane), Error);
}

TEST_CASE("a step changes its type and keeps what both have", "[edits]") {
    Two s;
    s.document = withField(s.document, {s.a, "scatter", "mask"},
                           std::make_shared<Field>(Field{{makeSource("slope")}}));
    s.set(s.a + "/scatter/seed", "12");
    s.document = withStepReplaced(s.document, s.a, "scatter", "spread");
    CHECK(s.document.get(s.a).steps[0].type == "spread");
    CHECK(paramAt(s.document, {s.a, "spread", "mask"}).field);
    CHECK(std::get<int64_t>(paramAt(s.document, {s.a, "spread", "seed"}).value) == 12);
    CHECK(s.eval(s.a).ok);
    CHECK(replacementsOf(*s.document.get(s.a).step("spread")).size() == 8);
}

TEST_CASE("removing a node clears references in fields, and no choice that reads alike", "[edits]") {
    Two s;
    Node object = makeNode(s.document, "plane", "Object");
    REQUIRE(object.id == "object");
    s.document.put(object);
    s.maskByDistance(s.b, {object.id, s.plane}, {0, 1});
    s.set(s.b + "/orient/up", "object");
    s.document = withoutNode(s.document, object.id);
    CHECK(std::get<std::string>(paramAt(s.document, {s.b, "orient", "up"}).value) == "object");
    const Param keep = paramAt(s.document, {s.b, "scatter", "mask"});
    CHECK(std::get<Refs>(keep.field->sources[0].params.at("to").value) == Refs{"", s.plane});
}
