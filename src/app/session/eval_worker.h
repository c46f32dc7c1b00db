// The thread that evaluates the document for the view. A new request replaces the one that waits.
#pragma once
#include <condition_variable>
#include <functional>
#include <memory>
#include <optional>
#include <thread>

#include "eval/bake.h"
#include "eval/checks/checks.h"
#include "eval/overlay.h"
#include "geo/strands/packed_strands.h"

namespace ovrix::app {

/// An object as the view draws it.
struct ObjectView {
    MeshPtr mesh;
    std::shared_ptr<const std::vector<uint32_t>> coarse;  ///< corners of a coarser version
    M44f world;
    uint64_t hash = 0;
    std::vector<StepReport> steps;  ///< of the object's own recipe
};

/// What one evaluation gave. Immutable once published.
struct EvalSnapshot {
    Document document;
    std::map<std::string, LayerResult> layers;
    std::map<std::string, ObjectView> objects;
    std::map<std::string, ObjectView> layerMeshes;  ///< of layers that make a mesh
    struct Lines {
        std::shared_ptr<const PackedStrands> packed;
        uint64_t hash = 0;
    };
    std::map<std::string, Lines> strands, guides;  ///< by layer, as they are drawn
    std::map<std::string, std::string> objectErrors;
    std::map<std::string, SimulationStatus> simulations;  ///< by layer
    std::vector<Check> checks;
    std::optional<Overlay> overlay;
    double milliseconds = 0;
    size_t shown = 0, bytes = 0;
    double total = 0;  ///< at Full, by the share that was made
    bool full = false;
};

class EvalWorker {
  public:
    struct Request {
        SceneContext scene;
        bool full = false;
        double frame = 1;
        ParamPath overlay;
        std::string painted = {};  ///< the layer whose mask is being painted
        uint64_t live = 0;         ///< see EvalOptions::live
        bool patient = false;      ///< see EvalOptions::patient
    };
    using Publish = std::function<void(std::shared_ptr<const EvalSnapshot>)>;

    /// @param publish  called on the worker's thread
    EvalWorker(Evaluator& evaluator, Publish publish);
    ~EvalWorker();
    void request(Request request);
    /// Runs @p job on the worker before the next evaluation.
    void post(std::function<void(Progress&)> job);
    void cancel();
    bool busy() const { return busy_.load(); }
    /// Seconds since the running work began; 0 when idle.
    double busySeconds() const;
    std::string title() const;
    float fraction() const;
    /// Waits until nothing is running or waiting. For tests and pictures.
    void waitIdle();

  private:
    void loop();
    std::shared_ptr<const EvalSnapshot> evaluate(const Request& request, Progress& progress);
    void addDrawn(EvalSnapshot& snapshot, const std::string& layer) const;

    Evaluator& evaluator_;
    Publish publish_;
    mutable std::mutex mutex_;
    std::condition_variable wake_, idle_;
    std::optional<Request> waiting_;
    std::vector<std::function<void(Progress&)>> jobs_;
    std::shared_ptr<Progress> running_;
    std::chrono::steady_clock::time_point began_;
    std::atomic<bool> busy_{false};
    bool stop_ = false;
    std::shared_ptr<const EvalSnapshot>
        last_;  ///< of the worker's thread alone, as is the scene that it is of
    std::filesystem::path lastScene_;
    std::thread thread_;
};

}  // namespace ovrix::app
