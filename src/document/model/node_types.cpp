#include "document/model/node_types.h"

#include "document/model/document.h"

namespace ovrix::document {

std::string categoryName(Category category) {
    static const char* names[] = {"object", "layer",    "curve", "light",
                                  "camera", "material", "pass",  "settings"};
    return names[size_t(category)];
}

bool NodeType::placed() const { return findSpec(params, "rotation") != nullptr; }

bool NodeType::offered() const {
    return category != Category::Layer && category != Category::Settings && !ofFile;
}

const NodeType* findNodeType(const std::string& id) {
    for (const NodeType& type : nodeTypes())
        if (type.id == id) return &type;
    return nullptr;
}

}  // namespace ovrix::document
