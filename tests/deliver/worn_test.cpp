// What the view shows of materials.
#include "deliver/worn.h"

#include "deliver/studio.h"
#include "geo/points/elements.h"
#include "render/light/sky.h"
#include "render/trace/shading.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;

namespace {

struct InView : Studio {
    std::string material = add("surface");
    WornLooks looks{evaluator};
    InView() { wear(material); }
    Worn now(double frame = 1) {
        Evaluator::Query query(evaluator, scene(), {frame, Purpose::Viewport, true}, Progress::none());
        const ObjectResult object = evaluator.object(scene(), ball, frame, Progress::none());
        const Worn worn = looks.ofObject(query, document.get(ball), object.mesh);
        looks.dropUnused();
        if (worn.places) CHECK(worn.places->size() == object.mesh->cornerPoint.size());
        return worn;
    }
};

}  // namespace

TEST_CASE("what is worn is the material's numbers, as screens have them", "[worn]") {
    SurfaceMaterial m;
    m.base.high = Color(1.0f, 0.2145f, 0.0f);  // a half as screens have it
    m.roughness.high = 0.2f, m.metalness.high = 1.0f, m.coatWeight.high = 0.4f, m.opacity.high = 0.0f;
    const V3f place(0.0f);
    Samples one(1);
    one.with(channel::position, {&place, 1});
    WornPlace w = wornOver(m, one)[0];
    CHECK(w.color == std::array<uint8_t, 3>{255, 128, 0});
    CHECK(int(w.roughness) == 51);
    CHECK(int(w.metalness) == 255);
    CHECK(int(w.coat) == 102);
    CHECK(int(w.clear) == 0);
    CHECK(int(w.opacity) == 0);
    // With another over it, flesh, light, and what is no number.
    auto over = std::make_shared<SurfaceMaterial>();
    over->base.high = Color(0.0f);
    m.over = over, m.overWeight.high = 0.5f;
    CHECK(int(wornOver(m, one)[0].metalness) == 128);
    m.over = nullptr;
    m.luminance.high = 1e9f;
    CHECK(wornOver(m, one)[0].color == std::array<uint8_t, 3>{255, 255, 255});
    m.luminance.high = NAN;
    m.base.high = Color(NAN, INFINITY, -1.0f);
    w = wornOver(m, one)[0];  // anything, but no crash
    CHECK(w.roughness == 51);
}

TEST_CASE("a look is kept until what it is made from changes", "[worn]") {
    InView s;
    const Worn first = s.now();
    REQUIRE(first.places);
    CHECK(s.now().stamp == first.stamp);
    s.add("sun");
    CHECK(s.now().stamp == first.stamp);
    s.set(s.material + "/base_color", "1,0,0");
    const Worn red = s.now();
    CHECK(red.stamp != first.stamp);
    CHECK(red.places->front().color[0] == 255);
    CHECK(red.places->front().color[1] == 0);
    // By a field, in the order of corners.
    FieldSource height = makeSource("formula");
    height.params["formula"].value = std::string("y > 0");
    s.document =
        withField(s.document, {s.material, "", "base_color"}, std::make_shared<Field>(Field{{height}}));
    const Worn half = s.now();
    const MeshPtr mesh = s.evaluator.object(s.scene(), s.ball, 1, Progress::none()).mesh;
    for (uint32_t c = 0; c < mesh->cornerPoint.size(); ++c) {
        const float y = mesh->cornerPosition(c).y;
        if (std::abs(y) > 1e-3f) REQUIRE(int((*half.places)[c].color[0]) == (y > 0 ? 255 : 0));
    }
    // What lies over it counts, and its changes; frames only where something moves.
    const std::string over = s.add("surface");
    s.set(s.material + "/over", over);
    const Worn covered = s.now();
    CHECK(covered.stamp != half.stamp);
    s.set(over + "/base_metalness", "1");
    const Worn metal = s.now();
    CHECK(metal.stamp != covered.stamp);
    CHECK(metal.places->front().metalness == 255);
    CHECK(s.now(7).stamp == metal.stamp);
    Param moving = paramAt(s.document, {over, "", "base_metalness"});
    moving.keys = {{1, 0.0, KeyEase::Linear}, {11, 1.0, KeyEase::Linear}};
    s.document = withParam(s.document, {over, "", "base_metalness"}, moving);
    const Worn early = s.now(1), late = s.now(6);
    CHECK(early.places->front().metalness == 0);
    CHECK(late.places->front().metalness == 128);
}

TEST_CASE("each slot of a mesh wears its own material", "[worn]") {
    InView s;
    writeFile(s.folder / "two.mtl", "newmtl red\nKd 1 0 0\nnewmtl green\nKd 0 1 0\n");
    writeFile(s.folder / "two.obj",
              "mtllib two.mtl\nv 0 0 0\nv 1 0 0\nv 0 1 0\nv 0 0 1\nv 1 0 1\nv 0 1 1\n"
              "usemtl red\nf 1 2 3\nusemtl green\nf 4 5 6\n");
    std::string id;
    s.document = withMeshFile(s.document, "two.obj", readMesh(s.folder / "two.obj", Progress::none()), &id);
    const MeshPtr mesh = s.evaluator.object(s.scene(), id, 1, Progress::none()).mesh;
    Evaluator::Query query(s.evaluator, s.scene(), {1, Purpose::Viewport, true}, Progress::none());
    const Worn worn = s.looks.ofObject(query, s.document.get(id), mesh);
    REQUIRE(worn.places);
    REQUIRE(worn.places->size() == mesh->cornerPoint.size());
    for (uint32_t c = 0; c < mesh->cornerPoint.size(); ++c)
        CHECK(int((*worn.places)[c].color[mesh->cornerPosition(c).z > 0.5f ? 1 : 0]) == 255);
}

TEST_CASE("a look that goes by other things follows them, and one that was cancelled is made later",
          "[worn]") {
    InView s;
    const std::string other = s.add("sphere");
    s.set(other + "/position", "10,0,0");
    FieldSource near = makeSource("distance");
    near.params["to"].value = Refs{other};
    s.document =
        withField(s.document, {s.material, "", "base_color"}, std::make_shared<Field>(Field{{near}}));
    const Worn far = s.now();
    CHECK(s.now().stamp == far.stamp);
    s.set(other + "/position", "0,0,0");
    CHECK(s.now().stamp != far.stamp);
    s.set(s.material + "/base_color", "0.1,0.2,0.3");
    Progress stopped;
    stopped.cancel();
    const ObjectResult object = s.evaluator.object(s.scene(), s.ball, 1, Progress::none());
    Evaluator::Query query(s.evaluator, s.scene(), {1, Purpose::Viewport, true}, stopped);
    CHECK_THROWS_AS(s.looks.ofObject(query, s.document.get(s.ball), object.mesh), Cancelled);
    CHECK(s.now().places);
}

TEST_CASE("copies wear a colour each, and what cannot be worked out costs nothing else", "[worn]") {
    InView s;
    writeFile(s.folder / "points.csv", "x,y,z,heat\n-1,0,0,0\n0,0,0,0.5\n1,0,0,1\n");
    Node layer = makeNode(s.document, "layer");
    layer.steps = {makeStep("from_file", layer)};
    layer.steps.push_back(makeStep("copies_of", layer));
    layer.steps[0].params["file"].value = std::string("points.csv");
    layer.steps[1].params["prototypes"].value = PrototypeMix{{s.ball, 1}};
    s.document.put(layer);
    FieldSource heat = makeSource("attribute");
    heat.params["name"].value = std::string("heat");
    s.set(s.material + "/base_color", "1,1,1");
    s.document =
        withField(s.document, {s.material, "", "base_color"}, std::make_shared<Field>(Field{{heat}}));
    const auto worn = [&] {
        const auto result =
            s.evaluator.layer(s.scene(), layer.id, {1, Purpose::Viewport, true}, Progress::none());
        const auto copies = std::get<std::shared_ptr<const Copies>>(result.geometry);
        Evaluator::Query query(s.evaluator, s.scene(), {1, Purpose::Viewport, true}, Progress::none());
        return s.looks.ofCopies(query, s.document.get(layer.id), copies, 0);
    };
    const Worn three = worn();
    REQUIRE(three.places);
    REQUIRE(three.places->size() == 3);
    CHECK((*three.places)[0].color[0] == 0);
    CHECK(int((*three.places)[1].color[0]) == 188);  // a half of light as screens have it
    CHECK((*three.places)[2].color[0] == 255);
    FieldSource image = makeSource("image");
    image.params["file"].value = std::string("gone.png");
    s.document =
        withField(s.document, {s.material, "", "base_color"}, std::make_shared<Field>(Field{{image}}));
    const Worn plain = worn();
    REQUIRE(plain.places);
    CHECK((*plain.places)[0].color[0] == 255);
    s.set(s.ball + "/material", s.add("fibre"));
    CHECK_FALSE(worn().places);
}

TEST_CASE("the view's light is the scene's, as bright as the neutral one", "[worn][lights]") {
    CHECK(viewLightOf({}) == ViewLight());
    const V3f to = V3f(1, 1, 0).normalized();
    const SunLight sun{.direction = to, .cosAngle = 0.9999f, .radiance = V3f(20000, 10000, 5000)};
    const DomeLight dome(nullptr, V3f(0.1f, 0.2f, 0.4f), 0);
    const std::vector<Light> both = {sun, dome,
                                     BallLight{.center = V3f(0.0f), .radius = 1, .radiance = V3f(1e6f)}};
    const ViewLight light = viewLightOf(both);
    CHECK(light.direction.dot(to) > 0.999f);
    CHECK(light.key.x > 3 * light.key.z);
    CHECK(light.above.z > 3 * light.above.x);
    const float neutral = luminance(ViewLight().key) + luminance(ViewLight().above);
    CHECK(luminance(light.key) + luminance(light.above) == Approx(neutral).epsilon(1e-3));
    const std::vector<Light> dark = {DomeLight(nullptr, V3f(0.0f), 0)},
                             broken = {DomeLight(nullptr, V3f(NAN), 0)};
    CHECK(viewLightOf(dark) == ViewLight());
    CHECK(viewLightOf(broken) == ViewLight());
}

namespace {

/// Blades on a ball, in a fibre material.
struct Coat : Studio {
    std::string layer, hair = add("fibre");
    WornLooks looks{evaluator};
    Coat() {
        Node n = makeNode(document, "layer");
        layer = n.id;
        n.params["surface"].value = ball;
        n.params["material"].value = hair;
        for (const char* step : {"scatter", "grow"}) n.steps.push_back(makeStep(step, n));
        document.put(std::move(n));
        set(layer + "/scatter/count", "300");
    }
    StrandsPtr strands() {
        const EvalOptions options{1, Purpose::Viewport, true};
        return std::get<StrandsPtr>(evaluator.layer(scene(), layer, options, Progress::none()).geometry);
    }
    Worn now() {
        Evaluator::Query query(evaluator, scene(), {1, Purpose::Viewport, true}, Progress::none());
        const StrandsPtr all = strands();
        const Worn worn = looks.ofStrands(query, document.get(layer), all, packedStrands(*all));
        looks.dropUnused();
        if (worn.places) CHECK(worn.places->size() == all->pointCount());
        return worn;
    }
    void dye(const std::string& param, const std::string& text) { set(hair + "/" + param, text); }
    void drive(const std::string& param, const std::string& formula) {
        FieldSource source = makeSource("formula");
        source.params["formula"].value = formula;
        document = withField(document, {hair, "", param}, std::make_shared<Field>(Field{{source}}));
    }
};

}  // namespace

TEST_CASE("strands wear their own colours in the order in which they are drawn", "[worn]") {
    Coat s;
    s.dye("coloured", "melanin");
    CHECK_FALSE(s.now().places);  // one colour is no look
    CHECK(s.now().stamp == s.now().stamp);
    // Some are grey: each as the render draws it.
    s.dye("grey", "0.5");
    const StrandsPtr all = s.strands();
    const PackedStrands packed = packedStrands(*all);
    const auto id = all->strands.find<uint64_t>("id");
    const Worn worn = s.now();
    REQUIRE(worn.places);
    size_t at = 0, grey = 0;
    for (const uint32_t strand : packed.order) {
        const bool white = ovrix::render::melaninOf(0.4f, 0.0f, 0.5f, id[strand]) == 0.0f;
        grey += white;
        for (size_t i = 0; i < all->pointsOf(strand); ++i, ++at)
            REQUIRE((int((*worn.places)[at].color[2]) > 200) == white);
    }
    CHECK(grey > 100);
    CHECK(grey < 200);
    // Along the strand, and by a column of it.
    s.dye("coloured", "colour");
    s.dye("base", "1,1,1");
    s.drive("base", "along > 0.5");
    const Worn along = s.now();
    REQUIRE(along.places);
    for (size_t i = 0; i < packed.vertices.size(); ++i)
        REQUIRE(((*along.places)[i].color[0] == 255) == (packed.vertices[i].along > 0.5f));
    s.drive("base", "y > 0");
    const Worn high = s.now();
    REQUIRE(high.places);
    for (size_t i = 0; i < packed.vertices.size(); ++i)
        REQUIRE(((*high.places)[i].color[0] == 255) == (packed.vertices[i].p.y > 0.0f));
}

TEST_CASE("what strands wear survives bad input", "[worn]") {
    Coat s;
    s.dye("coloured", "colour");
    for (const char* text : {"0/0", "1e30", "nothing_of_that_name", "curvature"}) {
        INFO(text);
        s.drive("base", text);
        CHECK_NOTHROW(s.now());
    }
    s.set(s.layer + "/scatter/count", "0");
    CHECK_NOTHROW(s.now());
    s.set(s.layer + "/material", "");
    CHECK_FALSE(s.now().places);
}
