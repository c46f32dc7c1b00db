// Strands among the nodes of a scene: what Draft leaves, what follows, what is told, what is written.
#include <tbb/global_control.h>

#include <set>

#include "base/error.h"
#include "base/files.h"
#include "deliver/export.h"
#include "deliver/pictures/render_file.h"
#include "deliver/render_scene_builder.h"
#include "document/edits/edits.h"
#include "document/file/scene_file.h"
#include "document/library/recipe_file.h"
#include "eval/evaluator.h"
#include "eval/manual_work.h"
#include "field/paint.h"
#include "io/formats/elements_io.h"
#include "ops/groom/comb_brush.h"
#include "strand_support.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;

namespace {

struct FurScene {
    Document document = Document::fresh();
    std::string ball = "ball", layer;
    Evaluator evaluator;
    FurScene() {
        document.put(makeNode(document, "sphere", "Ball"));
        document = withStrandLayer(document, ball, 1.0f, &layer);
        set("scatter/count", "60");
        set("fill/count", "1000");
    }
    void set(const std::string& rest, const std::string& text) {
        document = withText(document, layer + "/" + rest, text);
    }
    LayerResult eval(bool full = true, double frame = 1) {
        return evaluator.layer(document, layer, {frame, Purpose::Viewport, full}, Progress::none());
    }
    std::string note() {
        std::string all;
        for (const StepReport& r : eval().steps) all += r.note + r.error;
        return all;
    }
};

StrandsPtr strands(const LayerResult& r) {
    REQUIRE(r.ok);
    return std::get<StrandsPtr>(r.geometry);
}

}  // namespace

TEST_CASE("Draft thins what is filled, and no guide", "[strand][scene]") {
    FurScene f;
    f.document = withText(f.document, "scene/draft", "0.1");
    const LayerResult draft = f.eval(false), full = f.eval(true);
    CHECK(strands(draft)->size() == 100);
    CHECK(strands(full)->size() == 1000);
    CHECK(draft.guides->size() == 60);
    CHECK(linesById(*draft.guides) == linesById(*full.guides));
    const auto some = linesById(*strands(draft)), all = linesById(*strands(full));
    for (const auto& [id, l] : some) CHECK(all.at(id) == l);
    // Without a fill the strands themselves are thinned.
    f.document = withoutStep(f.document, f.layer, "fill");
    CHECK(strands(f.eval(false))->size() == 6);
}

TEST_CASE("strands follow a surface that is keyed, with the roots that they had", "[strand][scene]") {
    FurScene f;
    Node ball = f.document.get(f.ball);
    ball.steps.push_back(makeStep("displace", ball));
    Param by;
    by.value = 0.0;
    by.keys = {{1, 0.0, KeyEase::Linear}, {10, 0.2, KeyEase::Linear}};
    ball.steps[0].params["by"] = by;
    f.document.put(ball);
    const LayerResult rest = f.eval(true, 1), later = f.eval(true, 10);
    const auto a = strands(rest), b = strands(later);
    REQUIRE(a->size() == b->size());
    const auto ta = a->strands.find<int32_t>("triangle"), tb = b->strands.find<int32_t>("triangle");
    const auto ba = a->strands.find<V2f>("bary"), bb = b->strands.find<V2f>("bary");
    const SurfacePtr now =
        f.evaluator.surface(f.document, f.ball, {10, Purpose::Viewport, true}, Progress::none());
    float moved = 0;
    for (size_t s = 0; s < a->size(); ++s) {
        CHECK(ta[s] == tb[s]);
        CHECK(ba[s] == bb[s]);
        const V3f on = now->sampleAt(uint32_t(tb[s]), bb[s].x, bb[s].y).position;
        CHECK((line(*b, s)[0] - on).length() < 1e-6f);
        moved += (line(*b, s)[0] - line(*a, s)[0]).length();
    }
    CHECK(moved / float(a->size()) > 0.1f);
    for (size_t s = 0; s < later.guides->size(); ++s)
        CHECK(lengthOf(line(*later.guides, s)) == Approx(lengthOf(line(*rest.guides, s))).epsilon(1e-3));
}

TEST_CASE("a mask asks where elements lie at rest", "[strand][scene]") {
    // A plane that is lifted: what stood below half a metre at rest stays.
    Document d = Document::fresh();
    d.put(makeNode(d, "plane", "Plane"));
    Param position;
    position.value = V3d(0, 0, 0);
    position.keys = {{1, V3d(0, 0, 0), KeyEase::Linear}, {10, V3d(0, 2, 0), KeyEase::Linear}};
    d = withParam(d, {"plane", "", "position"}, position);
    d.put(makeNode(d, "sphere", "Ball"));
    std::string layer;
    d = withLayer(d, "plane", "ball", &layer);
    FieldSource height = makeSource("height");
    height.params["range"].value = Range{0.4, 0.6};
    height.invert = true;
    d = withField(d, ParamPath::parse(d, layer + "/scatter/mask"), std::make_shared<Field>(Field{{height}}));
    Evaluator evaluator;
    const auto copies = [&](double frame) {
        return std::get<std::shared_ptr<const Copies>>(
            evaluator.layer(d, layer, {frame, Purpose::Render, true}, Progress::none()).geometry);
    };
    const auto before = copies(1), after = copies(10);
    CHECK(before->size() == 2000);
    REQUIRE(after->size() == 2000);
    for (size_t i = 0; i < after->size(); ++i)
        CHECK((after->attributes.find<V3f>("P")[i] - before->attributes.find<V3f>("P")[i] - V3f(0, 2, 0))
                  .length() < 1e-5f);
}

TEST_CASE("another topology binds again by the nearest point, and says so", "[strand][scene]") {
    FurScene f;
    StrandEdit planted;
    planted.id = uint64_t(1) << 62;
    planted.added = true, planted.triangle = 5, planted.length = 0.1f;
    planted.position = V3f(0, 0.5f, 0);
    planted.directions.assign(8, V3f(0, 1, 0));
    const auto topology = [&] {
        return topologyOf(*f.evaluator.surface(f.document, f.ball, {1}, Progress::none()));
    };
    f.document = withCombing(f.document, f.layer, {planted}, topology());
    CHECK(f.note() == "");
    CHECK(f.eval().guides->size() == 61);
    f.document = withText(f.document, "ball/segments", "32");
    CHECK(f.note().find("nearest point") != std::string::npos);
    const auto guides = f.eval().guides;
    REQUIRE(guides->size() == 61);
    CHECK((line(*guides, 60)[0] - V3f(0, 0.5f, 0)).length() < 0.02f);
    f.set("scatter/count", "10");  // strands that were combed and are gone
    StrandEdit combedOne;
    combedOne.id = 40, combedOne.length = 0.5f;
    f.document = withCombing(f.document, f.layer, {combedOne}, topology());
    const auto still = f.eval().guides;  // the planted one is where it was, though the faces are others now
    CHECK((line(*still, still->size() - 1)[0] - V3f(0, 0.5f, 0)).length() < 0.02f);
    INFO(f.note());
    CHECK(f.note().find("no longer made") != std::string::npos);
}

TEST_CASE("what goes wrong is told, and nothing crashes", "[strand][scene]") {
    FurScene f;
    f.set("fill/count", "50000000000");
    CHECK(f.note().find("more than one layer can hold") != std::string::npos);
    f.document = withText(f.document, "scene/memory", "1");
    f.set("fill/count", "50000000");
    INFO(f.note());
    CHECK(f.note().find("limit of 1.0 GB") != std::string::npos);
    f.set("fill/count", "1000");
    f.set("clump/amount", "count");
    f.set("clump/count", "4000");
    CHECK(f.note().find("4000 clumps are more than the 1000 strands") != std::string::npos);
    CHECK(strands(f.eval())->size() == 1000);
    f.set("grow/length", "0..0");
    CHECK(f.note().find("60 strands were left out") != std::string::npos);
    CHECK(f.note().find("no guides") != std::string::npos);
    f.set("grow/length", "0.1..0.1");
    // A field that gives no number on one half of the ball.
    FieldSource formula = makeSource("formula");
    for (const ParamSpec& spec : findSourceType("formula")->params)
        if (spec.type == ParamType::Text) formula.params[spec.id].value = std::string("sqrt(x)");
    f.document = withField(f.document, ParamPath::parse(f.document, f.layer + "/grow/length"),
                           std::make_shared<Field>(Field{{formula}}));
    const std::string told = f.note();
    CHECK(told.find("strands were left out") != std::string::npos);
    const size_t left = f.eval().guides->size();
    CHECK(left > 10);
    CHECK(left < 50);
    f.document = withStep(f.document, f.layer, 5, makeStep("strand_color", f.document.get(f.layer)));
    f.set("strand_color/image", "no_such.png");
    CHECK(f.note().find("no_such.png") != std::string::npos);
}

TEST_CASE("combing is written and read to the bit", "[strand][scene]") {
    FurScene f;
    const LayerResult r = f.eval();
    const SurfacePtr skin = f.evaluator.surface(f.document, f.ball, {1}, Progress::none());
    CombStroke stroke(r.combable, {}, skin, M44f(), {});
    CombBrush brush;
    brush.radius = 0.4f;
    for (int i = 0; i < 5; ++i) stroke.apply(brush, {V3f(0, 0, 3), V3f(0, 0, 0.5f), V3f(0.03f, 0.01f, 0), 1});
    brush.mode = CombBrush::Plant, brush.radius = 0.02f;
    stroke.apply(brush, {V3f(0, 0, 3), V3f(0.05f, 0.04f, 0.5f), V3f(0.0f), 1});
    f.document = withCombing(f.document, f.layer, stroke.edits(), topologyOf(*skin));
    CHECK(combingOf(f.document, f.layer).list.size() > 5);
    TemporaryFolder folder;
    saveScene(f.document, folder / "a.ovrix");
    const Document back = loadScene(folder / "a.ovrix");
    CHECK(combingOf(back, f.layer) == combingOf(f.document, f.layer));
    CHECK(back == f.document);
    // It belongs to this surface: a recipe file leaves it behind, and says so.
    const RecipeFile recipe = recipeOfLayer(f.document, f.layer, folder.path());
    CHECK(std::find(recipe.leftOut.begin(), recipe.leftOut.end(), "combing") != recipe.leftOut.end());
}

TEST_CASE("tufts are copied cheaply, and made unique", "[strand][scene]") {
    Document d = Document::fresh();
    d.put(makeNode(d, "sphere", "Ball"));
    d.put(makeNode(d, "tuft", "Tuft"));
    d = withText(d, "tuft/strands", "5");
    std::string layer;
    d = withLayer(d, "ball", "tuft", &layer);
    d = withText(d, layer + "/scatter/count", "200");
    d = withVariations(d, "tuft", 4);
    CHECK(d.find("tuft_4"));
    CHECK(std::get<PrototypeMix>(paramAt(d, {layer, "copies_of", "prototypes"}).value).size() == 4);
    CHECK_THROWS_AS(withVariations(d, "ball", 4), Error);
    Evaluator evaluator;
    const auto eval = [&] { return evaluator.layer(d, layer, {1, Purpose::Render, true}, Progress::none()); };
    const auto copies = std::get<std::shared_ptr<const Copies>>(eval().geometry);
    CHECK(copies->size() == 200);
    CHECK(copies->prototypes.size() == 4);
    RenderSceneBuilder builder(evaluator);
    const RenderJob job = builder.build(d, {}, Progress::none());
    CHECK(job.problems.empty());
    CHECK(job.scene->instanceCount() ==
          200 + 1 + 4);  // the copies, the ball, the tufts that stand by themselves
    d = withStep(d, layer, 4, makeStep("unique", d.get(layer)));
    const auto single = std::get<StrandsPtr>(eval().geometry);
    CHECK(single->size() == 1000);
    linesById(*single);  // ids are unique
    const auto number = single->strands.find<int32_t>("clump");
    CHECK(std::set<int32_t>(number.begin(), number.end()).size() == 200);
    // Each lies where its copy does.
    const ElementPlaces places(copies->attributes);
    const StrandsPtr tuft =
        evaluator
            .object(d, copies->prototypes[size_t(copies->attributes.find<int32_t>("prototype")[0])], 1,
                    Progress::none())
            .strands;
    CHECK((line(*single, 0).back() - line(*tuft, 0).back() * places.matrix(0)).length() < 1e-5f);
    d = withStep(d, layer, 5, makeStep("sweep", d.get(layer)));
    CHECK(std::get<MeshPtr>(eval().geometry)->faceCount() > 1000);
    CHECK(builder.build(d, {}, Progress::none()).problems.empty());
}

TEST_CASE("a layer's strands are handed on as strands and as tubes", "[strand][scene]") {
    FurScene f;
    TemporaryFolder folder;
    for (const char* name : {"s.usda", "s.ply", "s.vdb"}) {
        exportLayer(f.document, f.layer, ExportAs::Elements, folder / name, f.evaluator,
                    {1, Purpose::Render, true}, Progress::none());
        CHECK(readStrands(folder / name).size() == 1000);
    }
    CHECK(meshBytes(f.document, f.layer, f.evaluator, {1, Purpose::Render, true}, Progress::none()) > 1e5);
    exportLayer(f.document, f.layer, ExportAs::Mesh, folder / "s.obj", f.evaluator,
                {1, Purpose::Render, true}, Progress::none());
    CHECK(std::filesystem::file_size(folder / "s.obj") > 100000);
    // And a file of strands is a source of guides.
    Node layer = makeNode(f.document, "layer", "From file");
    layer.params["surface"].value = f.ball;
    for (const char* type : {"strand_file", "fill"}) layer.steps.push_back(makeStep(type, layer));
    layer.steps[0].params["file"].value = std::string("s.usda");
    f.document.put(layer);
    const LayerResult r = f.evaluator.layer({f.document, folder.path()}, layer.id, {1, Purpose::Render, true},
                                            Progress::none());
    REQUIRE(r.ok);
    CHECK(r.guides->size() == 1000);
    CHECK(std::get<StrandsPtr>(r.geometry)->size() == 20000);
}

TEST_CASE("the render of strands is the same on any number of threads", "[strand][scene]") {
    FurScene f;
    f.document = withText(f.document, "render/width", "48");
    f.document = withText(f.document, "render/height", "32");
    f.document = withText(f.document, "camera/position", "0,0,1.4");
    RenderSceneBuilder builder(f.evaluator);
    const RenderJob job = builder.build(f.document, {}, Progress::none());
    CHECK(job.problems.empty());
    const auto picture = [&](int threads) {
        tbb::global_control control(tbb::global_control::max_allowed_parallelism, size_t(threads));
        Film film(48, 32, job.layout);
        const Renderer renderer(*job.scene, job.cameraFor(48, 32), job.options);
        for (uint32_t pass = 0; pass < 2; ++pass)
            renderer.renderPass(film, pass, {0, 0, 48, 32}, Progress::none());
        return film;
    };
    const Film one = picture(1), two = picture(2);
    size_t strandPixels = 0;
    for (size_t i = 0; i < one.count(); ++i) {
        CHECK(one.pixel(i).direct == two.pixel(i).direct);
        strandPixels += one.pixel(i).tangent != V3f(0.0f);
    }
    CHECK(strandPixels > 20);
    // Channels for what only strands have.
    const Picture exr = toPicture({one}, job, nullptr);
    std::set<std::string> names;
    for (const auto& c : exr.channels) names.insert(c.name);
    for (const char* name :
         {"tangent.X", "fibre_reflected.R", "fibre_through.G", "fibre_inner.B", "fibre_rest.R"})
        CHECK(names.count(name));
}

TEST_CASE("a layer is combed where its strands are made", "[strand][scene]") {
    FurScene f;
    CHECK(combIndex(f.document.get(f.layer).steps) ==
          std::optional<size_t>(1));  // after they grow, before the fill
    f.document = withCombing(f.document, f.layer, {}, 0);
    CHECK(f.document.get(f.layer).steps[2].type == "comb");
    CHECK(combIndex(f.document.get(f.layer).steps) == std::optional<size_t>(2));
    Document d = Document::fresh();
    d.put(makeNode(d, "sphere", "Ball"));
    std::string layer;
    d = withLayer(d, "ball", "ball", &layer);
    CHECK(!combIndex(d.get(layer).steps));
    CHECK_THROWS_WITH(withCombing(d, layer, {}, 0), Catch::Contains("no strands"));
}
