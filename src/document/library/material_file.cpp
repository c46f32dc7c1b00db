#include "document/library/material_file.h"

#include "base/error.h"
#include "document/edits/edits.h"
#include "document/file/scene_file.h"

namespace ovrix::document {

PartsFile materialFileOf(const Document& document, const std::string& id,
                         const std::filesystem::path& folder) {
    const Document whole = rebasePaths(document, folder, {});
    const Node& material = whole.get(id);
    if (material.category() != Category::Material)
        throw Error("is no material", material.name, "Choose a material");
    PartsFile out;
    out.name = material.name;
    gatherParts(whole, material, out);
    return out;
}

Document withMaterialFile(const Document& document, const PartsFile& file, std::string* id) {
    Document out = document;
    Node material = settledParts(out, file);
    material.name = file.name;
    if (const Node* known = likenessOf(out, material)) {
        if (id) *id = known->id;
        return document;
    }
    material.id = out.freeId(material.name);
    if (id) *id = material.id;
    out.insert(out.nodes().size(), std::move(material));
    return out;
}

Document withWorn(const Document& document, const std::string& wearer, const std::string& material) {
    const Node& node = document.get(wearer);
    const ParamSpec* spec = findSpec(specsOf(node), kObject.object.material.id());
    if (!spec || spec->refKind != "material")
        throw Error("wears no material", node.name, "Choose an object or a layer");
    return withValue(document, {wearer, "", spec->id}, material);
}

}  // namespace ovrix::document
