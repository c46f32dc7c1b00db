// The commands of ovrix-cli.
#pragma once
#include <cstdint>
#include <iosfwd>
#include <map>
#include <optional>
#include <string>
#include <vector>

namespace ovrix::cli {

struct Common {
    bool json = false;
    std::ostream& out;
    std::ostream& err;
};

void describe(const Common& common, const std::string& what);
/// Writes the pages of the reference; those that are the same stay untouched.
void writeReference(const Common& common, const std::string& folder);
void info(const Common& common, const std::string& file);
/// Gives 1 when a check is an error, else 0.
int check(const Common& common, const std::string& scene, double frame);

struct EvalArgs {
    std::string scene, layer, out, frames, purpose = "render";
    bool mesh = false;  ///< all copies as one mesh
    double frame = 1;
};
void eval(const Common& common, const EvalArgs& args);

struct BakeArgs {
    std::string scene, layer, frames;
    bool lock = false;
};
void bake(const Common& common, const BakeArgs& args);

void set(const Common& common, const std::string& scene, const std::vector<std::string>& assignments,
         const std::string& out);

struct BringArgs {
    std::string scene, from, out;
    std::vector<std::string> nodes, bind;
    bool only = false;  ///< without what they need
};
void bringIn(const Common& common, const BringArgs& args);

struct RenderArgs {
    std::string scene, frames, camera, size, region, out, depth, codec;
    std::string film, passes;  ///< a film to go on with, and which passes: A-B
    std::string verify;        ///< a picture to compare with, and nothing is written
    double frame = 1;
    int samples = 0, threads = 0;
    bool draft = false, denoise = false, steady = false;
    bool pieces = false;   ///< where it is larger than memory
    bool missing = false;  ///< leaves alone what is there
    bool ahead = false;    ///< says what it will be like, and renders nothing
};
void render(const Common& common, const RenderArgs& args);

/// Renders a part of a picture again, and compares. Throws Error where it is another.
void verify(const Common& common, const std::string& scene, const std::string& picture);

/// That it was written.
void tellFile(const Common& common, const std::string& file);

struct DenoiseArgs {
    std::string file, out;
    bool guides = false;  ///< albedo and normals are cleaned first
};
void denoiseFile(const Common& common, const DenoiseArgs& args);

struct FinishArgs {
    std::string scene, picture, out, camera;
    std::optional<double> frame = {};  ///< that the picture is of; what it says itself where none is given
    bool denoise = false;
};
/// Runs the scene's finish over a film or an EXR.
void finishFile(const Common& common, const FinishArgs& args);

struct QueueArgs {
    std::string action;  ///< "add", "list", "run", "pause", "resume", "retry", "again", "first", "remove"
    std::string file, job, scene, out, frames, camera, size, name, codec;
    int samples = 0;
    std::optional<double> noise = {};
    /// Without denoising; each frame denoised by itself; without the scene's finish.
    bool noisy = false, unsteady = false, unfinished = false;
    std::vector<std::string> changes;
};
/// Works on a queue of renders, or on its jobs.
void queue(const Common& common, const QueueArgs& args);

struct FilmArgs {
    std::vector<std::string> films;
    std::string out, depth;
    bool denoise = false;
};
/// Adds films up, tells of them, or makes a picture of them.
void film(const Common& common, const FilmArgs& args);

/// Runs a whole command line; gives the exit code: 0 success, 1 failure, 2 bad usage.
int run(const std::vector<std::string>& args, std::ostream& out, std::ostream& err);

}  // namespace ovrix::cli
