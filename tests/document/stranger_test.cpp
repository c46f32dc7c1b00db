// Scenes that someone else wrote: what they may name, what a bake of them may touch, how much they may take.
#include "base/error.h"
#include "base/files.h"
#include "document/edits/edits.h"
#include "document/edits/outside.h"
#include "document/file/scene_file.h"
#include "eval/bake.h"
#include "support.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;
namespace fs = std::filesystem;

namespace {

/// A layer of that id that emits from a plane.
Document emitting(const std::string& id) {
    Document d = Document::fresh();
    Node plate = makeNode(d, "plane", "Plate");
    d.put(plate);
    Node layer = makeNode(d, "layer", "Layer");
    layer.id = id;
    layer.params["surface"].value = plate.id;
    layer.steps.push_back(makeStep("scatter", layer));
    layer.steps[0].params["count"].value = int64_t(10);
    d.put(layer);
    d = withStep(d, id, 1, makeStep("simulate", d.get(id)));
    return withText(d, id + "/emit/rate", "20");
}

void put(const fs::path& path, const std::string& text) {
    fs::create_directories(path.parent_path());
    writeFile(path, text);
}

}  // namespace

TEST_CASE("a layer of whatever id bakes below its scene's folders, and removes nothing of anyone's",
          "[bake][stranger]") {
    for (const std::string id : {"..", ".", "...", ".cache"}) {
        INFO(id);
        TemporaryFolder folder;
        const fs::path scene = folder / "in/swarm.ovrix";
        const fs::path own[] = {folder / "in/frame.0001.columns", folder / "in/bake.json",
                                folder / "in/frame.0001.usda", folder / "in/swarm.cache/frame.0001.columns",
                                folder / "in/swarm.cache/bake.json"};
        for (const fs::path& file : own) put(file, "mine");
        const Document d = emitting(id);
        saveScene(d, scene);
        Evaluator evaluator;
        CHECK(bake(evaluator, SceneContext::ofFile(d, scene), id, {1, 2, {}}, Progress::none()).written == 2);
        const fs::path to = bakeFolder(scene, id);
        CHECK(fs::weakly_canonical(to).parent_path() == fs::weakly_canonical(folder / "in/swarm.cache"));
        CHECK(bakeInfo(to).frames.size() == 2);
        removeBake(to);
        CHECK(bakeInfo(to).frames.empty());
        for (const fs::path& file : own) CHECK(readFile(file) == "mine");
    }
}

TEST_CASE("a bake leaves what it did not write, and follows no link out", "[bake][stranger]") {
    TemporaryFolder folder;
    const fs::path scene = folder / "in/swarm.ovrix";
    const Document d = emitting("swarm");
    fs::create_directories(scene.parent_path());
    saveScene(d, scene);
    Evaluator evaluator;
    const fs::path to = bakeFolder(scene, "swarm");
    // A frame by its name, but nobody's here.
    put(to / "frame.0009.columns", "mine");
    CHECK(bake(evaluator, SceneContext::ofFile(d, scene), "swarm", {1, 2, {}}, Progress::none()).written ==
          2);
    removeBake(to);
    CHECK(readFile(to / "frame.0009.columns") == "mine");
    CHECK_FALSE(fs::exists(to / "frame.0001.columns"));
    for (const fs::path& link : {to, to.parent_path()}) {
        fs::remove_all(to.parent_path());
        put(folder / "elsewhere/swarm/frame.0001.columns", "mine");
        put(folder / "elsewhere/frame.0001.columns", "mine");
        fs::create_directories(link.parent_path());
        fs::create_directory_symlink(folder / "elsewhere", link);
        CHECK_THROWS_AS(
            bake(evaluator, SceneContext::ofFile(d, scene), "swarm", {1, 2, {}}, Progress::none()), Error);
        CHECK(readFile(folder / "elsewhere/frame.0001.columns") == "mine");
        CHECK(readFile(folder / "elsewhere/swarm/frame.0001.columns") == "mine");
        CHECK_FALSE(fs::exists(folder / "elsewhere/bake.json"));
        CHECK_FALSE(fs::exists(folder / "elsewhere/swarm/bake.json"));
        fs::remove(link);
    }
}

TEST_CASE("files that lie elsewhere are known before they are opened", "[stranger]") {
    TemporaryFolder folder;
    fs::create_directories(folder / "in/meshes");
    fs::create_directory_symlink("/etc", folder / "in/away");
    Document d = Document::fresh();
    const auto mesh = [&](const char* name, const std::string& file) {
        Node n = makeNode(d, "mesh_file", name);
        n.params["file"].value = file;
        d.put(n);
    };
    mesh("a", "meshes/rock.ply");
    mesh("b", "../rock.ply");
    mesh("c", "/etc/passwd");
    mesh("d", "away/passwd");
    mesh("e", (folder / "in/meshes/other.ply").string());
    Node stone = makeNode(d, "surface", "Stone");
    auto field = std::make_shared<Field>();
    field->sources.push_back(makeSource("image"));
    field->sources[0].params["file"].value = std::string("../skin.png");
    stone.params["specular_roughness"].field = field;
    d.put(stone);
    CHECK(filesOutside(d, folder / "in") ==
          std::vector<std::string>{"../rock.ply", "../skin.png", "/etc/passwd", "away/passwd"});

    // What another document adds, from a folder of its own.
    Document more = d;
    Node brought = makeNode(more, "mesh_file", "f");
    brought.params["file"].value = (folder / "out/rock.ply").string();
    more.put(brought);
    Node foreign = makeNode(more, "mesh_file", "g");
    foreign.params["file"].value = std::string("/etc/group");
    more.put(foreign);
    CHECK(filesAdded(d, more, folder / "in", folder / "out") == std::vector<std::string>{"/etc/group"});
    CHECK(filesAdded(d, more, folder / "in", "").size() == 2);
    CHECK(filesAdded(more, d, folder / "in", "").empty());

    FileMesh file;
    file.materials.resize(4);
    file.materials[0].baseColorImage = (folder / "in/meshes/skin.png").string();
    file.materials[1].baseColorImage = (folder / "in/away/skin.png").string();
    file.materials[2].baseColorImage = "/etc/skin.png";
    CHECK(dropImagesOutside(file, {folder / "in"}).size() == 2);
    CHECK_FALSE(file.materials[0].baseColorImage.empty());
    CHECK(file.materials[1].baseColorImage.empty());
    CHECK(file.materials[2].baseColorImage.empty());
}

TEST_CASE("a scene takes no more memory than the program lets it", "[stranger]") {
    const Document d = withText(Document::fresh(), "scene/memory", "4096");
    const size_t before = memoryCap();
    setMemoryCap(size_t(2) << 30);
    CHECK(d.memoryLimit() == size_t(2) << 30);
    CHECK(double(d.wantedMemory()) > 4e12);
    setMemoryCap(before);
}
