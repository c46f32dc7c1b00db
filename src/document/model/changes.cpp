#include "document/model/changes.h"

#include <map>

namespace ovrix::document {

DocumentChanges changesBetween(const Document& before, const Document& after) {
    DocumentChanges changes;
    const auto &a = before.nodes(), &b = after.nodes();
    if (a == b) return changes;
    changes.list = a.size() != b.size();
    for (size_t i = 0; i < a.size() && !changes.list; ++i) changes.list = a[i]->id != b[i]->id;
    std::map<std::string, const Node*> gone;
    for (const NodePtr& node : a) gone[node->id] = node.get();
    for (const NodePtr& node : b) {
        const auto was = gone.find(node->id);
        if (was == gone.end() || was->second != node.get()) changes.nodes.insert(node->id);
        changes.names |= was != gone.end() && was->second->name != node->name;
        if (was != gone.end()) gone.erase(was);
    }
    for (const auto& [id, node] : gone) changes.nodes.insert(id);
    return changes;
}

}  // namespace ovrix::document
