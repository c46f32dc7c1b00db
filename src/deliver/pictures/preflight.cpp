#include "deliver/pictures/preflight.h"

#include <fmt/format.h>

#include <chrono>

#include "base/files.h"
#include "io/formats/format.h"

namespace ovrix::deliver {

namespace fs = std::filesystem;

std::string durationText(double seconds) {
    const auto s = int64_t(std::llround(seconds));
    if (s < 60) return fmt::format("{} s", std::max<int64_t>(1, s));
    if (s < 3600) return fmt::format("{} min", (s + 30) / 60);
    return fmt::format("{} h {} min", s / 3600, s % 3600 / 60);
}

std::string cutText(double share) {
    constexpr double kNothing = 0.0005;
    if (share < kNothing) return {};
    return fmt::format("The firefly limit takes {:.1f} % of the light of the picture", 100.0 * share);
}

std::string aheadText(const Preflight& found, int frames) {
    std::string text = "About " + durationText(found.seconds);
    if (frames > 1) text += fmt::format(" a frame, {} in all", durationText(found.seconds * frames));
    text += "; the film takes " + byteText(found.filmBytes);
    if (found.fileBytes > 0) text += ", a file up to " + byteText(found.fileBytes);
    const std::string cut = cutText(found.cut);
    return cut.empty() ? text : text + "\n" + cut;
}

namespace {

/// Uncompressed: at most so much is needed.
double bytesOfFile(const RenderJob& job, const fs::path& out) {
    const double pixels = double(job.width) * job.height;
    const std::string ending = endingOf(out);
    if (ending == ".exr") return pixels * job.layout.bytesOfPixel() / 2;
    if (ending == ".tif" || ending == ".tiff") return pixels * 8;
    if (ending == ".png") return pixels * 4;
    return canUse(out, Use::WriteVideo) ? pixels * 0.3 : 0.0;
}

void checkDisk(const RenderJob& job, const fs::path& out, int frames, Preflight& found) {
    found.fileBytes = bytesOfFile(job, out);
    std::error_code failed;
    const fs::path folder = fs::absolute(out).parent_path();
    const fs::space_info space = fs::space(folder, failed);
    if (failed) {
        found.problems.push_back(fmt::format("the folder {} cannot be written to", folder.string()));
    } else if (const double all = found.fileBytes * frames; all > double(space.available)) {
        found.problems.push_back(fmt::format("{} files take up to {}, and {} are free there", frames,
                                             byteText(all), byteText(double(space.available))));
    }
}

}  // namespace

Preflight lookAhead(const RenderJob& job, const fs::path& out, int frames, Progress& progress) {
    constexpr int kMostWidth = 160;
    const double scale = std::min(1.0, double(kMostWidth) / std::max(job.width, job.height));
    const int width = std::max(1, int(job.width * scale)), height = std::max(1, int(job.height * scale));
    Film film(width, height, job.layout);
    const Renderer renderer(*job.scene, job.cameraFor(width, height), job.options, job.lights);
    const Rect whole{0, 0, width, height};
    renderer.renderPass(film, 0, whole, progress);  // makes the tables that a first ray makes
    const auto start = std::chrono::steady_clock::now();
    renderer.renderPass(film, 1, whole, progress);
    const double pass = std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
    Preflight found;
    found.seconds = pass * (double(job.width) * job.height) / (double(width) * height) * job.samples;
    found.filmBytes = double(job.width) * job.height * job.layout.bytesOfPixel();
    found.cut = cutShare(film);
    bool seen = false, lit = false;
    for (size_t i = 0; i < film.count(); ++i) {
        seen = seen || film.number(Pass::Object, i) != 0;
        lit = lit || luminance(film.light(i)) > 0;
    }
    if (!seen) found.problems.emplace_back("nothing of the scene is in the picture");
    if (!lit) found.problems.emplace_back("the picture is black: nothing lights what is seen");
    if (!out.empty()) checkDisk(job, out, frames, found);
    return found;
}

}  // namespace ovrix::deliver
