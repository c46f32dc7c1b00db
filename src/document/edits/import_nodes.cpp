#include "document/edits/import_nodes.h"

#include <fmt/format.h>

#include <algorithm>

#include "base/error.h"
#include "document/model/references.h"

namespace ovrix::document {

namespace {

/// Whether what is named so belongs to the one that names it.
bool belongs(const ParamSpec& spec) {
    return spec.refKind == "material" || spec.refKind == "curve" || spec.type == ParamType::PrototypeMix ||
           spec.id == kLayer.surface.id() || spec.id == kLayer.linked.id();
}

/// Every id that a node names, its parent too, with what may stand there.
void forNamed(const Node& node,
              const std::function<void(const ParamSpec& spec, const std::string& id)>& say) {
    visitReferences(node, say);
    if (node.parent.empty()) return;
    ParamSpec parent;
    parent.id = "parent", parent.refKind = "object";
    say(parent, node.parent);
}

std::string freeName(const Document& document, const std::string& name) {
    const auto taken = [&](const std::string& text) {
        const auto& nodes = document.nodes();
        return std::any_of(nodes.begin(), nodes.end(), [&](const NodePtr& n) { return n->name == text; });
    };
    if (!taken(name)) return name;
    for (int k = 2;; ++k)
        if (std::string other = fmt::format("{} {}", name, k); !taken(other)) return other;
}

}  // namespace

bool mayComeAlong(const Node& node) { return node.category() != Category::Settings; }

std::set<std::string> withNeeds(const Document& other, const std::set<std::string>& chosen) {
    std::set<std::string> all;
    std::vector<std::string> open(chosen.begin(), chosen.end());
    while (!open.empty()) {
        const std::string id = open.back();
        open.pop_back();
        const Node* node = other.find(id);
        if (!node || !mayComeAlong(*node) || !all.insert(id).second) continue;
        forNamed(*node, [&](const ParamSpec& spec, const std::string& named) {
            if (belongs(spec) || spec.id == "parent") open.push_back(named);
        });
    }
    return all;
}

std::vector<LooseEnd> looseEnds(const Document& other, const std::set<std::string>& chosen) {
    std::vector<LooseEnd> ends;
    for (const NodePtr& node : other.nodes()) {
        if (!chosen.count(node->id)) continue;
        forNamed(*node, [&](const ParamSpec& spec, const std::string& id) {
            if (chosen.count(id)) return;
            auto end = std::find_if(ends.begin(), ends.end(), [&](const LooseEnd& e) { return e.id == id; });
            if (end == ends.end()) {
                const Node* named = other.find(id);
                ends.push_back({id, named ? named->name : id, spec.refKind, {}, !named});
                end = std::prev(ends.end());
            }
            if (end->named.empty() || end->named.back() != node->name) end->named.push_back(node->name);
        });
    }
    return ends;
}

std::vector<const Node*> bindable(const Document& here, const LooseEnd& end) {
    std::vector<const Node*> out;
    for (const NodePtr& node : here.nodes())
        if (isOfKind(*node, end.kind)) out.push_back(node.get());
    return out;
}

std::string likelyBinding(const Document& here, const LooseEnd& end) {
    for (const Node* node : bindable(here, end))
        if (node->name == end.name) return node->id;
    return {};
}

ImportedNodes importedNodes(const Document& here, const Document& other, const ImportOptions& what) {
    for (const std::string& id : what.chosen)
        if (!mayComeAlong(other.get(id)))
            throw Error("are settings of their scene, and stay there", other.get(id).name, "Leave them out");
    for (const auto& [id, to] : what.bind)
        if (!to.empty()) (void)here.get(to);
    ImportedNodes out{here, {}, {}};
    std::map<std::string, std::string> idOf = what.bind;
    std::vector<Node> fresh;
    Document names = here;  // ids and names that are taken so far
    for (const NodePtr& node : other.nodes()) {
        if (!what.chosen.count(node->id)) continue;
        Node own = *node;
        own.name = freeName(names, node->name);
        if (own.name != node->name)
            out.notes.push_back(fmt::format("\"{}\" is called \"{}\" here", node->name, own.name));
        own.id = names.freeId(own.name);
        idOf[node->id] = own.id;
        names.insert(names.nodes().size(), own);
        fresh.push_back(std::move(own));
    }
    for (Node& node : fresh) {
        const auto settle = [&](std::string& id) {
            const auto it = idOf.find(id);
            if (it == idOf.end() || it->second.empty()) {
                const Node* named = other.find(id);
                out.notes.push_back(
                    fmt::format("\"{}\" no longer names \"{}\"", node.name, named ? named->name : id));
                id.clear();
            } else {
                id = it->second;
            }
        };
        changeReferences(node, [&](const ParamSpec&, std::string& id) { settle(id); });
        if (!node.parent.empty()) settle(node.parent);
        out.ids.push_back(node.id);
        out.document.insert(out.document.nodes().size(), std::move(node));
    }
    if (here.rate() != other.rate())
        out.notes.push_back(fmt::format("its scene ran at {} frames a second, this one runs at {}",
                                        other.rate(), here.rate()));
    return out;
}

}  // namespace ovrix::document
