// Renders as pictures and files.
#pragma once
#include "deliver/pictures/finish_picture.h"
#include "deliver/render_scene_builder.h"
#include "io/image/image_io.h"
#include "render/finish/pass_view.h"

namespace ovrix::deliver {

/// The parts of a film's light without noise.
struct CleanParts {
    std::vector<std::vector<V3f>> groups;     ///< of lights; empty where they are not kept apart
    std::map<Pass, std::vector<V3f>> passes;  ///< that are light
};

/// A film, and its light without noise where it was denoised.
struct RenderedPicture {
    const Film& film;
    const std::vector<V3f>* clean = nullptr;    ///< of each pixel
    const FinishedPicture* finished = nullptr;  ///< what the scene's finish made of it, for screens
    FilmView view = {};                         ///< what a finished picture shows of it
    HeatTable heat = {};                        ///< where that is shown by heat
    const CleanParts* parts = nullptr;          ///< without noise, where they are known
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

/// What an EXR's header says of a render, beside @p options' own notes.
WriteOptions withNames(WriteOptions options, const FilmLayout& layout, const PictureNotes& notes);

/// The light of a film without noise. Asks first whether so many bytes of memory are enough. Throws Error
/// where there is no denoiser or too little memory; Cancelled.
/// @param group  of lights, whose light alone is wanted
/// @param exposure  see middleExposure(); 0 for its own
std::vector<V3f> denoise(const Film& film, size_t memory, Progress& progress, int group = kAllLights,
                         float exposure = 0.0f);

/// The same with albedo and normals that are cleaned first, where their networks are there: for guides that
/// are noisy themselves. Three times the work.
std::vector<V3f> denoiseWell(const Film& film, size_t memory, Progress& progress);

/// The light of each of a film's groups without noise, so that all together give its light without noise.
/// Throws as denoise() does.
std::vector<std::vector<V3f>> denoisedGroups(const Film& film, const std::vector<V3f>& clean, size_t memory,
                                             Progress& progress);

/// Whether a film keeps apart what denoisedParts() is for: groups, or what light came by.
bool keepsParts(const FilmLayout& layout);

/// Groups, direct and indirect light, and what surfaces, fibres and matter give, each cleaned as the whole
/// is: groups together give @p clean, direct and indirect light too, and so do all the others where the film
/// has them all. Once the denoiser's work for each part. Throws as denoise() does.
CleanParts denoisedParts(const Film& film, const std::vector<V3f>& clean, size_t memory, Progress& progress);

/// Names of the layers in files that the light of groups is in: letters, digits and _ of theirs, each once.
std::vector<std::string> groupLayers(const std::vector<std::string>& groups);
/// The same of the film's fields.
std::vector<std::string> fieldLayers(const std::vector<FieldPlane>& fields);

/// What people call a group of lights: the first is that of all without a name.
std::string groupTitle(const std::vector<std::string>& groups, size_t group);

}  // namespace ovrix::deliver
