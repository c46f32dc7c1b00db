#include "app/session/bake_worker.h"

#include <fmt/format.h>

#include "base/error.h"

namespace ovrix::app {

BakeWorker::BakeWorker(Tell tell)
    : tell_(std::move(tell)), jobs_([this](const std::exception& e) { tell_(problemOf(e), true, true); }) {}

void BakeWorker::start(Job job) {
    jobs_.post([this, job = std::move(job)](Progress& progress) {
        set({true, job.layer, job.first, job.first, job.last});
        run(job, progress);
        set({});
    });
}

BakeWorker::State BakeWorker::state() const {
    const std::lock_guard lock(mutex_);
    State s = state_;
    s.running |= jobs_.busy();
    return s;
}

void BakeWorker::set(const State& state) {
    const std::lock_guard lock(mutex_);
    state_ = state;
}

void BakeWorker::run(const Job& job, Progress& progress) {
    const std::string name =
        job.scene.document.find(job.layer) ? job.scene.document.get(job.layer).name : job.layer;
    BakeOptions options{job.first, job.last, [this](int frame, bool) {
                            {
                                std::lock_guard lock(mutex_);
                                state_.frame = frame;
                            }
                            tell_({}, false, false);
                        }};
    try {
        // An evaluation of its own: its frames push nothing out of what the window keeps.
        Evaluator evaluator(size_t(512) << 20);
        evaluator.simulations().setLimit(size_t(job.scene.document.sceneSetting(kScene.simMemory) * 1e9));
        const BakeResult r = bake(evaluator, job.scene, job.layer, options, progress);
        std::string text = fmt::format("Baked {}: {} frames{}", name, r.written + r.known,
                                       r.known ? fmt::format(", {} of them there already", r.known) : "");
        if (!r.notes.empty()) text += ". " + r.notes.front();
        tell_(text, false, true);
    } catch (const Cancelled&) {
        tell_("Stopped baking " + name + "; the frames so far stay, and Bake goes on from there", false,
              true);
    } catch (const std::bad_alloc&) {
        tell_("There was not enough memory to bake " + name, true, true);
    } catch (const std::exception& e) {
        tell_(problemOf(e), true, true);
    }
}

}  // namespace ovrix::app
