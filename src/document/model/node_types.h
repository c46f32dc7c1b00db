// What nodes a document may hold, each declared once: objects, layers, lights, cameras, materials, settings.
#pragma once
#include <string>
#include <vector>

#include "params/value.h"

namespace ovrix::document {

enum class Category { Object, Layer, Curve, Light, Camera, Material, Settings };
std::string categoryName(Category category);

struct NodeType {
    std::string id, title;
    Category category = Category::Object;
    std::string help;
    std::vector<ParamSpec> params;
};

/// All node types, in the order of menus.
const std::vector<NodeType>& nodeTypes();
/// Null when there is none of that id.
const NodeType* findNodeType(const std::string& id);

}  // namespace ovrix::document
