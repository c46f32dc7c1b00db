// Queues: the file that several write, and renders that are killed, paused, changed and gone on with.
#include <thread>

#include "base/error.h"
#include "base/file_sequence.h"
#include "base/files.h"
#include "deliver/queue/queue_run.h"
#include "document/edits/edits.h"
#include "document/file/scene_file.h"
#include "interrupted.h"
#include "io/denoiser/denoiser.h"
#include "io/image/image_io.h"
#include "support.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;
namespace fs = std::filesystem;

namespace {

/// A ball under the usual sky, and a queue beside it.
struct Waiting {
    TemporaryFolder folder;
    fs::path queue = folder / "renders.queue";
    Waiting() { save("4"); }
    void save(const std::string& samples) {
        Document d = Document::fresh();
        d.put(makeNode(d, "sphere", "Ball"));
        d = withText(withText(withText(d, "render/samples", samples), "render/width", "24"), "render/height",
                     "16");
        saveScene(d, folder / "ball.ovrix");
    }
    QueueJob job(const std::string& out, int first = 1, int last = 1) const {
        QueueJob j;
        j.scene = "ball.ovrix", j.out = out, j.first = first, j.last = last;
        j.denoise = false;
        return j;
    }
    void run() const { runQueue(queue, {}); }
    bool there(const std::string& name) const { return fs::exists(folder / name); }
};

}  // namespace

TEST_CASE("a queue is worked off: stills, frames, variants and videos", "[queue]") {
    const Waiting w;
    addToQueue(w.queue, w.job("still.png"));
    addToQueue(w.queue, w.job("frames/f.####.exr", 2, 4));
    QueueJob dark = w.job("dark.png");
    dark.changes = {"sun/exposure=-10", "sky/exposure=-10"}, dark.name = "At night";
    addToQueue(w.queue, dark);
    addToQueue(w.queue, w.job("ball.mp4", 1, 3));
    fs::create_directory(w.folder / "frames");
    CHECK_FALSE(queueRuns(w.queue));
    w.run();
    const Queue done = readQueue(w.queue);
    REQUIRE(done.jobs.size() == 4);
    for (const QueueJob& job : done.jobs) {
        INFO(job.name << ": " << job.failed);
        CHECK(job.complete());
        CHECK(job.failed.empty());
    }
    CHECK(done.jobs[2].name == "At night");
    for (const char* name : {"still.png", "frames/f.0002.exr", "frames/f.0004.exr", "dark.png", "ball.mp4"})
        CHECK(w.there(name));
    const auto still = readImage(w.folder / "still.png", "sRGB"),
               night = readImage(w.folder / "dark.png", "sRGB");
    CHECK(still->width == 24);
    CHECK(luminance(V3f(still->color(2, 2))) > 10 * luminance(V3f(night->color(2, 2))));
    CHECK(fs::is_empty(queueFolder(w.queue)) == false);  // the last picture that was shown
    for (const auto& entry : fs::directory_iterator(queueFolder(w.queue)))
        CHECK(entry.path().filename() == "now.png");
}

TEST_CASE("what fails says why, and the next one begins", "[queue]") {
    const Waiting w;
    addToQueue(w.queue, w.job("no/such/folder.png"));
    QueueJob gone = w.job("x.png");
    addToQueue(w.queue, gone);
    addToQueue(w.queue, w.job("good.png"));
    editQueue(w.queue, [](Queue& q) { q.jobs[1].scene = "gone.ovrix"; });
    w.run();
    Queue q = readQueue(w.queue);
    CHECK_FALSE(q.jobs[0].failed.empty());
    CHECK(q.jobs[1].failed.find("gone.ovrix") != std::string::npos);
    CHECK(q.jobs[2].complete());
    // Tried again once it can be done.
    fs::create_directories(w.folder / "no/such");
    editQueue(w.queue, [](Queue& all) { all.jobs[0].failed.clear(); });
    w.run();
    CHECK(readQueue(w.queue).jobs[0].complete());
    // What cannot be done is said at once, and nothing is queued.
    for (const QueueJob& bad : {w.job("a.gif"), w.job("a.png", 1, 5), w.job("a.####.png", 5, 1)})
        CHECK_THROWS_AS(addToQueue(w.queue, bad), Error);
    QueueJob wrong = w.job("a.png");
    for (const char* change : {"no value", "nobody/x=1", "sun/no_such=1"}) {
        wrong.changes = {change};
        CHECK_THROWS_AS(addToQueue(w.queue, wrong), Error);
    }
    CHECK(readQueue(w.queue).jobs.size() == 3);
}

TEST_CASE("frames whose scene changed are stale, and said", "[queue]") {
    Waiting w;
    addToQueue(w.queue, w.job("f.####.png", 1, 2));
    w.run();
    CHECK(staleFrames(w.queue, readQueue(w.queue).jobs[0]).empty());
    w.save("5");
    CHECK(staleFrames(w.queue, readQueue(w.queue).jobs[0]) == std::vector<int>{1, 2});
    fs::remove(w.folder / "ball.ovrix");
    CHECK(staleFrames(w.queue, readQueue(w.queue).jobs[0]) == std::vector<int>{1, 2});
}

TEST_CASE("frames that somebody took away are stale, and filled in when that is asked for", "[queue]") {
    Waiting w;
    addToQueue(w.queue, w.job("f.####.png", 1, 3));
    addToQueue(w.queue, w.job("v.mkv", 1, 2));
    w.run();
    const auto second = fs::last_write_time(w.folder / "f.0002.png");
    const auto third = readImage(w.folder / "f.0003.png", "Raw")->pixels;
    fs::remove(w.folder / "f.0003.png");
    fs::remove(w.folder / "v.mkv");
    const Queue queue = readQueue(w.queue);
    CHECK(goneFrames(w.queue, queue.jobs[0]) == std::vector<int>{3});
    CHECK(staleFrames(w.queue, queue.jobs[0]) == std::vector<int>{3});
    CHECK(goneFrames(w.queue, queue.jobs[1]) == std::vector<int>{1, 2});
    w.run();  // pictures that were moved to where they are wanted are not made again unasked
    CHECK_FALSE(fs::exists(w.folder / "f.0003.png"));
    editQueue(w.queue, [&](Queue& q) {
        for (QueueJob& job : q.jobs)
            for (const int frame : staleFrames(w.queue, job)) job.done.erase(frame);
    });
    w.run();
    CHECK(readImage(w.folder / "f.0003.png", "Raw")->pixels == third);
    CHECK(fs::last_write_time(w.folder / "f.0002.png") == second);
    CHECK(fs::exists(w.folder / "v.mkv"));
    for (const QueueJob& job : readQueue(w.queue).jobs) CHECK(job.complete());
}

TEST_CASE("frames of a queue that are steady are so wherever a run begins", "[queue][steady]") {
    if (!hasDenoiser()) return;
    Waiting w;
    QueueJob job = w.job("s.##.png", 1, 4);
    job.denoise = true;
    REQUIRE(job.isSteady());
    addToQueue(w.queue, job);
    w.run();
    const auto pixels = [&](const char* name) { return readImage(w.folder / name, "Raw")->pixels; };
    const auto third = pixels("s.03.png"), last = pixels("s.04.png");
    for (const int frame : {3, 4}) {  // each by itself, by runs that know nothing of the one before
        editQueue(w.queue, [&](Queue& q) { q.jobs[0].done.erase(frame); });
        fs::remove(fromQueue(w.queue, fileOfFrame("s.##.png", frame)));
        w.run();
    }
    CHECK(pixels("s.03.png") == third);
    CHECK(pixels("s.04.png") == last);
    CHECK(sceneOf(w.queue, job).document != loadScene(w.folder / "ball.ovrix"));  // it tells how things move
    job.steady = false;
    CHECK(sceneOf(w.queue, job).document == loadScene(w.folder / "ball.ovrix"));
}

TEST_CASE("a pause keeps what there is, and going on gives the same picture", "[queue]") {
    const Waiting w;
    addToQueue(w.queue, w.job("whole.exr"));
    w.run();
    addToQueue(w.queue, w.job("parts.exr"));
    for (int rounds = 0; rounds < 4; ++rounds) {
        QueueRun once;
        int passes = 0;
        once.stop = [&] { return passes++ > 0; };  // after the first pass
        runQueue(w.queue, once);
    }
    w.run();
    CHECK(readQueue(w.queue).jobs[1].complete());
    CHECK(readImage(w.folder / "parts.exr", "Raw")->pixels ==
          readImage(w.folder / "whole.exr", "Raw")->pixels);
    // A job that is paused by another program gives way to the next one.
    QueueJob long_ = w.job("long.png");
    long_.samples = 100000;
    addToQueue(w.queue, long_);
    addToQueue(w.queue, w.job("short.png"));
    QueueRun run;
    run.told = [&](const QueueProgress& p) {
        if (p.job != readQueue(w.queue).jobs[3].id)
            editQueue(w.queue, [](Queue& q) { q.jobs[2].paused = true; });
        CHECK(queueRuns(w.queue));
        CHECK_THROWS_AS(runQueue(w.queue, {}), Error);  // two of them
    };
    runQueue(w.queue, run);
    CHECK_FALSE(readQueue(w.queue).jobs[2].complete());
    CHECK(readQueue(w.queue).jobs[3].complete());
    CHECK_FALSE(queueProgress(w.queue));
}

TEST_CASE("two that change a queue at a time lose nothing", "[queue]") {
    const Waiting w;
    constexpr int kEach = 25;
    const auto write = [&](const std::string& name) {  // each has a lock of its own, as programs have
        for (int i = 0; i < kEach; ++i)
            editQueue(w.queue, [&](Queue& q) {
                QueueJob j = w.job("x.png");
                j.id = name + std::to_string(i);
                q.jobs.push_back(j);
            });
    };
    std::thread other([&] { write("b"); });
    write("a");
    other.join();
    CHECK(readQueue(w.queue).jobs.size() == 2 * kEach);
}

TEST_CASE("a queue that is killed again and again loses no frame that was done", "[queue][interrupted]") {
    const Waiting w;
    addToQueue(w.queue, w.job("f.####.png", 1, 3));
    const std::vector<std::string> run{programBeside("ovrix-cli"), "queue", "run", w.queue.string()};
    const int calls = runInterrupted(run, w.folder.path()).calls;
    CHECK(readQueue(w.queue).jobs[0].complete());
    REQUIRE(calls > 20);
    const auto again = [&] {
        editQueue(w.queue, [](Queue& q) { q.jobs[0].done.clear(), q.jobs[0].failed.clear(); });
    };
    again();
    size_t done = 0;
    int killed = 0;
    for (int k = 0; k < rounds(50); ++k) {
        killed += runInterrupted(run, w.folder.path(), Fate::Killed, 1 + (k * 13) % calls).killed;
        const Queue q = readQueue(w.queue);  // never damaged
        REQUIRE(q.jobs.size() == 1);
        CHECK(q.jobs[0].failed.empty());
        CHECK(q.jobs[0].done.size() >= done);
        done = q.jobs[0].done.size();
        for (const auto& [frame, made] : q.jobs[0].done)
            CHECK(readImage(w.folder / ("f.000" + std::to_string(frame) + ".png"), "sRGB")->width == 24);
        if (q.jobs[0].complete()) again(), done = 0;
    }
    CHECK(killed > rounds(50) / 2);
    w.run();
    CHECK(readQueue(w.queue).jobs[0].complete());
}

TEST_CASE("a disk that is full fails a render in words, and the queue stays whole", "[queue][interrupted]") {
    const Waiting w;
    addToQueue(w.queue, w.job("f.png"));
    const std::vector<std::string> run{programBeside("ovrix-cli"), "queue", "run", w.queue.string()};
    const int calls = runInterrupted(run, w.folder.path()).calls;
    for (int at = 1; at <= calls; at += 1 + calls / rounds(12)) {
        editQueue(w.queue, [](Queue& q) { q.jobs[0].done.clear(), q.jobs[0].failed.clear(); });
        std::filesystem::remove(w.folder / "f.png");
        const Interrupted full = runInterrupted(run, w.folder.path(), Fate::DiskFull, at);
        INFO("at " << at << ": " << full.said);
        CHECK_FALSE(full.killed);
        const Queue q = readQueue(w.queue);
        REQUIRE(q.jobs.size() == 1);
        if (q.jobs[0].complete()) CHECK(readImage(w.folder / "f.png", "sRGB")->width == 24);
        if (w.there("f.png")) CHECK(readImage(w.folder / "f.png", "sRGB")->width == 24);
    }
    editQueue(w.queue, [](Queue& q) { q.jobs[0].done.clear(), q.jobs[0].failed.clear(); });
    w.run();
    CHECK(readQueue(w.queue).jobs[0].complete());
}

TEST_CASE("a damaged queue says so, and stays as it is", "[queue][damaged]") {
    const Waiting w;
    addToQueue(w.queue, w.job("f.####.png", 1, 6));
    const std::string good = readFile(w.queue);
    for (const std::string& bad :
         {std::string("{"), std::string("[]"), std::string("{\"format\": \"ovrix-queue\", \"jobs\": [{}]}"),
          std::string("{\"format\": \"ovrix-queue\", \"version\": 99, \"jobs\": []}"),
          std::string("{\"format\": \"ovrix-queue\", \"jobs\": [{\"id\": \"a\", \"scene\": \"s\", "
                      "\"frames\": [5, 1], "
                      "\"size\": [0, 0], \"out\": \"x.png\"}]}")}) {
        writeFile(w.queue, bad);
        CHECK_THROWS_AS(readQueue(w.queue), Error);
        CHECK_THROWS_AS(editQueue(w.queue, [](Queue& q) { q.paused = true; }), Error);
        CHECK_THROWS_AS(w.run(), Error);
        CHECK(readFile(w.queue) == bad);
    }
    for (size_t cut = 0; cut < good.size(); cut += 7) {
        writeFile(w.queue, good.substr(0, cut));
        try {
            readQueue(w.queue);
        } catch (const Error&) {
        }
    }
}
