// Renders as pictures and files.
#pragma once
#include "deliver/render_scene_builder.h"
#include "io/image/image_io.h"
#include "render/film/film.h"

namespace ovrix::deliver {

/// The film as a picture with all its passes: beauty, alpha, depth, normal, albedo, ids, direct, indirect;
/// where strands are seen their tangent and the light of the lobes of fibres.
/// @param finish  null for scene light as it is, as EXR takes it; else the finished colour, for TIFF and PNG
Picture toPicture(const Film& film, const FinishOptions* finish);

/// Writes a render: EXR gets scene light and all passes, TIFF and PNG the finished picture.
void saveRender(const std::filesystem::path& path, const Film& film, const RenderJob& job,
                const WriteOptions& options);

}  // namespace ovrix::deliver
