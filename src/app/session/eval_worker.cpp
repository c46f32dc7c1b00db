#include "app/session/eval_worker.h"

namespace ovrix::app {

using Clock = std::chrono::steady_clock;

EvalWorker::EvalWorker(Evaluator& evaluator, Publish publish)
    : evaluator_(evaluator), publish_(std::move(publish)), thread_([this] { loop(); }) {}

EvalWorker::~EvalWorker() {
    {
        std::lock_guard lock(mutex_);
        stop_ = true;
        if (running_) running_->cancel();
    }
    wake_.notify_all();
    thread_.join();
}

void EvalWorker::request(Request request) {
    std::lock_guard lock(mutex_);
    waiting_ = std::move(request);
    // While a value is dragged, work that is nearly done is let finish, or nothing would ever show.
    if (running_ && Clock::now() - began_ > std::chrono::milliseconds(400) && jobs_.empty())
        running_->cancel();
    busy_ = true;
    wake_.notify_all();
}

void EvalWorker::post(std::function<void(Progress&)> job) {
    std::lock_guard lock(mutex_);
    jobs_.push_back(std::move(job));
    busy_ = true;
    wake_.notify_all();
}

void EvalWorker::cancel() {
    std::lock_guard lock(mutex_);
    if (running_) running_->cancel();
}

double EvalWorker::busySeconds() const {
    std::lock_guard lock(mutex_);
    return running_ ? std::chrono::duration<double>(Clock::now() - began_).count() : 0.0;
}

std::string EvalWorker::title() const {
    std::lock_guard lock(mutex_);
    return running_ ? running_->title() : std::string();
}

float EvalWorker::fraction() const {
    std::lock_guard lock(mutex_);
    return running_ ? running_->fraction() : 0.0f;
}

void EvalWorker::waitIdle() {
    std::unique_lock lock(mutex_);
    idle_.wait(lock, [this] { return !busy_; });
}

void EvalWorker::loop() {
    std::unique_lock lock(mutex_);
    for (;;) {
        wake_.wait(lock, [this] { return stop_ || waiting_ || !jobs_.empty(); });
        if (stop_) return;
        std::function<void(Progress&)> job;
        std::optional<Request> request;
        if (!jobs_.empty()) {
            job = std::move(jobs_.front());
            jobs_.erase(jobs_.begin());
        } else {
            request = std::exchange(waiting_, std::nullopt);
        }
        const auto progress = running_ = std::make_shared<Progress>();
        began_ = Clock::now();
        lock.unlock();
        try {
            if (job)
                job(*progress);
            else
                publish_(last_ = evaluate(*request, *progress));
        } catch (const Cancelled&) {
        } catch (const std::exception& e) {  // a scene without its settings, say; it must not end the program
            // What was last made stays in view; the check says why nothing newer is.
            auto snapshot = std::make_shared<EvalSnapshot>(last_ ? *last_ : EvalSnapshot());
            if (request) snapshot->document = request->scene.document;
            snapshot->checks.assign(1, {Severity::Error, problemOf(e), {}, {}, {}, {}});
            publish_(snapshot);
        }
        lock.lock();
        running_ = nullptr;
        busy_ = waiting_ || !jobs_.empty();
        if (!busy_) idle_.notify_all();
    }
}

/// What the view needs of a layer that makes strands or a mesh; kept from the last time when it is the same.
void EvalWorker::addDrawn(EvalSnapshot& snapshot, const std::string& layer) const {
    const LayerResult& result = snapshot.layers[layer];
    const auto lines = [&](auto EvalSnapshot::*all, const StrandSet& strands, uint64_t hash) {
        if (last_)
            if (const auto known = ((*last_).*all).find(layer);
                known != ((*last_).*all).end() && known->second.hash == hash) {
                (snapshot.*all)[layer] = known->second;
                return;
            }
        (snapshot.*all)[layer] = {std::make_shared<const PackedStrands>(packedStrands(strands)), hash};
    };
    if (const auto* strands = std::get_if<StrandsPtr>(&result.geometry))
        lines(&EvalSnapshot::strands, **strands, result.hash);
    if (result.guides) lines(&EvalSnapshot::guides, *result.guides, result.guidesHash);
    if (const auto* mesh = std::get_if<MeshPtr>(&result.geometry)) {
        ObjectResult object;
        object.mesh = *mesh;
        object.hash = result.hash;
        snapshot.layerMeshes[layer] = {*mesh, evaluator_.coarse(object), M44f(), result.hash, {}};
    }
}

std::shared_ptr<const EvalSnapshot> EvalWorker::evaluate(const Request& r, Progress& progress) {
    const auto start = Clock::now();
    auto snapshot = std::make_shared<EvalSnapshot>();
    const Document& document = r.scene.document;
    snapshot->document = document;
    snapshot->full = r.full;
    evaluator_.simulations().setLimit(
        size_t(std::get<double>(document.setting("scene", "sim_memory")) * 1e9));
    // A scene that was just opened shows what is there at once, and the rest as it comes.
    const bool opening = !last_ || lastScene_ != r.scene.file;
    auto shownAt = start;
    const auto showSoFar = [&] {
        if (!opening || Clock::now() - shownAt < std::chrono::milliseconds(300)) return;
        shownAt = Clock::now();
        publish_(std::make_shared<const EvalSnapshot>(*snapshot));
    };
    const auto viewOf = [&](const Node& node, const ObjectResult& o) {
        return ObjectView{o.mesh, evaluator_.coarse(o), document.worldMatrix(node.id, r.frame), o.hash,
                          o.steps};
    };
    if (opening) {
        std::set<std::string> all;
        std::mutex one;
        for (const NodePtr& node : document.nodes()) all.insert(node->id);
        evaluator_.makeObjects(r.scene, all, r.frame, progress, [&](const Node& node, const ObjectResult& o) {
            ObjectView view = viewOf(node, o);
            const std::lock_guard lock(one);
            snapshot->objects[node.id] = std::move(view);
            showSoFar();
        });
    }
    for (const NodePtr& node : document.nodes()) {
        progress.check();
        showSoFar();
        if (node->category() == Category::Object) {
            try {
                snapshot->objects[node->id] =
                    viewOf(*node, evaluator_.object(r.scene, node->id, r.frame, progress));
            } catch (const Error& e) {
                snapshot->objectErrors[node->id] = e.what();
            }
        }
        if (node->category() != Category::Layer) continue;
        LayerResult result = evaluator_.layer(
            r.scene, node->id, {r.frame, Purpose::Viewport, r.full, r.painted, r.live, false, r.patient},
            progress);
        const size_t count = elementCount(result.geometry);
        if (node->shown) snapshot->shown += count;
        snapshot->total += double(result.made) / result.share;
        snapshot->bytes += bytesOf(result.geometry);
        snapshot->layers[node->id] = std::move(result);
        addDrawn(*snapshot, node->id);
        if (auto status =
                simulationStatus(evaluator_, r.scene, *node, snapshot->layers[node->id].share, !r.full))
            snapshot->simulations[node->id] = std::move(*status);
    }
    for (const auto& [id, o] : snapshot->objects) snapshot->bytes += o.mesh->bytes();
    if (!r.overlay.node.empty())
        snapshot->overlay =
            makeOverlay(r.scene, r.overlay, evaluator_, {r.frame, Purpose::Viewport, r.full}, progress);
    snapshot->checks = findChecks(r.scene, snapshot->layers, evaluator_, r.frame, progress);
    lastScene_ = r.scene.file;
    snapshot->milliseconds = std::chrono::duration<double, std::milli>(Clock::now() - start).count();
    return snapshot;
}

}  // namespace ovrix::app
