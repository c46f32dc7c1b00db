// The commands of ovrix-cli.
#pragma once
#include <cstdint>
#include <iosfwd>
#include <map>
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
    std::string scene, frames, camera, size, region, out, depth;
    std::string film, passes;  ///< a film to go on with, and which passes: A-B
    std::string verify;        ///< a picture to compare with, and nothing is written
    double frame = 1;
    int samples = 0, threads = 0;
    bool draft = false, denoise = false;
};
void render(const Common& common, const RenderArgs& args);

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
/// Renders a part of a picture again, and compares. Throws Error where it is another.
void verify(const Common& common, const std::string& scene, const std::string& picture);

/// That it was written.
void tellFile(const Common& common, const std::string& file);

struct DenoiseArgs {
    std::string file, out;
};
void denoiseFile(const Common& common, const DenoiseArgs& args);

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
