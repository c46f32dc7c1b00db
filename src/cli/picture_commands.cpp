// ovrix-cli denoise; render --verify.
#include <fmt/format.h>

#include <algorithm>
#include <charconv>
#include <iterator>
#include <ostream>

#include "base/error.h"
#include "base/files.h"
#include "cli/commands.h"
#include "cli/scene_command.h"
#include "deliver/pictures/file_passes.h"
#include "deliver/pictures/frame_render.h"
#include "io/denoiser/denoiser.h"
#include "io/image/layered_picture.h"

namespace ovrix::cli {

namespace {

/// The light with noise, as the denoiser takes it; or as the samples brought it, fireflies too.
std::vector<V3f> renderedLight(const LayeredPicture& file, const std::string& name, bool gathered = false) {
    if (std::vector<V3f> light; gathered && !(light = file.vectors("gathered")).empty()) return light;
    const std::vector<V3f> noisy = file.vectors("noisy");
    return noisy.empty() ? lightOf(file, name) : noisy;
}

/// One sample of each pixel, as the file has it.
Film filmOf(const LayeredPicture& file, const std::string& name) {
    const std::vector<V3f> light = renderedLight(file, name), albedo = file.vectors("albedo"),
                           normal = file.vectors("normal", "XYZ");
    Film film(file.picture.width, file.picture.height);
    for (size_t i = 0; i < light.size(); ++i) {
        film.addLight(i, 0, light[i], 1);
        if (!albedo.empty() && !normal.empty()) film.see(i, 0, {.normal = normal[i], .albedo = albedo[i]});
        film.finish(i, 0, 1.0f);
    }
    return film;
}

/// The colour in place of what was there, which stays as a layer of its own.
Picture withColor(const LayeredPicture& file, const std::vector<V3f>& clean) {
    Picture out{file.picture.width, file.picture.height, {}};
    const bool hadNoisy = file.find("noisy.R") != nullptr;
    std::vector<Channel> noisy, rest;
    for (const Channel& c : file.picture.channels) {
        const bool color = c.name == "R" || c.name == "G" || c.name == "B";
        if (!color) rest.push_back(c);
        if (color && !hadNoisy) noisy.push_back({"noisy." + c.name, c.values, c.full});
    }
    addColors(out, "", clean, !file.half);
    std::stable_sort(rest.begin(), rest.end(),
                     [](const Channel& a, const Channel& b) { return (a.name == "A") > (b.name == "A"); });
    for (auto* more : {&rest, &noisy})
        std::move(more->begin(), more->end(), std::back_inserter(out.channels));
    return out;
}

uint32_t wholeNote(const LayeredPicture& file, const std::string& key, const std::string& name) {
    const auto at = file.notes.find("ovrix:" + key);
    uint32_t value = 0;
    if (at != file.notes.end()) {
        const std::string& text = at->second;
        const auto [end, error] = std::from_chars(text.data(), text.data() + text.size(), value);
        if (error == std::errc() && end == text.data() + text.size()) return value;
    }
    throw Error("does not say how it was rendered", name, "Choose an EXR that ovrix-cli render has written");
}

std::string textNote(const LayeredPicture& file, const std::string& key) {
    const auto at = file.notes.find("ovrix:" + key);
    return at == file.notes.end() ? std::string() : at->second;
}

/// Whether evened light may be of what was gathered: all of it by one factor, which takes any and gives
/// little.
bool evenedOf(const V3f& light, const V3f& gathered) {
    constexpr float kRounded = 2e-3f;
    const float sum = gathered.x + gathered.y + gathered.z;
    const float factor = sum > 0.0f ? (light.x + light.y + light.z) / sum : 0.0f;
    if (factor > kMostFactor * (1.0f + kRounded)) return false;
    for (int k = 0; k < 3; ++k)
        if (!(std::abs(light[k] - factor * gathered[k]) <= kRounded * (std::abs(light[k]) + 1e-3f)))
            return false;
    return true;
}

/// As the file rounds it.
float asStored(float x, bool half) { return half ? float(Imath::half(x)) : x; }

}  // namespace

void tellFile(const Common& common, const std::string& file) {
    if (common.json)
        common.out << jsonText(Json{{"files", {file}}}) << "\n";
    else
        common.out << file << "\n";
}

void denoiseFile(const Common& common, const DenoiseArgs& a) {
    if (endingOf(a.out) != ".exr") throw Error("denoised pictures are written as EXR", a.out, "Name it .exr");
    denoiser();
    const LayeredPicture file = readLayers(a.file, kMemoryOfFile);
    const Film film = filmOf(file, a.file);
    if (!file.find("albedo.R") || !file.find("normal.X"))
        common.err << a.file << " has no albedo and normal: edges of colour and form are less sharp\n";
    if (a.guides && !cleanedGuides())
        throw Error("the networks that clean albedo and normal are not there", a.file,
                    "Fetch them with ./dev denoiser, or leave --clean-guides out");
    const std::vector<V3f> clean = a.guides ? denoiseWell(film, kMemoryOfFile, Progress::none())
                                            : denoise(film, kMemoryOfFile, Progress::none());
    WriteOptions options = defaultWriteOptions(a.out);
    if (!file.half) options.depth = PixelDepth::Float;
    for (const auto& [key, text] : file.notes)
        if (key.starts_with("ovrix:") || key.starts_with("cryptomatte/")) options.notes[key] = text;
    writeImage(a.out, withColor(file, clean), options);
    tellFile(common, a.out);
}

void verify(const Common& common, const std::string& scene, const std::string& name) {
    const LayeredPicture file = readLayers(name, kMemoryOfFile);
    const uint32_t passes = wholeNote(file, "passes", name),
                   log2Passes = wholeNote(file, "log2_passes", name);
    if (passes == 0) throw Error("holds a part of a picture", name, "Choose one that was rendered whole");
    const int width = file.picture.width, height = file.picture.height;
    Opened opened(scene);
    RenderSceneBuilder builder(opened.evaluator);
    const JobOptions options{.frame = double(wholeNote(file, "frame", name)),
                             .camera = textNote(file, "camera"),
                             .draft = textNote(file, "draft") == "1",
                             .width = width,
                             .height = height};
    RenderJob job = builder.build(opened.scene, options, Progress::none());
    if (fmt::format("{:016x}", pictureHash(opened.scene, options, job)) != textNote(file, "picture"))
        throw Error("the scene is another one than that it was rendered from", name,
                    "It has changed since, or another version of the program made the picture");
    job.options.log2Passes = std::min(log2Passes, 16u);
    // A whole block near the middle: in it all is as in the whole picture.
    constexpr int kBlock = 32;
    const int x = width / 2 / kBlock * kBlock, y = height / 2 / kBlock * kBlock;
    const Rect block{x, y, std::min(kBlock, width - x), std::min(kBlock, height - y)};
    Film film(block, {width, height}, job.layout);
    const Rect all{0, 0, block.width, block.height};
    const Renderer renderer(*job.scene, job.cameraFor(width, height), job.options, job.lights);
    SampleBlocks blocks(film, job.goal);
    for (uint32_t pass = 0; pass < passes && blocks.left(all); ++pass)
        renderer.renderPass(film, pass, all, Progress::none(), &blocks);
    const std::vector<V3f> light = renderedLight(file, name, true), even = renderedLight(file, name);
    size_t others = 0;
    for (int j = y; j < y + block.height; ++j)
        for (int i = x; i < x + block.width; ++i) {
            const size_t at = size_t(j) * size_t(width) + size_t(i);
            const V3f own = film.light(film.indexOf(i - x, j - y));
            for (int k = 0; k < 3; ++k) others += asStored(own[k], file.half) != light[at][k];
            others += even[at] != light[at] && !evenedOf(even[at], light[at]);
        }
    const std::string where = fmt::format("{} x {} pixels at {},{}", block.width, block.height, x, y);
    if (others > 0)
        throw Error(fmt::format("{} were rendered again and differ", where), name,
                    "It was changed since, or made on a machine of another kind");
    if (common.json)
        common.out << jsonText(Json{{"same", true}, {"region", {x, y, block.width, block.height}}}) << "\n";
    else
        common.out << where << " were rendered again, and are the same\n";
}

}  // namespace ovrix::cli
