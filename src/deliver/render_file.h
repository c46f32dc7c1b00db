// Renders as pictures and files.
#pragma once
#include "deliver/render_scene_builder.h"
#include "io/image/image_io.h"
#include "render/finish/pass_view.h"

namespace ovrix::deliver {

/// A film, and its light without noise where it was denoised.
struct RenderedPicture {
    const Film& film;
    const std::vector<V3f>* clean = nullptr;  ///< of each pixel
    FilmView view = {};                       ///< what a finished picture shows of it
    HeatTable heat = {};                      ///< where that is shown by heat
};

/// The film as a picture with all its passes: beauty, alpha, depth, normal, albedo, ids, direct, indirect;
/// where it was denoised the light as it was before; where strands are seen their tangent and the light of
/// the lobes of fibres; the light of each group of lights, under light_ and its name.
/// @param notes   names of what coverage is of
/// @param finish  null for scene light as it is, as EXR takes it; else the finished colour, for TIFF and PNG
Picture toPicture(const RenderedPicture& rendered, const PictureNotes& notes, const FinishOptions* finish);

/// Writes a render: EXR gets scene light and all passes, TIFF and PNG the finished picture.
void saveRender(const std::filesystem::path& path, const RenderedPicture& rendered, const PictureNotes& notes,
                const WriteOptions& options);

/// The light of a film without noise. Asks first whether so many bytes of memory are enough. Throws Error
/// where there is no denoiser or too little memory; Cancelled.
/// @param group  of lights, whose light alone is wanted
std::vector<V3f> denoise(const Film& film, size_t memory, Progress& progress, int group = kAllLights);

/// What people call a group of lights: the first is that of all without a name.
std::string groupTitle(const std::vector<std::string>& groups, size_t group);

}  // namespace ovrix::deliver
