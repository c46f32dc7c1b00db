// What is left when a program is killed at any of its writes, the disk fills up, or two write at once.
#include "interrupted.h"

#include <thread>

#include "base/error.h"
#include "base/files.h"
#include "base/hash.h"
#include "document/edits/edits.h"
#include "document/file/scene_file.h"
#include "eval/bake.h"
#include "io/image/image_io.h"
#include "support.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;
namespace fs = std::filesystem;

namespace {

/// A fountain of a few drops in a folder of its own.
struct Fountain {
    TemporaryFolder folder;
    fs::path file = folder / "fountain.ovrix";
    Fountain() {
        Document document = Document::fresh();
        document.put(makeNode(document, "plane", "Plate"));
        Node layer = makeNode(document, "layer", "Water");
        layer.params["surface"].value = std::string("plate");
        layer.steps.push_back(makeStep("scatter", layer));
        layer.steps[0].params["count"].value = int64_t(5);
        document.put(layer);
        document = withStep(document, "water", 1, makeStep("simulate", document.get("water")));
        document = withText(document, "water/emit/rate", "200");
        saveScene(withText(document, "scene/last", "2"), file);
    }
    std::string path(const std::string& name) const { return (folder / name).string(); }
    Interrupted run(std::vector<std::string> args, Fate fate = Fate::None, int at = 0) const {
        args.insert(args.begin(), programBeside("ovrix-cli"));
        return runInterrupted(args, folder.path(), fate, at);
    }
    std::vector<std::string> bake() const { return {"bake", file.string(), "--frames", "1-2"}; }
    fs::path baked() const { return bakeFolder(file, "water"); }
};

bool leavesSomething(const fs::path& folder) {
    for (const auto& entry : fs::recursive_directory_iterator(folder))
        if (entry.path().filename().string().find(".part") != std::string::npos) return true;
    return false;
}

using Frames = std::map<int, size_t>;  // bits of each frame, as one number

uint64_t bitsOf(const SolverState& state) {
    Hasher all;
    const auto& points = *std::get<std::shared_ptr<const PointSet>>(state.geometry);
    for (const V3f& p : points.attributes.find<V3f>("P")) all.add(p.x).add(p.y).add(p.z);
    for (const uint64_t id : points.attributes.find<uint64_t>("id")) all.add(id);
    return all.value();
}

/// The frames that a bake gives; those that it does not take for its own are not among them.
Frames framesOf(const Fountain& scene) {
    const BakeInfo info = bakeInfo(scene.baked());
    Frames frames;
    for (const int f : info.frames) try {
            frames[f] = bitsOf(*readBaked(scene.baked(), info, f));
        } catch (const Error&) {
        }
    return frames;
}

void checkIn(const Frames& some, const Frames& all) {
    for (const auto& [frame, bits] : some) {
        INFO("frame " << frame);
        REQUIRE(all.count(frame));
        CHECK(bits == all.at(frame));
    }
}

void dropBakes(const Fountain& scene) { fs::remove_all(scene.baked().parent_path()); }

}  // namespace

TEST_CASE("a scene is the old or the new one, wherever its writing is killed", "[interrupted]") {
    const Fountain scene;
    const std::vector<std::string> change{"set", scene.file.string(), "water/scatter/count=6", "--out",
                                          scene.file.string()};
    const std::string before = readFile(scene.file);
    REQUIRE(scene.run(change).code == 0);
    const std::string after = readFile(scene.file);
    REQUIRE(before != after);
    int olds = 0, news = 0;
    for (int at = 1;; ++at) {
        writeFile(scene.file, before);
        const Interrupted run = scene.run(change, Fate::Killed, at);
        const std::string now = readFile(scene.file);
        if (!run.killed) break;
        INFO("killed at call " << at);
        CHECK((now == before || now == after));
        ++(now == before ? olds : news);
        REQUIRE(scene.run(change).code == 0);
        CHECK(readFile(scene.file) == after);
        CHECK_FALSE(leavesSomething(scene.folder.path()));
        REQUIRE(at < 100);
    }
    CHECK(olds >= 3);  // made, filled, renamed
    CHECK(news == 0);  // the rename is the last call: what comes before it changes nothing
}

TEST_CASE("a bake that is killed at any write is gone on from", "[interrupted][bake]") {
    const Fountain scene;
    const Interrupted whole = scene.run(scene.bake());
    INFO(whole.said);
    REQUIRE(whole.code == 0);
    const Frames all = framesOf(scene);
    REQUIRE(all.size() == 2);
    for (int at = 1; at <= whole.calls; ++at) {
        INFO("killed at call " << at << " of " << whole.calls);
        dropBakes(scene);
        scene.run(scene.bake(), Fate::Killed, at);
        checkIn(framesOf(scene), all);
        const Interrupted again = scene.run(scene.bake());
        INFO(again.said);
        REQUIRE(again.code == 0);
        CHECK(framesOf(scene) == all);
        CHECK_FALSE(leavesSomething(scene.folder.path()));
    }
}

TEST_CASE("a disk that fills up at any write loses nothing, and is named", "[interrupted][bake]") {
    const Fountain scene;
    struct Job {
        std::vector<std::string> command;
        std::string writes;
    };
    const std::string file = scene.file.string();
    const std::vector<Job> jobs{
        {{"set", file, "water/scatter/count=6", "--out", file}, file},
        {{"eval", file, "--layer", "water", "--frame", "2", "--out", scene.path("drops.ply")},
         scene.path("drops.ply")},
        {{"eval", file, "--layer", "water", "--frame", "2", "--out", scene.path("drops.vdb")},
         scene.path("drops.vdb")},
        {{"render", file, "--size", "8x8", "--samples", "1", "--out", scene.path("a.png")},
         scene.path("a.png")},
        {{"render", file, "--size", "8x8", "--samples", "1", "--out", scene.path("a.exr")},
         scene.path("a.exr")}};
    const std::string before = readFile(scene.file);
    for (const Job& job : jobs) {
        INFO(job.command[0] << " to " << job.writes);
        const Interrupted whole = scene.run(job.command);
        INFO(whole.said);
        REQUIRE(whole.code == 0);
        REQUIRE(whole.calls > 2);
        for (int at = 1; at <= whole.calls; ++at) {
            INFO("full at call " << at << " of " << whole.calls);
            writeFile(scene.file, before);
            if (job.writes != file) writeFile(job.writes, "what was there");
            const Interrupted full = scene.run(job.command, Fate::DiskFull, at);
            INFO(full.said);
            CHECK_FALSE(full.killed);
            CHECK(full.code == 1);
            CHECK(readFile(job.writes) == (job.writes == file ? before : "what was there"));
            CHECK(full.said.find(fs::path(job.writes).parent_path().string()) != std::string::npos);
            CHECK(full.said.find(".part") == std::string::npos);
            CHECK_FALSE(leavesSomething(scene.folder.path()));
        }
    }
    writeFile(scene.file, before);
    const Interrupted whole = scene.run(scene.bake());
    const Frames all = framesOf(scene);
    for (int at = 1; at <= whole.calls; ++at) {
        INFO("full at call " << at << " of " << whole.calls);
        dropBakes(scene);
        const Interrupted full = scene.run(scene.bake(), Fate::DiskFull, at);
        INFO(full.said);
        CHECK_FALSE(full.killed);
        // The list of counts, written last, is for the strip alone.
        CHECK((full.code == 1 || framesOf(scene) == all));
        CHECK(full.said.find(".part") == std::string::npos);
        checkIn(framesOf(scene), all);
        CHECK_FALSE(leavesSomething(scene.folder.path()));
        REQUIRE(scene.run(scene.bake()).code == 0);
        CHECK(framesOf(scene) == all);
    }
}

TEST_CASE("two that write one scene leave it whole", "[interrupted]") {
    const Fountain scene;
    const Document document = loadScene(scene.file);
    std::set<std::string> mayBe{writeScene(document)};
    std::vector<std::thread> writers;
    for (int w = 0; w < 2; ++w)
        for (int n = 0; n < 20; ++n)
            mayBe.insert(
                writeScene(withText(document, "water/scatter/count", fmt::format("{}", 10 + 20 * w + n))));
    for (int w = 0; w < 2; ++w)
        writers.emplace_back([&, w] {
            for (int n = 0; n < 20; ++n)
                saveScene(withText(document, "water/scatter/count", fmt::format("{}", 10 + 20 * w + n)),
                          scene.file);
        });
    for (int look = 0; look < 50; ++look) CHECK(mayBe.count(readFile(scene.file)) == 1);
    for (std::thread& writer : writers) writer.join();
    CHECK(mayBe.count(readFile(scene.file)) == 1);
    CHECK_FALSE(leavesSomething(scene.folder.path()));
}

TEST_CASE("two that bake one layer leave one bake", "[interrupted][bake]") {
    const Fountain scene;
    REQUIRE(scene.run(scene.bake()).code == 0);
    const Frames all = framesOf(scene);
    dropBakes(scene);
    Interrupted runs[2];
    std::thread other([&] { runs[1] = scene.run(scene.bake()); });
    runs[0] = scene.run(scene.bake());
    other.join();
    CHECK((runs[0].code == 0 || runs[1].code == 0));
    for (const Interrupted& run : runs) {
        INFO(run.said);
        CHECK((run.code == 0 || run.said.find("another program bakes there") != std::string::npos));
    }
    CHECK(framesOf(scene) == all);
    CHECK_FALSE(leavesSomething(scene.folder.path()));
}
