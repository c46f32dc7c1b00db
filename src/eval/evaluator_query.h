// What a node asks of the rest of the scene while it is evaluated, and the hashes that say when that changed.
#pragma once
#include "eval/evaluator.h"

namespace ovrix::eval {

class Evaluator::Query : public SceneQuery, public ImageSource {
  public:
    Query(Evaluator& evaluator, SceneContext scene, const EvalOptions& options, Progress& progress)
        : Query(evaluator, std::make_shared<const SceneContext>(std::move(scene)), options, progress) {}

    Kind kindOf(const std::string& id) override;
    SurfacePtr surface(const std::string& id) override;
    Placed placed(const std::string& id) override;
    Geometry elements(const std::string& layer) override;
    /// With the object's own turn and size, as its copies have.
    MeshPtr mesh(const std::string& object) override;
    std::shared_ptr<const StrandSet> strands(const std::string& object) override;
    std::shared_ptr<const StrandSet> strandFile(const std::string& file) override;
    std::set<int> framesOf(const std::string& pattern) override;
    VectorGridPtr vectors(const std::string& file, const std::string& grid) override;
    M44f projection(const std::string& camera) override;
    std::shared_ptr<const Image> image(const std::string& file, const std::string& space) override {
        return evaluator_.images_.image(scene_->resolve(file), space);
    }
    std::shared_ptr<const Texture> texture(const std::string& file, const std::string& space) override {
        return evaluator_.texture(scene_->resolve(file), space, progress_);
    }
    std::map<int, std::shared_ptr<const Texture>> tiles(const std::string& pattern,
                                                        const std::string& space) override {
        return evaluator_.tiles(scene_->resolve(pattern), space, progress_);
    }
    std::shared_ptr<const CurveSet> curves(const std::string& id) override;
    std::shared_ptr<const PointSet> points(const std::string& file) override;

    const SceneContext& scene() const { return *scene_; }
    const Document& document() const { return document_; }
    const EvalOptions& options() const { return options_; }
    Progress& progress() const { return progress_; }
    /// Part of the elements that is made.
    double share() const;
    bool draft() const { return options_.purpose == Purpose::Viewport && !options_.full; }

    /// Equal as long as what the functions above give is equal. Throw Error on a cycle.
    uint64_t surfaceHash(const std::string& id);
    uint64_t layerHash(const std::string& id);
    uint64_t meshHash(const std::string& object);
    /// The key of a step's result, given that of what it gets.
    uint64_t stepHash(uint64_t before, const StepType& type, const Step& step);
    /// Equal as long as what parameters give at the frame is equal, with the files and nodes that they name;
    /// a material with those that it names.
    uint64_t paramsHash(std::span<const ParamSpec> specs, const ParamMap& params);
    /// The same for the step at a place of a recipe, which may be a simulation or look at other frames.
    uint64_t stepHash(uint64_t before, const Node& recipe, size_t index);
    /// The same at another frame, asked by the same askers.
    Query at(double frame) const;
    /// The same where traces will do: see EvalOptions::traces.
    Query tracesAt(double frame) const;

    /// Says that a node is being worked on. Throws Error, naming the cycle, when it already is.
    class CycleGuard {
      public:
        CycleGuard(Query& query, const std::string& id);
        ~CycleGuard() { query_.asking_.pop_back(); }
        CycleGuard(const CycleGuard&) = delete;
        CycleGuard& operator=(const CycleGuard&) = delete;

      private:
        Query& query_;
    };

  private:
    Query(Evaluator& evaluator, std::shared_ptr<const SceneContext> scene, const EvalOptions& options,
          Progress& progress)
        : evaluator_(evaluator),
          scene_(std::move(scene)),
          document_(scene_->document),
          options_(options),
          progress_(progress) {}
    /// Of the layer at the query's frame, whatever time of its own it has.
    uint64_t ownHash(const std::string& id);
    uint64_t curveHash(const Node& curve);
    uint64_t refHash(const ParamSpec& spec, const std::string& id);
    std::vector<MeshPtr> prototypes(const Copies& copies);
    MeshPtr meshOfLayer(const std::string& layer, size_t& own);
    MeshPtr meshInWorld(const std::string& object, size_t& own);

    Evaluator& evaluator_;
    std::shared_ptr<const SceneContext> scene_;
    const Document& document_;  ///< the scene's
    EvalOptions options_;
    Progress& progress_;
    std::vector<std::string> asking_;
    std::map<std::string, uint64_t> layerHashes_;
};

}  // namespace ovrix::eval
