// A recipe by itself, as a file: to be laid on another surface, in another scene.
#pragma once
#include <filesystem>

#include "document/model/document.h"

namespace ovrix::document {

/// A layer, and the prototypes and materials that it needs, as a small document: the layer is its first node
/// and lies on nothing.
struct RecipeFile {
    std::string name, about;  ///< about: a line for a list
    Document parts;
    std::vector<std::string> leftOut;  ///< what could not come along, in words; not kept in the file

    const Node& layer() const { return *parts.nodes().front(); }
};

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

/// One recipe of the library.
struct LibraryEntry {
    std::string name, about, error;  ///< error: why the file cannot be read; then nothing else is known
    std::filesystem::path file;
    std::filesystem::path picture;  ///< beside the file, or where pictures are kept; may not be there yet
    bool own = false;               ///< saved by the artist, and may be taken out
};

/// Recipes that come with the program, then the artist's own, each by name. @p pictures keeps the pictures of
/// those in folders that cannot be written to.
std::vector<LibraryEntry> libraryOf(const std::filesystem::path& builtIn, const std::filesystem::path& own,
                                    const std::filesystem::path& pictures);
/// A name for a file in @p folder that is free, made from @p name.
std::filesystem::path freeRecipePath(const std::filesystem::path& folder, const std::string& name);

}  // namespace ovrix::document
