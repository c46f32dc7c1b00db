// What a recipe looks like, for the library.
#pragma once
#include "document/library/recipe_file.h"
#include "eval/evaluator.h"

namespace ovrix::deliver {

/// A small scene that shows the recipe on a piece of ground, as large as its prototypes ask for.
Document recipeSample(const RecipeFile& recipe, Evaluator& evaluator, Progress& progress);
/// Bytes that an evaluator of samples keeps.
inline constexpr size_t kSampleMemory = size_t(256) << 20;
/// Renders a sample as it says, and writes it as PNG. @p name  of what it shows, for messages. Throws Error
/// or Cancelled.
void writeSamplePicture(const Document& sample, Evaluator& evaluator, const std::string& name,
                        uint32_t passes, const std::filesystem::path& path, Progress& progress);
/// Renders that scene, 240 by 160 pixels, and writes it as PNG. Throws Error or Cancelled.
void writeRecipePicture(const RecipeFile& recipe, const std::filesystem::path& path, Progress& progress);

}  // namespace ovrix::deliver
