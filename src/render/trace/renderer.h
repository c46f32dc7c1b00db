// The path tracer.
#pragma once
#include "base/progress.h"
#include "render/cloud/cloud_picture.h"
#include "render/film/noise.h"
#include "render/scene/render_scene.h"
#include "render/trace/contours.h"
#include "render/trace/media.h"
#include "render/trace/pixel_filter.h"
#include "render/trace/sampler.h"
#include "render/trace/scene_lights.h"

namespace ovrix::render {

/// What the camera sees where nothing stands, in place of what lights the scene.
struct Backdrop {
    enum class Kind { Lights, Color, Image } kind = Kind::Lights;
    V3f color{0, 0, 0};  ///< radiance
    std::shared_ptr<const Image> image = nullptr;
    bool whole = false;  ///< the image is whole within the picture; else it fills it
    float white = 1.0f;  ///< radiance of the image's white
    /// @param x, y  of the picture from 0 to 1, y down  @param aspect  of the picture
    V3f at(float x, float y, float aspect) const;
};

struct RenderOptions {
    int bounces = 16;  ///< reflections after the first hit
    /// Largest indirect light of one sample, and light from a fibre, per colour; 0 for none.
    float limit = 0.0f;
    /// Shines are at least as rough to light that has left a matt surface on its way to the eye: what they
    /// bundle is spread, and no dots are left (after Kaplanyan and Dachsbacher, "Path Space Regularization
    /// for Holistic and Robust Light Transport", Eurographics 2013). 0 leaves them as they are.
    float roughen = 0.25f;
    bool clearBackground = false;
    uint32_t seed = 0;
    uint32_t log2Passes = 6;  ///< see Sampler
    PixelFilter filter = PixelFilter();
    Backdrop backdrop = {};
    /// When the shutter lets light through, from its opening (0) to its closing (1): places that even draws
    /// come to, at even steps. Empty for alike all the time; one for that time alone.
    std::vector<float> shutter = {};
    /// What the eye sees of a fibre takes the light of other fibres from several of them, and strands that
    /// lie close together share what comes to them: see share(). False gives each path its own.
    bool shareFibreLight = true;
    float occlusionReach = 0.3f;  ///< metres that things must be near to, to count in Pass::Occlusion
};

/// Unidirectional path tracing with next-event estimation, multiple importance sampling (Veach and Guibas,
/// "Optimally Combining Sampling Techniques for Monte Carlo Rendering", SIGGRAPH 95,
/// doi:10.1145/218380.218498; power heuristic) and Russian roulette by throughput from the fourth
/// bounce on. A pixel's sums depend on its place and the passes in order, never on threads or regions; but
/// where fibres share their light, those of its block that the region holds count too.
class Renderer {
  public:
    /// @param scene   committed; must outlive the renderer
    /// @param lights  those of the scene as it is now; null makes them
    Renderer(const RenderScene& scene, const Camera& camera, const RenderOptions& options,
             std::shared_ptr<const SceneLights> lights = nullptr)
        : scene_(scene),
          camera_(camera),
          options_(options),
          lights_(lights ? std::move(lights) : std::make_shared<const SceneLights>(scene)) {}

    /// Adds sample number @p number to every pixel of @p region, which must lie in the film. Cancelling takes
    /// a few milliseconds; the pass is then in part done and the film must not be kept.
    /// @param blocks  pixels of which go on, and which are looked at after it; null for all
    void renderPass(Film& film, uint32_t number, const Rect& region, Progress& progress,
                    SampleBlocks* blocks = nullptr) const;

    /// One sample for every block of @p step x @p step pixels, spread over the block: a first look.
    void renderPreview(Film& film, int step, const Rect& region, Progress& progress) const;

    /// The first ray of a pixel's sample. The sampler goes on with its next dimensions.
    /// @param place  receives where it passes through the picture: 0 to 1, y down
    float timeOf(Sampler& sampler) const;
    Ray primaryRay(const Film& film, int x, int y, Sampler& sampler, V2f* place = nullptr) const;

  private:
    struct Path;
    struct Arrival;
    struct Flight;
    struct Waiting;
    struct Sharing;
    struct Pass;
    Flight begin(int x, int y, const Pass& pass) const;
    void end(const Flight& flight) const;
    void renderTile(const Rect& tile, const Pass& pass, bool shares, Progress& progress) const;
    bool advance(Path& path, Arrival& at) const;
    void follow(std::span<Flight> flights, Sharing* sharing, bool arrived) const;
    void followAll(std::span<Flight> flights, Sharing* sharing, bool arrived, Progress& progress) const;
    void scatterAlike(std::span<Flight> flights, std::vector<uint32_t>& run, Sharing* sharing) const;
    bool isFibre(const Arrival& at) const;
    bool waits(Flight& flight, Sharing& sharing) const;
    void share(std::vector<Waiting>& waiting, size_t groups, Progress& progress) const;
    void give(std::vector<Waiting>& waiting, std::span<const uint32_t> alike,
              std::span<const Flight> followed) const;
    float limitOf(const Path& path) const;
    bool meetLights(Path& path, const RayHit& hit) const;
    struct Vertex;
    bool passHidden(Path& path, const RayHit& hit, const SurfacePoint& point) const;
    void addEmission(Path& path, const RayHit& hit, const Vertex& vertex) const;
    float aimed(const Path& path, uint32_t light) const;
    void gatherLight(Path& path, const Vertex& vertex) const;
    void gatherFrom(Path& path, const Vertex& vertex, uint32_t light, float chance,
                    const std::array<float, 4>& r) const;
    static V3f colorOf(const Path& path, const Vertex& vertex, const V3f& wi);
    Vertex vertexAt(Path& path, const Arrival& at, FieldsAt& fields) const;
    bool scatterAt(Flight& flight, FieldsAt& fields, Sharing* sharing) const;
    void scatterApart(Path& path, const Vertex& vertex, Sharing& sharing) const;
    bool bounce(Path& path, const Vertex& vertex) const;
    bool bounce(Path& path, const Vertex& vertex, const std::array<float, 4>& r) const;
    bool emerge(Path& path, const Vertex& vertex, const V3f& direction) const;
    static uint32_t elementNumber(uint64_t element, uint32_t object, uint32_t layer);
    static void recordFields(const Path& path, const SurfaceMaterial& material, FieldsAt& fields);
    float occlusionAt(const Path& path, const SurfacePoint& point, const V3f& normal) const;
    void recordFirst(const Path& path, const SurfacePoint& point, const V3f& normal, const V3f& base,
                     const RayHit& hit) const;
    V2f motionOf(const Path& path, const RayHit& hit) const;
    void meetBackdrop(Path& path) const;
    void meetClouds(Path& path, float reach) const;
    void recordCloud(Path& path, const CloudPicture::Met& met) const;
    CloudPicture::Options cloudOptions(uint32_t pass) const;
    CloudPicture::Options firstLook(int step) const;
    enum class Between { Nothing, Scattered, Ended };
    Between meetMatter(Path& path, const RayHit& hit) const;
    bool scatterBetween(Path& path, float distance, const V3f& weight, float g, const V3f& color,
                        const VolumeGrid* volume = nullptr) const;
    struct VolumeMeeting {
        const VolumeGrid* volume;
        float distance;
        V3f weight;  ///< of red, green and blue, of what came so far
    };
    std::optional<VolumeMeeting> meetVolumes(Path& path, float reach) const;
    Between scatterInVolume(Path& path, const VolumeMeeting& meeting) const;
    void gatherInMatter(Path& path, const V3f& place, float g) const;
    void gatherInMatter(Path& path, const V3f& place, float g, uint32_t light, float chance) const;
    bool survive(Path& path, float r) const;
    bool catchShadow(Path& path, const SurfacePoint& point) const;
    void draw(Path& path, SurfacePoint point, const RayHit& hit, bool line) const;
    std::optional<ContourFinder::Line> contourAhead(Path& path, const RayHit& hit) const;

    const RenderScene& scene_;
    Camera camera_;
    RenderOptions options_;
    std::shared_ptr<const SceneLights> lights_;
};

}  // namespace ovrix::render
