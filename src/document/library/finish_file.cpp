#include "document/library/finish_file.h"

#include "base/error.h"
#include "document/edits/edits.h"
#include "document/model/values.h"

namespace ovrix::document {

const PartsKind kFinishings{"ovrix-finish", ".finish", "finishing", Category::Settings};

PartsFile finishFileOf(const Document& document, const std::filesystem::path& folder) {
    const Document whole = rebasePaths(document, folder, {});
    const Node* finish = whole.settings("finish");
    if (!finish || finish->steps.empty())
        throw Error("has no steps to save", "Finish", "Add steps to the finish first");
    PartsFile out;
    out.name = finish->name;
    Node node = *finish;
    changeValues(node, [&](const ParamSpec&, Value& value) {
        if (const auto* map = std::get_if<MapValue>(&value); map && map->map) {
            value = MapValue();
            out.leftOut.push_back("a painted map");
        }
    });
    gatherParts(whole, std::move(node), out);
    return out;
}

Document withFinishFile(const Document& document, const PartsFile& file) {
    Document out = document;
    Node made = settledParts(out, file);
    const Node* now = out.settings("finish");
    if (!now) throw Error("the scene has no finish", file.name, "Begin with a new scene");
    Node node = *now;
    node.steps = std::move(made.steps);
    node.params = std::move(made.params);
    out.put(std::move(node));
    return out;
}

}  // namespace ovrix::document
