// Each check: when it is told, and that its fix mends what it says.
#include "eval/checks/checks.h"
#include "base/files.h"
#include "document/edits/edits.h"
#include "document/file/scene_file.h"
#include "eval/bake.h"
#include "io/formats/elements_io.h"
#include "io/mesh/mesh_writer.h"
#include "support.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;

namespace {

/// Balls on a plate, in a scene with a folder.
struct Plate {
    TemporaryFolder folder;
    Document document = Document::fresh();
    Evaluator evaluator;
    std::string layer;
    std::filesystem::path file = {};

    Plate() {
        document.put(makeNode(document, "plane", "Plate"));
        document.put(makeNode(document, "sphere", "Ball"));
        document = withLayer(document, "plate", "ball", &layer);
        set(layer + "/scatter/count", "20");
    }
    void set(const std::string& path, const std::string& text) { document = withText(document, path, text); }
    SceneContext scene() const { return {document, folder.path(), file}; }
    std::vector<Check> checks() {
        LayerResults results;
        for (const NodePtr& l : document.nodes(Category::Layer))
            results[l->id] = evaluator.layer(scene(), l->id, {1, Purpose::Viewport, false}, Progress::none());
        return findChecks(scene(), results, evaluator, 1, Progress::none());
    }
    std::optional<Check> check(const std::string& part) {
        for (Check& c : checks())
            if (c.text.find(part) != std::string::npos) return c;
        return std::nullopt;
    }
    /// It is told, and after its fix no more.
    void mends(const std::string& part, const std::string& title) {
        INFO(part);
        const auto c = check(part);
        REQUIRE(c);
        CHECK(c->fixTitle == title);
        REQUIRE(c->fix);
        document = c->fix(document);
        CHECK_FALSE(check(part));
    }
};

}  // namespace

TEST_CASE("a scene with all that it takes has nothing to be told", "[checks]") {
    Plate s;
    for (const Check& c : s.checks()) FAIL_CHECK(c.text);
}

TEST_CASE("without light or camera the render shows nothing, and both can be mended", "[checks]") {
    Plate s;
    for (const NodePtr& light : s.document.nodes(Category::Light)) s.document.remove(light->id);
    const auto dark = s.checks();
    CHECK(dark.front().severity == Severity::Error);  // what is worst comes first
    s.mends("Nothing lights the scene", "Add a sun and a sky");
    for (const NodePtr& light : s.document.nodes(Category::Light)) s.set(light->id + "/rendered", "false");
    CHECK(s.check("Nothing lights the scene"));
    // What glows lights too.
    Node glow = makeNode(s.document, "surface", "Glow");
    glow.params["emission_color"].value = Color(1, 0, 0);
    glow.params["emission_luminance"].value = 100.0;
    s.document.put(glow);
    CHECK_FALSE(s.check("Nothing lights the scene"));
    for (const NodePtr& camera : s.document.nodes(Category::Camera)) s.document.remove(camera->id);
    s.mends("has no camera", "Use a camera");
    CHECK(s.document.nodes(Category::Camera).size() == 1);
    s.document.remove("render");
    s.mends("has no camera", "Use a camera");
}

TEST_CASE("what is shown and not rendered, or rendered and not shown", "[checks]") {
    Plate s;
    s.set(s.layer + "/shown", "false");
    s.mends("is hidden but will render", "Show it");
    s.set(s.layer + "/rendered", "false");
    s.mends("is shown but will not render", "Render it");
}

TEST_CASE("what makes nothing says why, with recipes of its own and shared ones", "[checks]") {
    Plate s;
    std::string linked;
    s.document = withLinkedLayer(s.document, s.layer, "plate", &linked);
    s.set(s.layer + "/scatter/count", "0");
    int told = 0;
    for (const Check& c : s.checks()) told += c.text.find("its count is too small") != std::string::npos;
    CHECK(told == 2);
    s.set(s.layer + "/scatter/count", "20");
    const Document whole = s.document;
    for (const Step& step : whole.get(s.layer).steps)
        s.document = withStepOn(s.document, s.layer, step.id, false);
    CHECK(s.check("no step that is on"));
    Plate bare;
    bare.document = withoutStep(bare.document, bare.layer, "copies_of");
    std::string second;
    bare.document = withLinkedLayer(bare.document, bare.layer, "plate", &second);
    REQUIRE(bare.check("wear no cloud material"));  // bare points are seen as a cloud
    while (const auto points = bare.check("wear no cloud material"))
        bare.document = points->fix(bare.document);
    CHECK(bare.document.get(second).steps.empty());
    Document lost = bare.document;
    lost = withText(lost, bare.layer + "/surface", "");
    const Document before = lost;
    for (const Step& step : before.get(bare.layer).steps) lost = withoutStep(lost, bare.layer, step.id);
    bare.document = lost;
    CHECK(bare.check("lies on no surface"));
}

TEST_CASE("a step that fails is named, with what to do", "[checks]") {
    Plate s;
    Node layer = makeNode(s.document, "layer", "From afar");
    layer.params["surface"].value = std::string("plate");
    layer.steps.push_back(makeStep("from_file", layer));
    layer.steps[0].params["file"].value = std::string("gone.csv");
    s.document.put(layer);
    const auto c = s.check("gone.csv");
    REQUIRE(c);
    CHECK(c->severity == Severity::Error);
    CHECK(c->node == "from_afar");
    CHECK(c->step == "from_file");
    CHECK(c->text.find("From afar, From a file: ") == 0);
    writeFile(s.folder / "gone.csv", "x,y,z\n1,2,3\n");
    CHECK_FALSE(s.check("gone.csv"));
}

TEST_CASE("what is taken to be there and is not: nodes, files, types", "[checks]") {
    Plate s;
    Node layer = s.document.get(s.layer);
    layer.params["surface"].value = std::string("nowhere");
    s.document.put(layer);
    CHECK(s.check("refers to \"nowhere\""));
    Node strange = makeNode(s.document, "sphere", "Strange");
    strange.type = "teapot";
    s.document.put(strange);
    const auto c = s.check("knows no \"teapot\"");
    REQUIRE(c);
    CHECK(c->severity == Severity::Warning);
    Node dome = makeNode(s.document, "dome", "Dome");
    dome.params["file"].value = std::string("sky.exr");
    s.document.put(dome);
    CHECK(s.check("the file sky.exr is missing"));
    Node orphan = makeNode(s.document, "sphere", "Orphan");
    orphan.parent = "gone_home";
    s.document.put(orphan);
    CHECK(s.check("its parent refers to \"gone_home\""));
}

TEST_CASE("meshes that are odd, and objects without size", "[checks]") {
    Plate s;
    s.set("ball/scale", "1,0,1");
    s.mends("its scale is 0", "Set its scale to 1");
    Mesh mesh;  // two faces that look to different sides, and one without area
    mesh.points.set("P",
                    std::vector<V3f>{V3f(0, 0, 0), V3f(1, 0, 0), V3f(0, 0, 1), V3f(1, 0, 1), V3f(2, 0, 0)});
    mesh.addFace({0, 2, 1});
    mesh.addFace({1, 2, 3});
    mesh.addFace({0, 1, 4});
    mesh.finish();
    writeMesh(s.folder / "odd.obj", mesh);
    Node odd = makeNode(s.document, "mesh_file", "Odd");
    odd.params["file"].value = std::string("odd.obj");
    s.document.put(odd);
    CHECK(s.check("have no area"));
}

TEST_CASE("a bake that is stale is told until it is kept in use", "[checks][bake]") {
    Plate s;
    const auto scene = s.folder / "s.ovrix";
    s.document = withoutStep(s.document, s.layer, "copies_of");
    s.document = withStep(s.document, s.layer, 1, makeStep("simulate", s.document.get(s.layer)));
    saveScene(s.document, scene);
    s.file = scene;
    CHECK_FALSE(s.check("bake"));
    bake(s.evaluator, s.scene(), s.layer, {1, 3, {}}, Progress::none());
    CHECK_FALSE(s.check("bake"));
    s.set(s.layer + "/gravity/strength", "5");
    s.mends("its bake is stale", "Keep it in use");
    CHECK(s.check("shows its bake, which is of something else"));
    s.set(s.layer + "/simulate/bake_use", "never");
    CHECK_FALSE(s.check("bake"));
    writeFile(bakeFolder(scene, s.layer) / "bake.json", "{");
    s.set(s.layer + "/simulate/bake_use", "while fresh");
    CHECK(s.check("its bake cannot be used"));
}
