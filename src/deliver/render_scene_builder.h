// From the document to what the renderer takes, keeping what did not change.
#pragma once
#include <optional>

#include "deliver/displacement.h"
#include "deliver/light_maker.h"
#include "deliver/material_maker.h"
#include "eval/camera_options.h"
#include "eval/evaluator.h"
#include "io/image/image_io.h"
#include "render/finish/finish.h"
#include "render/light/sky.h"
#include "render/trace/renderer.h"

namespace ovrix::deliver {

/// What a picture's files say beside its light.
struct PictureNotes {
    FinishOptions finish;
    /// By the numbers in the film; 0 is nothing.
    std::map<uint32_t, std::string> objectNames, layerNames, materialNames;
};

/// Everything one picture needs.
struct RenderJob : PictureNotes {
    std::shared_ptr<const RenderScene> scene;
    std::shared_ptr<const SceneLights> lights;  ///< of the scene, ready to aim at
    std::vector<CameraOptions> cameras;  ///< at even times while the shutter is open; one that stands still
    RenderOptions options;
    int width = 0, height = 0, samples = 1;
    std::map<uint32_t, std::string> nodeIds;  ///< of objects and layers
    uint64_t sceneHash = 0;                   ///< of what was made to be seen
    NoiseGoal goal;                           ///< when a place has had enough
    FilmLayout layout;                        ///< what the film keeps
    std::vector<std::string> problems;        ///< what was left out, and why
    Camera cameraFor(int w, int h) const { return Camera(cameras, float(w) / float(h)); }
};

struct JobOptions {
    double frame = 1;
    std::string camera;                                ///< id; empty for the render settings' own
    bool draft = false;                                ///< show layers as the view does, by the Draft share
    int width = 0, height = 0;                         ///< of the picture; 0 for the render settings' own
    std::optional<CameraOptions> view = std::nullopt;  ///< looked at by this, and by no camera of the scene
};

/// Keeps the ray tracer's scene between calls: moving the camera, a light or a colour builds nothing anew.
/// One thread at a time, and no ray may be traced in an older job of the same builder during a call.
class RenderSceneBuilder {
  public:
    explicit RenderSceneBuilder(Evaluator& evaluator)
        : evaluator_(evaluator), materials_(groups_), lights_(evaluator, groups_) {}
    /// Throws Cancelled. Parts that fail are left out and named in problems.
    RenderJob build(const SceneContext& scene, const JobOptions& options, Progress& progress);

  private:
    struct Item;
    void focus(const SceneContext& scene, const JobOptions& options, RenderJob& job, Progress& progress);
    std::vector<Item> collect(const SceneContext& scene, const JobOptions& options, RenderJob& job,
                              Progress& progress);
    Item objectItem(const SceneContext& scene, const Node& node, const JobOptions& options, uint32_t id,
                    Progress& progress);
    void addLayer(const SceneContext& scene, const Node& node, const JobOptions& options,
                  const LayerResult& result, RenderJob& job, std::vector<Item>& items, uint32_t layerId,
                  Progress& progress);
    void addMoves(const SceneContext& scene, const Node& node, const JobOptions& options,
                  const LayerResult& last, Item& whole, Progress& progress);
    void addShapes(const SceneContext& scene, const Node& object, const JobOptions& options, Item& item,
                   Progress& progress);
    static void requireInstanceMemory(const Document& document, const std::vector<Item>& items);
    uint64_t hashOf(const Document& document, const std::vector<Item>& items, double frame) const;
    struct Shared;
    uint32_t addShape(const Item& item, Shared& shared);
    void addItem(const Item& item, double shutter, Shared& shared, Progress& progress);
    void addCopies(const Item& item, uint32_t shape, uint32_t materials, double shutter, Shared& shared,
                   Progress& progress);
    /// What wears a material: fields are asked on its surface, and in its space.
    struct Wearer {
        enum Kind { Any, Object, Layer } kind = Any;
        std::string id = {};
        std::string layer = {};  ///< of an object whose copies a layer makes
        bool operator==(const Wearer&) const = default;
    };
    struct Worn {
        std::string material;
        Wearer by;
    };
    /// Whether it is the material of what wears none.
    bool isPlain(uint32_t material) const;
    uint32_t wear(const Document& document, const std::string& material, const Wearer& by);
    std::vector<uint32_t> slotMaterialsOf(const Document& document, const Node& object, const Mesh& mesh,
                                          const std::string& layerMaterial, const std::string& layer,
                                          double frame);
    std::vector<SurfaceMaterial> makeMaterials(const SceneContext& scene, const JobOptions& options,
                                               RenderJob& job, Progress& progress);
    void displace(const SceneContext& scene, const JobOptions& options,
                  const std::vector<SurfaceMaterial>& materials, std::vector<Item>& items, RenderJob& job,
                  Progress& progress);
    FieldContext contextOf(const Worn& worn, Evaluator::Query& query);
    ThinLimit thinLimit(const Document& document, const JobOptions& options) const;

    Evaluator& evaluator_;
    std::vector<Worn> worn_;                        ///< materials of the job, from number 1 on
    std::map<std::string, AttributeSet> elements_;  ///< of the job's layers, which fields may read by name
    std::shared_ptr<RenderScene> scene_;
    uint64_t sceneHash_ = 0;
    ThinLimit limit_;
    Displacements displacements_;
    LightGroups groups_;
    MaterialMaker materials_;
    LightMaker lights_;
};

/// Bytes that a picture takes while it is rendered, for each pixel.
double bytesOfPicture(const Document& document, const FilmLayout& layout);
/// Throws an Error with the figure when a picture of that size would pass the limit.
void requireFilmMemory(const Document& document, int width, int height, const FilmLayout& layout = {});

}  // namespace ovrix::deliver
