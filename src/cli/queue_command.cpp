// ovrix-cli queue.
#include <fmt/format.h>

#include <algorithm>
#include <csignal>
#include <ostream>

#include "base/error.h"
#include "cli/commands.h"
#include "cli/scene_command.h"
#include "deliver/queue/queue_run.h"

namespace ovrix::cli {

namespace fs = std::filesystem;

namespace {

QueueJob& jobIn(Queue& queue, const std::string& id) {
    if (QueueJob* job = queue.find(id)) return *job;
    throw Error("there is no such job", id, "ovrix-cli queue list names them");
}

void addJob(const Common& common, const QueueArgs& a) {
    const auto [first, last] = a.frames.empty() ? std::pair(1, 1) : framesIn(a.frames);
    const auto [width, height] = sizeIn(a.size);
    const fs::path folder = fs::absolute(a.file).parent_path();
    // The queue and what it names may be moved together.
    const auto fromHere = [&](const std::string& path) {
        const fs::path relative = fs::absolute(path).lexically_proximate(folder);
        return relative.string();
    };
    QueueJob job{.id = {},
                 .name = a.name,
                 .scene = fromHere(a.scene),
                 .first = first,
                 .last = last,
                 .camera = a.camera,
                 .width = width,
                 .height = height,
                 .samples = a.samples,
                 .denoise = !a.noisy,
                 .steady = !a.unsteady,
                 .finish = !a.unfinished,
                 .changes = a.changes,
                 .codec = a.codec,
                 .out = fromHere(a.out)};
    if (a.noise) job.noise = *a.noise;
    const Queue queue = addToQueue(a.file, std::move(job));
    common.out << queue.jobs.back().id << "\n";
}

std::string stateOf(const QueueJob& job, bool working) {
    if (!job.failed.empty()) return "failed: " + job.failed;
    if (job.complete()) return "done";
    if (job.paused) return "paused";
    return working ? "working" : "waiting";
}

void listJobs(const Common& common, const QueueArgs& a) {
    const Queue queue = readQueue(a.file);
    const bool runs = queueRuns(a.file);
    const auto progress = queueProgress(a.file);
    Json all = Json::array();
    for (const QueueJob& job : queue.jobs) {
        const std::vector<int> stale = staleFrames(a.file, job);
        const bool working = runs && progress && progress->job == job.id;
        all.push_back({{"id", job.id},
                       {"name", job.name},
                       {"scene", job.scene},
                       {"out", job.out},
                       {"frames", {job.first, job.last}},
                       {"done", job.done.size()},
                       {"stale", stale},
                       {"state", stateOf(job, working)}});
        if (common.json) continue;
        common.out << fmt::format("{:10} {:24} {:>5} of {:<5} {}{}\n", job.id, job.name, job.done.size(),
                                  job.count(), stateOf(job, working),
                                  stale.empty() ? "" : fmt::format("; {} stale", stale.size()));
    }
    if (common.json) common.out << jsonText(Json{{"jobs", all}, {"runs", runs}}) << "\n";
}

void runJobs(const Common& common, const QueueArgs& a) {
    static volatile std::sig_atomic_t stopAsked = 0;
    struct sigaction action = {};
    action.sa_handler = [](int) { stopAsked = 1; };
    action.sa_flags = SA_RESETHAND;  // asked twice it ends at once
    for (const int signal : {SIGINT, SIGTERM}) sigaction(signal, &action, nullptr);
    QueueRun run;
    run.stop = [] { return stopAsked != 0; };
    run.told = [&](const QueueProgress& p) {
        common.err << fmt::format("\r{} frame {}: pass {} of {}", p.job, p.frame, p.pass, p.passes)
                   << std::flush;
    };
    runQueue(a.file, run);
    common.err << "\n";
    const Queue queue = readQueue(a.file);
    size_t failed = 0;
    for (const QueueJob& job : queue.jobs)
        if (!job.failed.empty()) {
            ++failed;
            common.err << fmt::format("{}: {}\n", job.name, job.failed);
        }
    if (failed) throw Error(fmt::format("{} of {} renders failed", failed, queue.jobs.size()), a.file);
}

/// What words do to a job.
const std::map<std::string, std::function<void(QueueJob&)>>& wordsOnJobs() {
    static const std::map<std::string, std::function<void(QueueJob&)>> words = {
        {"pause", [](QueueJob& job) { job.paused = true; }},
        {"resume", [](QueueJob& job) { job.paused = false; }},
        {"retry", [](QueueJob& job) { job.failed.clear(); }},
        {"again", [](QueueJob& job) { job.failed.clear(), job.done.clear(); }}};
    return words;
}

/// What a word does to a job, or to the whole queue where none is named.
void changeJob(const QueueArgs& a) {
    std::vector<int> stale;  // found before others wait for the file
    if (a.action == "retry") {
        Queue known = readQueue(a.file);
        stale = staleFrames(a.file, jobIn(known, a.job));
    }
    editQueue(a.file, [&](Queue& queue) {
        if (a.job.empty()) {
            queue.paused = a.action == "pause";
            return;
        }
        QueueJob& job = jobIn(queue, a.job);
        const auto it = queue.jobs.begin() + (&job - queue.jobs.data());
        const auto word = wordsOnJobs().find(a.action);
        if (word != wordsOnJobs().end())
            word->second(job);
        else if (a.action == "first")
            std::rotate(queue.jobs.begin(), it, it + 1);
        else
            queue.jobs.erase(it);
        if (a.action == "retry")
            for (const int frame : stale) job.done.erase(frame);
    });
}

}  // namespace

void queue(const Common& common, const QueueArgs& a) {
    if (a.action == "add") return addJob(common, a);
    if (a.action == "list") return listJobs(common, a);
    if (a.action == "run") return runJobs(common, a);
    changeJob(a);
}

}  // namespace ovrix::cli
