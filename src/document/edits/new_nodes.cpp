// Edits that add things as an artist begins with them: layers, variations, meshes of files.
#include <fmt/format.h>

#include "base/error.h"
#include "document/edits/edits.h"
#include "document/model/references.h"
#include "document/model/values.h"
#include "render/light/black_body.h"

namespace ovrix::document {

Document withLayer(const Document& document, const std::string& surface, const std::string& prototype,
                   std::string* newId) {
    const Node& below = document.get(surface);
    const std::string thing =
        prototype.empty() ? "Layer" : document.get(prototype).name + " on " + below.name;
    Node layer = makeNode(document, "layer", thing);
    layer.params[kLayer.surface.id()].value = surface;
    for (const char* type : {"scatter", "orient", "vary_size", "copies_of"})
        layer.steps.push_back(makeStep(type, layer));
    if (!prototype.empty()) setValue(layer.steps.back(), "prototypes", PrototypeMix{{prototype, 1.0}});
    if (newId) *newId = layer.id;
    return withNode(document, std::move(layer));
}

Document withStrandLayer(const Document& document, const std::string& surface, float extent,
                         std::string* newId) {
    Document out = document;
    const std::string name = "Strands on " + document.get(surface).name;
    Node material = makeNode(out, "fibre", name + " look");
    Node layer = makeNode(out, "layer", name);
    layer.params[kLayer.surface.id()].value = surface;
    layer.params[kLayer.material.id()].value = material.id;
    for (const char* type : {"scatter", "grow", "fill", "clump", "strand_width"})
        layer.steps.push_back(makeStep(type, layer));
    const double size = std::clamp(double(extent), 1e-4, 1e4);
    setValue(layer.steps[0], "count", int64_t(400));
    setValue(layer.steps[1], "length", Range{0.08 * size, 0.11 * size});
    setValue(layer.steps[3], "size", 0.03 * size);
    setValue(layer.steps[4], "root", 0.8 * size);  // millimetres: so many thousandths of the size
    setValue(layer.steps[4], "tip", 0.1 * size);
    if (newId) *newId = layer.id;
    out.put(std::move(material));
    return withNode(out, std::move(layer));
}

/// The mix with the weight of one prototype shared among others in its place.
static PrototypeMix sharedAmong(const PrototypeMix& mix, const std::string& one,
                                const std::vector<std::string>& all) {
    PrototypeMix made;
    for (const WeightedPrototype& s : mix) {
        if (s.ref != one) {
            made.push_back(s);
            continue;
        }
        for (const std::string& id : all) {
            made.push_back(s);
            made.back().ref = id;
            made.back().weight /= double(all.size());
        }
    }
    return made;
}

Document withVariations(const Document& document, const std::string& object, int count) {
    const Node& node = document.get(object);
    const ParamSpec* seed = findSpec(specsOf(node), "seed");
    if (node.category() != Category::Object || !seed)
        throw Error("has no seed to vary", node.name, "Choose a tuft, a blade or a terrain");
    Document out = document;
    std::vector<std::string> all = {object};
    const int64_t first = std::get<int64_t>(document.value(object, "seed"));
    for (int k = 1; k < std::clamp(count, 1, 64); ++k) {
        Node copy = node;
        copy.name = fmt::format("{} {}", node.name, k + 1);
        copy.id = out.freeId(copy.name);
        setValue(copy, "seed", first + k);
        all.push_back(copy.id);
        out.insert(out.indexOf(object) + size_t(k), std::move(copy));
    }
    for (const NodePtr& layer : document.nodes(Category::Layer)) {
        Node changedLayer = *layer;
        changeValues(changedLayer, [&](const ParamSpec&, Value& value) {
            auto* mix = std::get_if<PrototypeMix>(&value);
            if (!mix) return;
            *mix = sharedAmong(*mix, object, all);
        });
        if (!(changedLayer == *layer)) out.put(std::move(changedLayer));
    }
    return out;
}

Document withMeshFile(const Document& document, const std::filesystem::path& file, const FileMesh& mesh,
                      std::string* newId) {
    Document out = document;
    Node object = makeNode(out, "mesh_file", file.stem().string());
    setValue(object, "file", file.string());
    Refs slots;
    for (const FileMaterial& m : mesh.materials) {
        Node material = makeNode(out, "surface", m.name.empty() ? object.name + " material" : m.name);
        setValue(material, "base_color", m.baseColor);
        setValue(material, "specular_roughness", double(m.roughness));
        setValue(material, "base_metalness", double(m.metalness));
        if (m.emission != Color(0.0f)) {
            setValue(material, "emission_color", m.emission);
            setValue(material, "emission_luminance", double(kLumensPerWatt));
        }
        if (!m.baseColorImage.empty() && !mesh.mesh->uvs().empty()) {
            auto field = std::make_shared<Field>();
            field->sources.push_back(makeSource("image"));
            field->sources[0].params["file"].value = m.baseColorImage;
            material.params["base_color"].field = field;
        }
        slots.push_back(material.id);
        out.put(std::move(material));
    }
    setValue(object, "slots", slots);
    if (newId) *newId = object.id;
    out.put(std::move(object));
    return out;
}

}  // namespace ovrix::document
