// Layers and objects of one scene in another.
#include "document/edits/import_nodes.h"
#include "base/error.h"
#include "document/edits/edits.h"
#include "document/file/scene_file.h"
#include "eval/checks/checks.h"
#include "support.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;

namespace {

/// A shoal over a plate that chases a lure, in a material of its own.
struct Shoal {
    Document document = Document::fresh();
    Shoal() {
        Node skin = makeNode(document, "surface", "Skin");
        document.put(skin);
        Node fish = makeNode(document, "blade", "Fish");
        fish.params["material"].value = skin.id;
        document.put(fish);
        document.put(makeNode(document, "plane", "Plate"));
        document.put(makeNode(document, "sphere", "Lure"));
        document = withLayer(document, "plate", "fish");
        Node layer = *document.nodes(Category::Layer)[0];
        document.remove(layer.id);
        layer.id = "shoal", layer.name = "Shoal";
        document.put(layer);
        document = withStep(document, "shoal", 1, makeStep("simulate", document.get("shoal")));
        document = withPart(document, "shoal", "simulate", "chase");
        document = withText(document, "shoal/chase/target", "lure");
        document = withText(document, "fish/parent", "lure");
    }
};

/// A scene that has a lure and a plate of its own.
Document pool() {
    Document d = Document::fresh();
    d.put(makeNode(d, "sphere", "Lure"));
    d.put(makeNode(d, "plane", "Plate"));
    return d;
}

const LooseEnd* looseEnd(const std::vector<LooseEnd>& ends, const std::string& id) {
    for (const LooseEnd& e : ends)
        if (e.id == id) return &e;
    return nullptr;
}

}  // namespace

TEST_CASE("what is chosen brings what it needs, and leaves what it only looks at", "[bring]") {
    const Shoal s;
    const auto needs = withNeeds(s.document, {"shoal"});
    CHECK(needs.count("fish"));
    CHECK(needs.count("skin"));
    CHECK(needs.count("plate"));
    CHECK(needs.count("lure"));  // the fish's parent
    const auto alone = withNeeds(withText(s.document, "fish/parent", ""), {"shoal"});
    CHECK_FALSE(alone.count("lure"));
    CHECK_FALSE(alone.count("render"));
    CHECK(withNeeds(s.document, {"nobody"}).empty());
    const auto ends = looseEnds(s.document, {"shoal"});
    REQUIRE(looseEnd(ends, "lure"));
    CHECK(looseEnd(ends, "lure")->named == std::vector<std::string>{"Shoal"});
    CHECK(looseEnd(ends, "plate"));
    CHECK(looseEnd(ends, "fish"));
}

TEST_CASE("names that clash are changed, references go with them, and targets are what was chosen here",
          "[bring]") {
    const Shoal s;
    const Document here = pool();
    ImportOptions what;
    what.chosen = {"shoal", "fish", "skin"};
    for (const LooseEnd& e : looseEnds(s.document, what.chosen)) what.bind[e.id] = likelyBinding(here, e);
    CHECK(what.bind.at("lure") == "lure");
    CHECK(what.bind.at("plate") == "plate");
    const ImportedNodes b = importedNodes(here, s.document, what);
    REQUIRE(b.ids.size() == 3);
    CHECK(b.notes.empty());
    CHECK(b.document.nodes().size() == here.nodes().size() + 3);
    CHECK(std::get<std::string>(b.document.value("shoal", "surface")) == "plate");
    CHECK(prototypesOf(b.document.get("shoal")) == std::vector<std::string>{"fish"});
    const Step* chase = b.document.get("shoal").step("chase");
    CHECK(std::get<std::string>(chase->params.at("target").value) == "lure");
    // Once more: everything gets another name, and the second shoal its own fish.
    const ImportedNodes again = importedNodes(b.document, s.document, what);
    CHECK(again.notes.size() == 3);
    CHECK(again.document.get(again.ids[2]).name == "Shoal 2");
    CHECK(prototypesOf(again.document.get(again.ids[2])) == std::vector<std::string>{again.ids[1]});
    CHECK(std::get<std::string>(again.document.value(again.ids[1], "material")) == again.ids[0]);
    // And it works out, where it was brought.
    Evaluator evaluator;
    const LayerResult r =
        evaluator.layer(again.document, again.ids[2], {5, Purpose::Render, true}, Progress::none());
    CHECK(r.ok);
    CHECK(elementCount(r.geometry) > 0);
}

TEST_CASE("what leads nowhere is let go and said", "[bring]") {
    Shoal s;
    s.document = withText(s.document, "shoal/chase/target", "lure");
    ImportOptions what;
    what.chosen = {"shoal"};
    const ImportedNodes b = importedNodes(Document::fresh(), s.document, what);
    CHECK(std::get<std::string>(b.document.value("shoal", "surface")).empty());
    CHECK(std::get<std::string>(b.document.get("shoal").step("chase")->params.at("target").value).empty());
    CHECK(b.notes.size() >= 3);
    bool named = false;
    for (const std::string& n : b.notes) named |= n == "\"Shoal\" no longer names \"Lure\"";
    CHECK(named);
    // A target that the other scene itself lost.
    Node broken = s.document.get("shoal");
    for (Step& step : broken.steps)
        if (step.type == "chase") step.params["target"].value = std::string("gone");
    s.document.put(broken);
    const auto ends = looseEnds(s.document, {"shoal"});
    REQUIRE(looseEnd(ends, "gone"));
    CHECK(looseEnd(ends, "gone")->missing);
    what.bind["gone"] = "lure";
    const ImportedNodes bound = importedNodes(pool(), s.document, what);
    CHECK(std::get<std::string>(bound.document.get("shoal").step("chase")->params.at("target").value) ==
          "lure");
}

TEST_CASE("settings, strangers and bindings to nothing are refused", "[bring]") {
    const Shoal s;
    CHECK_THROWS_AS(importedNodes(pool(), s.document, {{"render"}, {}}), Error);
    CHECK_THROWS_AS(importedNodes(pool(), s.document, {{"nobody"}, {}}), Error);
    CHECK_THROWS_AS(importedNodes(pool(), s.document, {{"shoal"}, {{"lure", "nothing_here"}}}), Error);
    const Document here = pool();
    const ImportedNodes none = importedNodes(here, s.document, {});
    CHECK(none.document == here);
    Shoal slow;
    slow.document = withText(slow.document, "scene/rate", "30");
    const ImportedNodes b = importedNodes(here, slow.document, {{"skin"}, {}});
    REQUIRE(b.notes.size() == 1);
    CHECK(b.notes[0].find("30 frames") != std::string::npos);
}

TEST_CASE("paths of files go on naming the same files", "[bring]") {
    TemporaryFolder folder;
    std::filesystem::create_directories(folder / "there");
    std::filesystem::create_directories(folder / "here");
    Document other = Document::fresh();
    Node mesh = makeNode(other, "mesh_file", "Stone");
    mesh.params["file"].value = std::string("stone.ply");
    other.put(mesh);
    saveScene(other, folder / "there/a.ovrix");
    const Document seen = rebasePaths(loadScene(folder / "there/a.ovrix"), folder / "there", folder / "here");
    const ImportedNodes b = importedNodes(pool(), seen, {{"stone"}, {}});
    CHECK(std::get<std::string>(b.document.value("stone", "file")) == "../there/stone.ply");
}
