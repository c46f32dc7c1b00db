// Renders as pictures and files.
#pragma once
#include "deliver/pictures/finish_picture.h"
#include "deliver/render_scene_builder.h"
#include "io/image/image_io.h"
#include "render/finish/pass_view.h"

namespace ovrix::deliver {

/// A film, and its light without noise where it was denoised.
struct RenderedPicture {
    const Film& film;
    const std::vector<V3f>* clean = nullptr;    ///< of each pixel
    const FinishedPicture* finished = nullptr;  ///< what the scene's finish made of it, for screens
    FilmView view = {};                         ///< what a finished picture shows of it
    HeatTable heat = {};                        ///< where that is shown by heat
};

/// The film as a picture with all its passes: beauty, alpha, depth, normal, albedo, ids, direct, indirect;
/// where it was denoised the light as it was before (noisy), where fireflies were evened that of the samples
/// (gathered); where strands are seen their tangent and the light of the lobes of fibres; the light of each
/// group of lights, under light_ and its name.
/// @param notes   names of what coverage is of
/// @param finish  null for scene light as it is, as EXR takes it; else the numbers of a screen, for TIFF and
/// PNG
Picture toPicture(const RenderedPicture& rendered, const PictureNotes& notes, const FinishOptions* finish);

/// Writes a render: EXR gets scene light and all passes, TIFF and PNG the finished picture.
void saveRender(const std::filesystem::path& path, const RenderedPicture& rendered, const PictureNotes& notes,
                const WriteOptions& options);

/// The light of a film without noise. Asks first whether so many bytes of memory are enough. Throws Error
/// where there is no denoiser or too little memory; Cancelled.
/// @param group  of lights, whose light alone is wanted
std::vector<V3f> denoise(const Film& film, size_t memory, Progress& progress, int group = kAllLights);

/// The same with albedo and normals that are cleaned first, where their networks are there: for guides that
/// are noisy themselves. Three times the work.
std::vector<V3f> denoiseWell(const Film& film, size_t memory, Progress& progress);

/// The light of each of a film's groups without noise, so that all together give its light without noise.
/// Throws as denoise() does.
std::vector<std::vector<V3f>> denoisedGroups(const Film& film, const std::vector<V3f>& clean, size_t memory,
                                             Progress& progress);

/// Names of the layers in files that the light of groups is in: letters, digits and _ of theirs, each once.
std::vector<std::string> groupLayers(const std::vector<std::string>& groups);

/// What people call a group of lights: the first is that of all without a name.
std::string groupTitle(const std::vector<std::string>& groups, size_t group);

}  // namespace ovrix::deliver
