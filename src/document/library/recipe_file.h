// A recipe by itself, as a file: to be laid on another surface, in another scene.
#pragma once
#include "document/library/parts_file.h"

namespace ovrix::document {

/// A layer, and the prototypes and materials that it needs; it lies on nothing.
using RecipeFile = PartsFile;

/// The recipe of a layer with what it makes copies of. What belongs to its place stays behind: painted maps,
/// changes by hand, other layers and objects that its fields measure to. @p folder is where the document's
/// relative paths start; those of the recipe are absolute. Throws Error when @p layer is none.
RecipeFile recipeOfLayer(const Document& document, const std::string& layer,
                         const std::filesystem::path& folder);

/// NAME.recipe: JSON as in a scene, with the same versions. Throw Error naming the file and the place.
std::string writeRecipe(const RecipeFile& recipe);
RecipeFile readRecipe(const std::string& text, const std::string& name);
void saveRecipe(const RecipeFile& recipe, const std::filesystem::path& path);
RecipeFile loadRecipe(const std::filesystem::path& path);

/// A new layer with the recipe on an object or a layer. Prototypes and materials that the document already
/// has, just so, are used; others are added. @p newId gets the layer's id.
Document withRecipe(const Document& document, const RecipeFile& recipe, const std::string& surface,
                    std::string* newId = nullptr);
/// The recipe in place of the layer's own; its surface stays.
Document withRecipeOf(const Document& document, const RecipeFile& recipe, const std::string& layer);

}  // namespace ovrix::document
