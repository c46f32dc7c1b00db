#include "document/library/recipe_file.h"

#include "base/error.h"
#include "base/files.h"
#include "document/edits/edits.h"
#include "document/model/references.h"
#include "document/model/values.h"

namespace ovrix::document {

namespace {

namespace fs = std::filesystem;

/// Takes out what belongs to one surface: what is painted on it, and elements changed by hand.
void forgetPlace(Node& layer, RecipeFile& out) {
    changeValues(layer, [&](const ParamSpec&, Value& value) {
        if (const auto* map = std::get_if<MapValue>(&value); map && map->map) {
            value = MapValue();
            out.leftOut.push_back("a painted map");
        }
        if (const auto* edits = std::get_if<ManualEdits>(&value); edits && !edits->list.empty()) {
            value = ManualEdits();
            out.leftOut.push_back("changes by hand");
        }
        if (const auto* edits = std::get_if<StrandEdits>(&value); edits && !edits->list.empty()) {
            value = StrandEdits();
            out.leftOut.push_back("combing");
        }
    });
}

}  // namespace

RecipeFile recipeOfLayer(const Document& document, const std::string& id, const fs::path& folder) {
    const Document whole = rebasePaths(document, folder, {});
    Node layer = *recipeOf(whole, whole.get(id));
    if (layer.category() != Category::Layer)
        throw Error("has no recipe to save", layer.name, "Choose a layer");
    RecipeFile out;
    out.name = layer.name;
    layer.params.erase(kLayer.surface.id());
    layer.params.erase(kLayer.linked.id());
    forgetPlace(layer, out);
    gatherParts(whole, std::move(layer), out);
    return out;
}

std::string writeRecipe(const RecipeFile& recipe) { return writeParts(recipe, kRecipes); }

RecipeFile readRecipe(const std::string& text, const std::string& name) {
    return readParts(text, name, kRecipes);
}

void saveRecipe(const RecipeFile& recipe, const fs::path& path) { writeFile(path, writeRecipe(recipe)); }

RecipeFile loadRecipe(const fs::path& path) { return readRecipe(readFile(path), path.string()); }

Document withRecipe(const Document& document, const RecipeFile& recipe, const std::string& surface,
                    std::string* newId) {
    const Category on = document.get(surface).category();
    if (on != Category::Object && on != Category::Layer)
        throw Error("is no surface", document.get(surface).name, "Choose an object or a layer");
    Document out = document;
    Node layer = settledParts(out, recipe);
    layer.name = recipe.name;
    layer.id = out.freeId(layer.name);
    layer.params[kLayer.surface.id()].value = surface;
    if (newId) *newId = layer.id;
    out.insert(out.nodes().size(), std::move(layer));
    return out;
}

Document withRecipeOf(const Document& document, const RecipeFile& recipe, const std::string& id) {
    Document out = withUnlinked(document, id);
    Node layer = settledParts(out, recipe);
    Node now = out.get(id);
    now.steps = layer.steps;
    for (const auto& [param, value] : layer.params)
        if (param != kLayer.surface.id() && param != kLayer.linked.id()) now.params[param] = value;
    out.put(std::move(now));
    return out;
}

}  // namespace ovrix::document
