#include "io/denoiser/denoiser.h"

#include <mutex>
#include <optional>

#include "base/error.h"
#include "io/denoiser/denoiser_library.h"
#include "io/process/library.h"

namespace ovrix::io {

namespace {

std::filesystem::path weightsOf(const char* name) { return programFolder() / "denoiser" / name; }
/// For light, with albedo and normals that are as noisy as it is.
std::filesystem::path weightsFile() { return weightsOf("rt_hdr_alb_nrm.tza"); }

}  // namespace

bool hasDenoiser() {
    std::error_code ignored;
    return std::filesystem::is_regular_file(weightsFile(), ignored);
}

std::shared_ptr<const render::DenoiserNetwork> denoiserOf(const std::filesystem::path& file) {
    static const auto& library =
        *static_cast<const DenoiserLibrary*>(fromLibrary("libovrix_denoiser.so", "ovrixDenoiser"));
    try {
        return library.make(readTensors(file));
    } catch (const Error& e) {
        throw e.where().empty() ? Error(e.problem(), file.string(), e.remedy()) : e;
    }
}

std::shared_ptr<const render::DenoiserNetwork> denoiser() {
    static std::mutex mutex;
    static std::shared_ptr<const render::DenoiserNetwork> kept;
    std::lock_guard lock(mutex);
    if (kept) return kept;
    if (!hasDenoiser())
        throw Error("the denoiser's weights are not there", weightsFile().string(),
                    "Fetch them with ./dev denoiser, which takes a network");
    return kept = denoiserOf(weightsFile());
}

const CleanedGuides* cleanedGuides() {
    static std::mutex mutex;
    static std::optional<CleanedGuides> kept;
    std::lock_guard lock(mutex);
    if (kept) return &*kept;
    std::error_code ignored;
    for (const char* name : {"rt_alb.tza", "rt_nrm.tza", "rt_hdr_calb_cnrm.tza"})
        if (!std::filesystem::is_regular_file(weightsOf(name), ignored)) return nullptr;
    kept = {denoiserOf(weightsOf("rt_alb.tza")), denoiserOf(weightsOf("rt_nrm.tza")),
            denoiserOf(weightsOf("rt_hdr_calb_cnrm.tza"))};
    if (kept->light->planes() == render::DenoiserNetwork::kPlanes && kept->albedo->planes() == 3 &&
        kept->normal->planes() == 3)
        return &*kept;
    kept.reset();
    throw Error("the denoiser's weights are of other networks", weightsOf("").string(),
                "Fetch them again with ./dev denoiser");
}

}  // namespace ovrix::io
