#include "document/library/parts_file.h"

#include <fmt/format.h>

#include "base/error.h"
#include "base/files.h"
#include "base/hash.h"
#include "base/json_guard.h"
#include "document/file/scene_file.h"
#include "document/model/references.h"
#include "document/model/values.h"

namespace ovrix::document {

const PartsKind kRecipes{"ovrix-recipe", ".recipe", "recipe", Category::Layer};
const PartsKind kMaterials{"ovrix-material", ".material", "material", Category::Material};

namespace {

namespace fs = std::filesystem;

/// Whether a reference of that kind goes along.
bool goesAlong(const ParamSpec& spec, const Node& node) {
    return (spec.refKind == "material" && node.category() == Category::Material) ||
           (spec.type == ParamType::PrototypeMix && node.category() == Category::Object);
}

/// Alike in all that copies of it show.
bool alike(Node known, const Node& part) {
    known.shown = part.shown;
    known.rendered = part.rendered;
    known.parent = part.parent;
    return known == part;
}

}  // namespace

const Node* likenessOf(const Document& document, Node part) {
    for (const NodePtr& node : document.nodes()) {
        part.id = node->id;
        if (alike(*node, part)) return node.get();
    }
    return nullptr;
}

/// @param within  those that need it, so that what needs itself comes to an end
static void gather(const Document& document, Node node, std::vector<std::string> within, PartsFile& out) {
    std::vector<std::string> needed;
    within.push_back(node.id);
    changeReferences(node, [&](const ParamSpec& spec, std::string& id) {
        const Node* other = document.find(id);
        const bool itself = std::find(within.begin(), within.end(), id) != within.end();
        if (other && !itself && goesAlong(spec, *other)) {
            needed.push_back(id);
            return;
        }
        if (other) out.leftOut.push_back(other->name);
        id.clear();
    });
    node.parent.clear();
    if (node.category() == Category::Object) node.shown = node.rendered = false;  // copies are what is seen
    out.parts.insert(out.parts.nodes().size(), std::move(node));
    for (const std::string& id : needed) {
        out.parts.remove(id);  // it comes after everything that needs it
        gather(document, document.get(id), within, out);
    }
}

void gatherParts(const Document& document, Node node, PartsFile& out) {
    gather(document, std::move(node), {}, out);
}

Node settledParts(Document& document, const PartsFile& file) {
    std::map<std::string, std::string> idOf;
    const auto rename = [&](const ParamSpec&, std::string& id) {
        if (const auto it = idOf.find(id); it != idOf.end()) id = it->second;
    };
    const auto& parts = file.parts.nodes();
    for (size_t i = parts.size(); i-- > 1;) {  // what a part needs comes after it, and so is settled before
        Node part = *parts[i];
        changeReferences(part, rename);
        const Node* known = likenessOf(document, part);
        idOf[parts[i]->id] = known ? known->id : document.freeId(part.name);
        if (known) continue;
        part.id = idOf[parts[i]->id];
        document.insert(document.nodes().size(), std::move(part));
    }
    Node first = file.first();
    changeReferences(first, rename);
    return first;
}

std::string writeParts(const PartsFile& file, const PartsKind& kind) {
    auto json = nlohmann::ordered_json::parse(writeScene(file.parts));
    nlohmann::ordered_json out{{"format", kind.format},
                               {"version", json["version"]},
                               {"name", file.name},
                               {"about", file.about},
                               {"nodes", json["nodes"]}};
    return out.dump(2) + "\n";
}

PartsFile readParts(const std::string& text, const std::string& name, const PartsKind& kind) {
    requireBoundedJson(text, name);
    auto json = nlohmann::ordered_json::parse(text, nullptr, false);
    if (!json.is_object() || json.value("format", nlohmann::ordered_json()) != kind.format)
        throw Error(fmt::format("is no Ovrix {}", kind.word), name,
                    fmt::format("Choose a {} file", kind.ending));
    PartsFile file;
    const auto textOf = [&](const char* key) {
        return json.contains(key) && json[key].is_string() ? json[key].get<std::string>() : std::string();
    };
    file.name = textOf("name");
    file.about = textOf("about");
    for (const char* key : {"name", "about"}) json.erase(key);
    json["format"] = "ovrix-scene";
    file.parts = readScene(json.dump(), name);
    if (file.parts.nodes().empty() || file.first().category() != kind.first)
        throw Error(fmt::format("does not begin with a {}", categoryName(kind.first)), name,
                    "Save it again from a scene");
    if (file.name.empty()) file.name = file.first().name;
    return file;
}

namespace {

void listFolder(const PartsKind& kind, const fs::path& folder, bool own, const fs::path& pictures,
                std::vector<LibraryEntry>& out) {
    std::error_code none;
    const size_t first = out.size();
    for (const auto& item : fs::directory_iterator(folder, none)) {
        if (endingOf(item.path()) != kind.ending) continue;
        LibraryEntry entry;
        entry.file = item.path();
        entry.own = own;
        entry.name = item.path().stem().string();
        // By contents, so that what changed gets another picture.
        const uint64_t stamp =
            Hasher().add(fileStamp(item.path())).add(std::string_view(item.path().native())).value();
        entry.picture = pictures / fmt::format("{:016x}.png", stamp);
        try {
            const PartsFile file = readParts(readFile(item.path()), item.path().string(), kind);
            entry.name = file.name;
            entry.about = file.about;
        } catch (const Error& e) {
            entry.error = e.what();
        }
        out.push_back(std::move(entry));
    }
    std::sort(out.begin() + ptrdiff_t(first), out.end(), [](const LibraryEntry& a, const LibraryEntry& b) {
        return std::tie(a.name, a.file) < std::tie(b.name, b.file);
    });
}

}  // namespace

std::vector<LibraryEntry> libraryOf(const PartsKind& kind, const fs::path& builtIn, const fs::path& own,
                                    const fs::path& pictures) {
    std::vector<LibraryEntry> out;
    listFolder(kind, builtIn, false, pictures, out);
    listFolder(kind, own, true, pictures, out);
    return out;
}

}  // namespace ovrix::document
