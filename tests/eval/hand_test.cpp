// Single elements changed by hand.
#include "base/error.h"
#include "document/file/scene_file.h"
#include "eval/evaluator.h"
#include "eval/manual_work.h"
#include "eval/pick/element_pick.h"
#include "ops/points/by_hand.h"
#include "support.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;

namespace {

struct Hand {
    Document document = Document::fresh();
    std::string plane, ball, ring, layer;
    Evaluator evaluator;
    Hand() {
        Node p = makeNode(document, "plane"), b = makeNode(document, "sphere"),
             t = makeNode(document, "torus");
        plane = p.id, ball = b.id, ring = t.id;
        for (Node* n : {&p, &b, &t}) document.put(*n);
        document = withLayer(document, plane, ball, &layer);
        set("scatter/count", "50");
    }
    void set(const std::string& path, const std::string& value) {
        document = withText(document, layer + "/" + path, value);
    }
    std::shared_ptr<const Copies> copies() {
        const LayerResult r = evaluator.layer(document, layer, {1, Purpose::Render, false}, Progress::none());
        REQUIRE(r.ok);
        return std::get<std::shared_ptr<const Copies>>(r.geometry);
    }
    void edit(uint64_t id, const std::function<void(ManualEdit&)>& change) {
        ManualEdit e = manualEditOf(document, layer, id);
        change(e);
        document = withManualEdit(document, layer, [&](ManualEdits& all) { all.put(e); });
    }
    std::optional<size_t> index(uint64_t id) {
        const auto all = copies();
        const auto ids = all->attributes.find<uint64_t>("id");
        const auto it = std::find(ids.begin(), ids.end(), id);
        return it == ids.end() ? std::nullopt : std::optional(size_t(it - ids.begin()));
    }
    V3f place(uint64_t id) { return copies()->attributes.find<V3f>("P")[*index(id)]; }
};

}  // namespace

TEST_CASE("edits by hand survive a count of twice and back, and masks", "[hand]") {
    Hand s;
    const V3f before = s.place(7);
    s.edit(7, [](ManualEdit& e) { e.move = V3f(0.1f, 0.2f, 0); });
    s.edit(9, [](ManualEdit& e) { e.removed = true; });
    const auto once = s.copies();
    CHECK(once->size() == 49);
    CHECK((s.place(7) - before - V3f(0.1f, 0.2f, 0)).length() < 1e-6f);
    s.set("scatter/count", "100");
    CHECK(s.copies()->size() == 99);
    CHECK((s.place(7) - before - V3f(0.1f, 0.2f, 0)).length() < 1e-6f);
    CHECK_FALSE(s.index(9));
    s.set("scatter/count", "50");
    CHECK(s.copies()->attributes == once->attributes);
    s.set("scatter/count", "5");  // the element is not there now; its edit waits
    CHECK(s.copies()->size() == 5);
    s.set("scatter/count", "50");
    CHECK(s.copies()->attributes == once->attributes);
    s.edit(9, [](ManualEdit& e) { e.removed = false; });
    CHECK(s.copies()->size() == 50);
}

TEST_CASE("elements are turned, sized and replaced", "[hand]") {
    Hand s;
    const float scale = s.copies()->attributes.find<float>("scale")[*s.index(3)];
    s.edit(3, [&](ManualEdit& e) {
        e.turn = Quatf(std::cos(kPi / 4), V3f(0, std::sin(kPi / 4), 0));
        e.size = 2;
        e.prototype = s.ring;
    });
    const auto copies = s.copies();
    const size_t i = *s.index(3);
    CHECK(copies->attributes.find<float>("scale")[i] == Approx(2 * scale));
    CHECK(copies->prototypes[size_t(copies->attributes.find<int32_t>("prototype")[i])] == s.ring);
    CHECK(copies->prototypes.size() == 2);
    CHECK(std::abs(copies->attributes.find<Quatf>("orient")[i].length() - 1) < 1e-5f);
}

TEST_CASE("elements are placed, stand on the surface and can be taken out again", "[hand]") {
    Hand s;
    uint64_t a = 0, b = 0;
    s.document = withPlaced(s.document, s.layer, s.ring, V3f(0.3f, 0, 0.2f), V3f(0, 0, 1), &a);
    s.document = withPlaced(s.document, s.layer, s.ball, V3f(0, 0, 0), V3f(0, -1, 0), &b);
    CHECK(a >= kFirstAddedId);
    CHECK(b == a + 1);
    const auto copies = s.copies();
    CHECK(copies->size() == 52);
    CHECK(s.place(a) == V3f(0.3f, 0, 0.2f));
    const V3f up = rotate(copies->attributes.find<Quatf>("orient")[*s.index(a)], V3f(0, 1, 0));
    CHECK((up - V3f(0, 0, 1)).length() < 1e-5f);
    s.edit(a, [](ManualEdit& e) { e.removed = true; });
    CHECK(s.copies()->size() == 51);
    CHECK(std::get<ManualEdits>(paramAt(s.document, {s.layer, "by_hand", "edits"}).value).list.size() == 1);
    CHECK(readScene(writeScene(s.document)) == s.document);
}

TEST_CASE("made real, an element stands where it stood and has left the layer", "[hand]") {
    Hand s;
    s.set("orient/tilt", "30..60");
    s.document = withText(s.document, s.ball + "/rotation", "10,20,30");
    s.document = withText(s.document, s.ball + "/scale", "1,2,3");
    const auto copies = s.copies();
    const uint64_t id = 11;
    const size_t i = *s.index(id);
    // The prototype's own turn and size, then those of the copy.
    const M44f expected = transformMatrix(V3f(0.0f), V3f(10, 20, 30), V3f(1, 2, 3)) *
                          ElementPlaces(copies->attributes).matrix(i);
    std::vector<std::string> made;
    s.document = withMadeReal(s.document, s.layer, *copies, {&id, 1}, &made);
    REQUIRE(made.size() == 1);
    const M44f actual = s.document.worldMatrix(made[0], 1);
    for (int r = 0; r < 4; ++r)
        for (int c = 0; c < 4; ++c) CHECK(actual[r][c] == Approx(expected[r][c]).margin(2e-4));
    CHECK_FALSE(s.index(id));
    const uint64_t none = 999;
    CHECK_THROWS_AS(withMadeReal(s.document, s.layer, *copies, {&none, 1}), Error);
}

TEST_CASE("a ray finds the nearest element, and misses where there is none", "[hand]") {
    Copies copies;
    copies.prototypes = {"a"};
    copies.attributes.set("P", std::vector<V3f>{{0, 0, -5}, {0, 0, -3}, {4, 0, -3}});
    copies.attributes.set("orient", std::vector<Quatf>(3));
    copies.attributes.set("scale", std::vector<float>{1, 0.5f, 1});
    copies.attributes.set("prototype", std::vector<int32_t>(3, 0));
    copies.attributes.set("id", std::vector<uint64_t>{10, 20, 30});
    const std::vector<Box3f> boxes = {Box3f(V3f(-1.0f), V3f(1.0f))};
    const auto hit = elementAt(copies, boxes, V3f(0.0f), V3f(0, 0, -1));
    REQUIRE(hit);
    CHECK(hit->id == 20);
    CHECK(hit->distance == Approx(2.5f));
    CHECK(elementAt(copies, boxes, V3f(4, 0.9f, 0), V3f(0, 0, -1))->id == 30);
    CHECK_FALSE(elementAt(copies, boxes, V3f(0.0f), V3f(0, 0, 1)));
    CHECK(elementAt(copies, boxes, V3f(0, 0.8f, 0), V3f(0, 0, -1))->id == 10);  // over the small one
    CHECK_FALSE(elementAt(copies, {}, V3f(0.0f), V3f(0, 0, -1)));
}

TEST_CASE("edits of a layer without copies are refused", "[hand]") {
    Hand s;
    s.document = withoutStep(s.document, s.layer, "copies_of");
    CHECK_THROWS_WITH(withPlaced(s.document, s.layer, s.ball, V3f(0.0f), V3f(0, 1, 0)),
                      Catch::Contains("makes no copies"));
}
