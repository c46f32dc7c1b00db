// One frame after another of a scene as pictures: rendered, kept as films, cleaned, finished.
#pragma once
#include <functional>

#include "deliver/pictures/film_file.h"
#include "render/finish/steady.h"

namespace ovrix::deliver {

struct FrameOptions {
    int frame = 1;
    std::string camera = {};          ///< id; empty for the render settings' own
    int width = 0, height = 0;        ///< 0 for the render settings' own
    int samples = 0;                  ///< 0 for the render settings' own
    std::optional<float> noise = {};  ///< in place of the render settings' own
    bool draft = false, denoise = false;
    /// Denoised pictures go by those of the frames before, too: see steadied(). The scene must tell how
    /// things move: see withMotion(). Frames before that are not known are rendered first, so that it does
    /// not matter where a sequence is begun.
    bool steady = false;
    bool screen = true;  ///< it is for a screen: the scene's finish is run
    bool parts = false;  ///< a file takes all passes: what is kept apart is denoised, too, where the light is
    /// A film that is gone on with where it is there, and kept; empty for none.
    std::filesystem::path film = {};
    /// Which passes, from 1 on, and what of the picture; all where nothing is said.
    std::optional<std::pair<int, int>> passes = {};
    std::function<Rect(const RenderJob&)> region = {};
    /// Asked between passes: true keeps the film and gives up.
    std::function<bool()> stop = {};
    /// After each pass. The film is that which is being made.
    std::function<void(int pass, int last, const Film& film, const RenderJob& job)> told = {};
};

/// What of them says which picture it is.
JobOptions jobOptions(const FrameOptions& options);

/// What a picture's file says of how it was made.
struct RenderFacts {
    uint64_t picture = 0;
    int frame = 1;
    std::string camera;
    bool draft = false;
    uint32_t seed = 0, passes = 0, log2Passes = 0;
    double seconds = 0;
};
std::map<std::string, std::string> pictureNotes(const RenderFacts& facts);

struct RenderedFrame {
    RenderJob job;
    FilmFile file;
    std::optional<std::vector<V3f>> clean;
    std::optional<CleanParts> parts;
    std::optional<FinishedPicture> finished;  ///< for screens, where the scene has a finish
    RenderFacts facts;
    RenderedPicture picture() const {
        return {.film = file.film,
                .clean = clean ? &*clean : nullptr,
                .finished = finished ? &*finished : nullptr,
                .parts = parts ? &*parts : nullptr};
    }
    /// Pixels of what a screen shows.
    std::pair<int, int> size() const {
        return finished ? std::pair(finished->width, finished->height)
                        : std::pair(file.film.width(), file.film.height());
    }
    /// What a screen shows: red, green, blue and alpha of 16 bits each, alpha not multiplied in.
    std::vector<uint16_t> deepScreen() const;
};

/// Keeps what frames have alike. For one thread.
class FrameRenderer {
  public:
    FrameRenderer(SceneContext scene, Evaluator& evaluator)
        : scene_(std::move(scene)), evaluator_(evaluator), builder_(evaluator) {}
    const SceneContext& scene() const { return scene_; }
    /// What is rendered of a frame, whatever its film takes. Throws Error and Cancelled.
    RenderJob wholeJob(const FrameOptions& options, Progress& progress);
    /// The same. Throws Error, where the film takes too much memory, too, and Cancelled.
    RenderJob jobFor(const FrameOptions& options, Progress& progress);
    /// Nothing where it was stopped; what there is of the picture is in its film then. Throws Error and
    /// Cancelled.
    std::optional<RenderedFrame> render(const FrameOptions& options, Progress& progress);

    /// Whether the film of it is within the memory limit. Throws as jobFor() does.
    bool fits(const FrameOptions& options, Progress& progress);
    /// Renders a picture that does not fit, a band of rows after another, none of which takes more than half
    /// of the memory limit, and writes it as EXR with all passes. Its bits are those of the picture at once,
    /// but for fireflies that are evened and what is denoised: both see a band with some rows about it alone.
    /// Groups of lights and what light came by stay as they were rendered.
    /// Throws Error, where a single band takes too much or something of the options needs the whole film,
    /// too, and Cancelled.
    /// @return what it was made of
    RenderJob writeInPieces(const FrameOptions& options, const std::filesystem::path& path,
                            const WriteOptions& write, Progress& progress);

  private:
    FilmFile filmOf(const RenderJob& job, const JobOptions& options, const FrameOptions& frame) const;
    bool addPasses(const RenderJob& job, FilmFile& file, const FrameOptions& options,
                   Progress& progress) const;
    std::optional<FinishedPicture> finishedOf(const RenderedFrame& frame, Progress& progress);
    bool prepareSteady(const FrameOptions& options, Progress& progress);
    SteadyFrame steadyOf(const RenderedFrame& frame) const;
    void makeSteady(RenderedFrame& frame);

    SceneContext scene_;
    Evaluator& evaluator_;
    RenderSceneBuilder builder_;
    struct Before {
        SteadyFrame picture;
        CameraOptions camera;
    };
    std::map<int, Before> before_;  // of frames that were denoised, each by itself
    std::string beforeOf_;          // the options that they were rendered with
};

}  // namespace ovrix::deliver
