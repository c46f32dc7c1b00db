// Bakes: what is written, read back, gone on from, refused.
#include <fcntl.h>
#include <sys/file.h>
#include <sys/resource.h>
#include <sys/wait.h>
#include <unistd.h>

#include <csignal>

#include "base/error.h"
#include "base/file_sequence.h"
#include "base/files.h"
#include "document/edits/edits.h"
#include "document/file/scene_file.h"
#include "eval/bake.h"
#include "eval/checks/checks.h"
#include "io/formats/elements_io.h"
#include "io/formats/state_file.h"
#include "support.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;

namespace {

/// A scene with a fountain, saved in a folder of its own.
struct Fountain {
    TemporaryFolder folder;
    std::filesystem::path scene = folder / "fountain.ovrix";
    Document document = Document::fresh();
    Evaluator evaluator;

    Fountain() {
        Node plate = makeNode(document, "plane", "Plate");
        document.put(plate);
        Node layer = makeNode(document, "layer", "Water");
        layer.params["surface"].value = std::string("plate");
        layer.steps.push_back(makeStep("scatter", layer));
        layer.steps[0].params["count"].value = int64_t(50);
        document.put(layer);
        document = withStep(document, "water", 1, makeStep("simulate", document.get("water")));
        for (const char* part : {"turbulence", "facing", "color_over_life"})
            document = withPart(document, "water", "simulate", part);
        document = withText(document, "water/emit/rate", "500");
        document = withText(document, "water/emit/weight", "0.5..2");
        document = withText(document, "scene/last", "20");
        saveScene(document, scene);
    }
    SceneContext context() const { return {document, folder.path(), scene}; }
    std::filesystem::path baked() { return bakeFolder(scene, "water"); }
    BakeResult bakeTo(int last, Progress& progress = Progress::none(),
                      std::function<void(int, bool)> done = {}) {
        return bake(evaluator, context(), "water", {1, last, std::move(done)}, progress);
    }
    AttributeSet at(double frame, Evaluator& by) {
        return std::get<std::shared_ptr<const PointSet>>(
                   by.layer(context(), "water", {frame, Purpose::Render, true}, Progress::none()).geometry)
            ->attributes;
    }
    AttributeSet at(double frame) { return at(frame, evaluator); }
    SimulationStatus status() { return *simulationStatus(evaluator, context(), document.get("water"), 1.0); }
};

/// Bytes of all columns: unlike ==, it tells NaN from NaN and 0 from -0.
bool sameBits(const AttributeSet& a, const AttributeSet& b) {
    const auto ca = a.columns(), cb = b.columns();
    if (ca.size() != cb.size() || a.size() != b.size()) return false;
    for (size_t i = 0; i < ca.size(); ++i) {
        if (ca[i].first != cb[i].first || ca[i].second->index() != cb[i].second->index()) return false;
        const bool same = std::visit(
            [&](const auto& x) {
                using T = std::decay_t<decltype(x)>;
                if constexpr (std::is_same_v<T, StringColumn>)
                    return x == std::get<T>(*cb[i].second);
                else
                    return x.empty() || std::memcmp(x.data(), std::get<T>(*cb[i].second).data(),
                                                    x.size() * sizeof(x[0])) == 0;
            },
            *ca[i].second);
        if (!same) return false;
    }
    return true;
}

}  // namespace

TEST_CASE("a frame comes back from its file bit for bit", "[bake]") {
    const std::string ending = GENERATE(as<std::string>(), ".columns", ".vdb", ".usda");
    INFO(ending);
    TemporaryFolder folder;
    std::mt19937_64 random(testSeed());
    std::normal_distribution<float> n;
    for (size_t count : {size_t(0), size_t(1), size_t(3000)}) {
        AttributeSet a;
        a.resize(count);
        const auto p = a.add<V3f>("P");
        const auto f = a.add<float>("life");
        const auto i = a.add<int32_t>("state");
        const auto u = a.add<uint64_t>("id");
        const auto q = a.add<Quatf>("orient");
        const auto c = a.add<Color>("color");
        const auto b = a.add<V2f>("bary");
        for (size_t k = 0; k < count; ++k) {
            p[k] = V3f(n(random), 100 * n(random), n(random));
            f[k] = k % 7 ? n(random) : std::numeric_limits<float>::infinity();
            i[k] = int32_t(random()), u[k] = random();
            q[k] = Quatf(n(random), n(random), n(random), n(random));
            c[k] = Color(n(random), 0, 1), b[k] = V2f(k % 2 ? 0.0f : -0.0f, 0);
        }
        // Text keeps that it is no number, not which one of them.
        if (count > 10)
            p[5] = V3f(ending != ".usda" ? std::nanf("") : 0.0f, 1e30f, -0.0f), p[6] = V3f(1e20f, 0, 0);
        writeStateFile(folder / ("a" + ending), {{{"points", a}}, {{"who", "x \"y\" \\ z"}, {"n", ""}}});
        const StateFile back = readStateFile(folder / ("a" + ending));
        REQUIRE(back.sets.size() == 1);
        CHECK(back.notes.at("who") == "x \"y\" \\ z");
        CHECK(back.notes.at("n").empty());
        CHECK(sameBits(back.sets[0].second, a));
    }
    const std::string whole = readFile(folder / ("a" + ending)), other = "b" + ending;
    for (int k = 0; k < 60; ++k) {  // damaged in any way: an error, or the same kind of thing, but no crash
        std::string bytes = whole;
        damage(bytes, random);
        writeFile(folder / other, bytes);
        try {
            readStateFile(folder / other);
        } catch (const Error& e) {
            CHECK(std::string(e.what()).find(other) != std::string::npos);
        }
    }
    writeFile(folder / other, whole.substr(0, whole.size() / 2));
    CHECK_THROWS_AS(readStateFile(folder / other), Error);
    writeFile(folder / other, "");
    CHECK_THROWS_AS(readStateFile(folder / other), Error);
    CHECK_THROWS_AS(readStateFile(folder / ("none" + ending)), Error);
}

TEST_CASE("strands come back from both formats bit for bit, and other programs find curves and points",
          "[bake]") {
    TemporaryFolder folder;
    AttributeSet points, strands;
    points.set("P", std::vector<V3f>{V3f(0.1f), V3f(1.0f / 3), V3f(2), V3f(3), V3f(-0.0f, 1e-30f, 5)});
    points.set("width", std::vector<float>{1, 2, 3, 4, 5});
    points.set("v", std::vector<V3f>(5, V3f(1.0f / 7)));
    strands.set("points", std::vector<int32_t>{2, 3});
    strands.set("id", std::vector<uint64_t>{UINT64_MAX, 5});
    strands.set("orient", std::vector<Quatf>{Quatf(0.5f, 0.1f, 0.2f, 0.3f), Quatf()});
    strands.set("P", std::vector<V3f>{V3f(0.1f), V3f(2)});
    for (const char* name : {"a.columns", "a.vdb", "a.usda"}) {
        INFO(name);
        writeStateFile(folder / name, {{{"points", points}, {"strands", strands}}, {}});
        const StateFile back = readStateFile(folder / name);
        REQUIRE(back.sets.size() == 2);
        CHECK(sameBits(back.sets[0].second, points));
        CHECK(sameBits(back.sets[1].second, strands));
    }
    CHECK(readStrands(folder / "a.usda").start == std::vector<uint32_t>{0, 2, 5});
    AttributeSet one;
    one.set("P", std::vector<V3f>{V3f(1, 2, 3)});
    one.set("id", std::vector<uint64_t>{uint64_t(1) << 63 | 12});
    writeStateFile(folder / "p.usda", {{{"points", one}}, {}});
    const PointSet read = readPoints(folder / "p.usda");
    CHECK(read.attributes.find<V3f>("P")[0] == V3f(1, 2, 3));
    CHECK(read.attributes.find<uint64_t>("id")[0] == (uint64_t(1) << 63 | 12));
}

TEST_CASE("a bake gives what the view showed, at once, and another evaluation reads it", "[bake]") {
    Fountain f;
    std::vector<AttributeSet> shown;
    for (int k = 1; k <= 20; ++k) shown.push_back(f.at(k));
    CHECK(f.bakeTo(20).written == 20);
    Evaluator other;
    for (int k : {20, 3, 11}) CHECK(sameBits(f.at(k, other), shown[size_t(k) - 1]));
    CHECK(other.simulations().frames(f.status().bake.life).empty());  // nothing had to be simulated
    // Past its end a bake is gone on from, with the same bits.
    CHECK(sameBits(f.at(26, other), f.at(26)));
    CHECK(f.status().fresh);
    CHECK(f.status().used());
}

TEST_CASE("a bake that was stopped goes on with the same bits", "[bake]") {
    Fountain whole, stopped;
    whole.bakeTo(20);
    Progress progress;
    CHECK_THROWS_AS(stopped.bakeTo(20, progress,
                                   [&](int frame, bool) {
                                       if (frame == 8) progress.cancel();
                                   }),
                    Cancelled);
    CHECK(stopped.status().bake.frames.size() == 8);
    Evaluator fresh;  // as after another start of the program
    const BakeResult r = bake(fresh, stopped.context(), "water", {1, 20, {}}, Progress::none());
    CHECK(r.known == 8);
    CHECK(r.written == 12);
    for (int k = 1; k <= 20; ++k) {
        const auto name = fmt::format("frame.{:04}.columns", k);
        CHECK(sameBits(readStateFile(stopped.baked() / name).sets[0].second,
                       readStateFile(whole.baked() / name).sets[0].second));
    }
}

TEST_CASE("after an edit a bake is stale, and used only where that was chosen", "[bake]") {
    Fountain f;
    f.bakeTo(10);
    const AttributeSet old = f.at(10);
    f.document = withText(f.document, "water/emit/rate", "300");
    CHECK_FALSE(f.status().fresh);
    CHECK_FALSE(f.status().used());
    CHECK(f.at(10).size() < old.size());
    const auto checks = [&] {
        LayerResults results;
        results["water"] =
            f.evaluator.layer(f.context(), "water", {10, Purpose::Viewport, true}, Progress::none());
        return findChecks(f.context(), results, f.evaluator, 10, Progress::none());
    };
    const auto about = [&](const std::string& text) -> const Check* {
        static std::vector<Check> all;
        all = checks();
        for (const Check& c : all)
            if (c.text.find(text) != std::string::npos) return &c;
        return nullptr;
    };
    const Check* stale = about("stale");
    REQUIRE(stale);
    f.document = stale->fix(f.document);
    CHECK(f.status().used());
    CHECK(sameBits(f.at(10), old));
    CHECK(about("something else"));
    // Baked again, it holds again.
    f.document = withText(f.document, "water/simulate/bake_use", "while fresh");
    CHECK(f.bakeTo(10).written == 10);
    CHECK(f.status().fresh);
    CHECK_FALSE(about("stale"));
    f.document = withText(f.document, "water/simulate/bake_use", "never");
    CHECK_FALSE(f.status().used());
}

TEST_CASE("locked, taken by another program, without a file, without a simulation: refused, and said",
          "[bake]") {
    Fountain f;
    CHECK_THROWS_AS(lockBake(f.baked(), true), Error);
    f.bakeTo(3);
    lockBake(f.baked(), true);
    CHECK_THROWS_WITH(f.bakeTo(3), Catch::Contains("locked"));
    CHECK_THROWS_WITH(removeBake(f.baked()), Catch::Contains("locked"));
    lockBake(f.baked(), false);
    std::optional<FileLock> other = FileLock::ifFree(f.baked() / ".lock");
    REQUIRE(other);
    CHECK_THROWS_WITH(f.bakeTo(5), Catch::Contains("another program"));
    other.reset();
    CHECK(f.bakeTo(5).known == 3);
    CHECK_THROWS_WITH(bake(f.evaluator, f.document, "water", {1, 2, {}}, Progress::none()),
                      Catch::Contains("no file"));
    f.document = withoutStep(f.document, "water", "simulate");
    CHECK_THROWS_WITH(f.bakeTo(5), Catch::Contains("no simulation"));
    removeBake(f.baked());
    CHECK_FALSE(bakeInfo(f.baked()).exists);
}

TEST_CASE("frames that are missing, cut, or of another scene are not used", "[bake]") {
    Fountain f, other;
    f.bakeTo(10);
    const AttributeSet exact = f.at(7);
    other.document = withText(other.document, "water/emit/rate", "100");
    other.bakeTo(10);
    const auto put = [&](const std::filesystem::path& from, const char* name) {
        std::filesystem::copy_file(from, f.baked() / name, std::filesystem::copy_options::overwrite_existing);
    };
    Evaluator fresh;
    std::filesystem::remove(f.baked() / "frame.0006.columns");
    put(other.baked() / "frame.0007.columns", "frame.0007.columns");  // of another scene
    writeFile(f.baked() / "frame.0008.columns", readFile(f.baked() / "frame.0008.columns").substr(0, 900));
    for (int k : {6, 7, 8}) {
        CHECK(sameBits(f.at(k, fresh), f.at(k, f.evaluator)));
    }
    CHECK(sameBits(f.at(7, fresh), exact));
    const LayerResult r = fresh.layer(f.context(), "water", {8, Purpose::Render, true}, Progress::none());
    CHECK(r.steps[1].note.find("frame.0008.columns") != std::string::npos);
    CHECK(f.bakeTo(10).written == 3);
    writeFile(f.baked() / "bake.json", "{\"format\": \"ovrix-bake\", \"version\": 99}");
    CHECK(f.status().problem.find("newer") != std::string::npos);
    writeFile(f.baked() / "bake.json", "nonsense");
    CHECK_FALSE(f.status().problem.empty());
    CHECK(f.bakeTo(10).written == 10);
}

TEST_CASE("a bake as text is the same bake, and going over to the other format simulates nothing anew",
          "[bake]") {
    Fountain f;
    f.bakeTo(6);
    const AttributeSet shown = f.at(6);
    f.document = withText(f.document, "water/simulate/bake_as", "usda");
    CHECK(f.status().fresh);  // how it is kept is no part of what it is
    Evaluator fresh;
    const size_t before = fresh.stepsRun();
    CHECK(bake(fresh, f.context(), "water", {1, 6, {}}, Progress::none()).written == 6);
    CHECK(fresh.stepsRun() == before);
    CHECK(framesOf(f.baked() / "frame.####.columns").empty());
    CHECK(framesOf(f.baked() / "frame.####.usda").size() == 6);
    Evaluator other;
    CHECK(sameBits(f.at(6, other), shown));
    CHECK(f.bakeTo(6).known == 6);
}

namespace {

/// Runs the command line program that lies beside the tests.
pid_t started(std::vector<std::string> args) {
    const auto program = std::filesystem::read_symlink("/proc/self/exe").parent_path() / "ovrix-cli";
    REQUIRE(std::filesystem::exists(program));
    args.insert(args.begin(), program.string());
    std::vector<char*> words;
    for (std::string& a : args) words.push_back(a.data());
    words.push_back(nullptr);
    const pid_t child = ::fork();
    if (child == 0) {  // nothing of the parent's threads is here: the program itself is run
        const int nowhere = ::open("/dev/null", O_WRONLY);
        ::dup2(nowhere, 1), ::dup2(nowhere, 2);
        ::execv(words[0], words.data());
        ::_exit(127);
    }
    return child;
}

int endOf(pid_t child) {
    int status = 0;
    ::waitpid(child, &status, 0);
    return WIFEXITED(status) ? WEXITSTATUS(status) : 128 + WTERMSIG(status);
}

}  // namespace

TEST_CASE("a program that is killed while it bakes leaves whole files only", "[bake]") {
    Fountain f;
    const pid_t child = started({"bake", f.scene.string(), "--frames", "1-400"});
    for (int k = 0; k < 6000 && bakeInfo(f.baked()).frames.size() < 5; ++k) {
        int status = 0;
        REQUIRE(::waitpid(child, &status, WNOHANG) == 0);
        ::usleep(5000);
    }
    ::kill(child, SIGKILL);
    CHECK(endOf(child) == 128 + SIGKILL);
    const BakeInfo info = bakeInfo(f.baked());
    CHECK(info.frames.size() >= 5);
    for (int frame : info.frames) CHECK_NOTHROW(readBaked(f.baked(), info, frame));
    CHECK(f.bakeTo(int(info.frames.size()) + 2).written == 2);
}

TEST_CASE("two programs that bake one folder: the second is told, and the first goes on", "[bake]") {
    Fountain f;
    const pid_t first = started({"bake", f.scene.string(), "--frames", "1-400"});
    for (int k = 0; k < 6000 && bakeInfo(f.baked()).frames.size() < 2; ++k) ::usleep(5000);
    REQUIRE(bakeInfo(f.baked()).frames.size() >= 2);
    CHECK(endOf(started({"bake", f.scene.string(), "--frames", "1-3"})) == 1);
    const size_t then = bakeInfo(f.baked()).frames.size();
    for (int k = 0; k < 6000 && bakeInfo(f.baked()).frames.size() <= then; ++k) ::usleep(5000);
    CHECK(bakeInfo(f.baked()).frames.size() > then);
    ::kill(first, SIGTERM);
    endOf(first);
}

TEST_CASE("a disk that fills up while baking is said, and what was written stays whole", "[bake]") {
    Fountain f;
    // As the kernel does it for a full disk, for files past a size: the process may write no more.
    f.bakeTo(8);
    rlimit old{};
    ::getrlimit(RLIMIT_FSIZE, &old);
    const auto largest = std::filesystem::file_size(f.baked() / "frame.0008.columns");
    ::signal(SIGXFSZ, SIG_IGN);
    rlimit low{largest, old.rlim_max};
    ::setrlimit(RLIMIT_FSIZE, &low);
    std::string problem;
    try {
        f.bakeTo(20);
    } catch (const Error& e) {
        problem = e.what();
    }
    ::setrlimit(RLIMIT_FSIZE, &old);
    CHECK(problem.find("disk") != std::string::npos);
    const BakeInfo info = bakeInfo(f.baked());
    CHECK(info.frames.size() >= 8);
    CHECK(info.frames.size() < 20);
    for (int frame : info.frames) CHECK_NOTHROW(readBaked(f.baked(), info, frame));
    for (const auto& entry : std::filesystem::directory_iterator(f.baked()))
        CHECK(entry.path().string().find(".part") == std::string::npos);
    CHECK(f.bakeTo(20).known == int(info.frames.size()));
}
