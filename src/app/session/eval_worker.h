// The thread that evaluates the document for the view. A new request replaces the one that waits.
#pragma once
#include <functional>
#include <memory>
#include <optional>

#include "app/session/job_thread.h"
#include "deliver/light_maker.h"
#include "deliver/worn.h"
#include "eval/bake.h"
#include "eval/checks/checks.h"
#include "eval/overlay.h"
#include "geo/mesh/drawn_edges.h"
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

/// Lines that contours draw along edges of a mesh, in its own space.
struct EdgeLines {
    MeshPtr of;
    DrawnEdges which;
    std::shared_ptr<const DrawnLines> lines;
    bool operator==(const EdgeLines&) const = default;
};

/// What one evaluation gave. Immutable once published.
struct EvalSnapshot {
    uint64_t opened = 0;  ///< which of the scenes that were opened one after another it is of
    Document document;
    double frame = 1;
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
    /// By object, by layer of strands, and by layer and prototype: see deliver::wornKey().
    std::map<std::string, deliver::Worn> worn;
    /// Where contours draw edges: by the object or layer that makes a mesh, and by who wears the material.
    std::map<std::pair<std::string, std::string>, EdgeLines> edges;
    deliver::ViewLight light;  ///< that of the scene
    std::optional<Overlay> overlay;
    std::string aimedFrom;  ///< the layer whose surface a tool works on
    SurfacePtr aimedAt;     ///< that surface, ready for rays; null where there is none
    /// The mesh of an object or a layer; null where it has none.
    MeshPtr meshOf(const std::string& id) const;
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
        std::string painted = {};    ///< the layer whose mask is being painted
        uint64_t live = 0;           ///< see EvalOptions::live
        bool patient = false;        ///< see EvalOptions::patient
        uint64_t opened = 0;         ///< see EvalSnapshot
        bool playing = false;        ///< then checks and what is baked are looked at now and then only
        std::string aimedFrom = {};  ///< the layer on whose surface a tool works
    };
    using Publish = std::function<void(std::shared_ptr<const EvalSnapshot>)>;

    /// @param publish  called on the worker's thread
    EvalWorker(Evaluator& evaluator, Publish publish);
    /// In place of a request that waits.
    void request(Request request);
    /// What else is done on the worker's thread, before the next evaluation.
    JobThread& jobs() { return jobs_; }
    const JobThread& jobs() const { return jobs_; }

  private:
    void publishProblem(const std::exception& problem, const Request* request);
    std::shared_ptr<const EvalSnapshot> evaluate(const Request& request, Progress& progress);
    void inspect(EvalSnapshot& snapshot, const Request& request, Progress& progress);
    void aim(EvalSnapshot& snapshot, const Request& request, Progress& progress) const;
    void addDrawn(EvalSnapshot& snapshot, const std::string& layer) const;
    void dress(EvalSnapshot& snapshot, const Request& request, Progress& progress);
    void addEdges(EvalSnapshot& snapshot, const std::vector<std::string>& materials, const std::string& owner,
                  const std::string& wearer, Progress& progress) const;
    std::shared_ptr<const EvalSnapshot> dressed(const EvalSnapshot& bare, const Request& request,
                                                Progress& progress);

    Evaluator& evaluator_;
    Publish publish_;
    // Of the worker's thread alone.
    std::shared_ptr<const EvalSnapshot> last_;
    deliver::WornLooks looks_;
    deliver::LightGroups groups_;  // which the view does not tell apart
    deliver::LightMaker lights_;
    std::chrono::steady_clock::time_point inspected_;
    JobThread jobs_;  // last: it ends before what it uses
};

}  // namespace ovrix::app
