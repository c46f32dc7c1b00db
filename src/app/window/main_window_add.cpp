// What menus add to the scene.
#include "app/recipe/recipe_panel.h"
#include "app/view/view_widget.h"
#include "app/window/main_window.h"
#include "document/edits/first_look.h"
#include "document/model/values.h"

namespace ovrix::app {

/// What an object of that type is at first; empty for what is no mesh.
static Box3f firstBounds(const Document& document, const Node& node) {
    const NodeType* type = findNodeType(node.type);
    if (!type->make) return {};
    const auto nowhere = [](const std::string& file) { return std::filesystem::path(file); };
    const ObjectShape shape =
        type->make({paramsOf(document, node, 1), nowhere, document.memoryLimit(), Progress::none()});
    return shape.mesh ? shape.mesh->bounds() : Box3f();
}

/// A light aims at what is chosen, or at all; the first thing of a scene is seen as one that is dropped.
void MainWindow::addFromMenu(const std::string& type) {
    std::string made;
    bool first = false;
    const NodeType& t = *findNodeType(type);
    controller_.edit("Add " + QString::fromStdString(t.title), [&](const Document& d) {
        Node n = makeNode(d, type);
        made = n.id;
        if (t.category == Category::Light && view_) aimLight(n, view_->boundsOfChosen());
        const Box3f box = d.nodes(Category::Object).empty() ? firstBounds(d, n) : Box3f();
        const Document added = withNode(d, std::move(n));
        Document looked = withFirstLook(added, made, box);
        first = !(looked == added);
        return looked;
    });
    controller_.selection().select(made);
    if (view_ && first) view_->lookThroughCamera();
    if (view_ && t.category == Category::Curve) view_->setTool(Tool::Curves);
}

void MainWindow::addStrands() {
    std::string made, surface = controller_.selection().id();
    if (controller_.selection().node()->category() == Category::Layer)
        surface = controller_.document().value(surface, kLayer.surface);
    const auto known = controller_.results().objects.find(surface);
    float extent = 1.0f;
    if (known != controller_.results().objects.end()) {
        Box3f box;
        for (const V3f& p : {known->second.mesh->bounds().min, known->second.mesh->bounds().max})
            box.extendBy(p * known->second.world);
        extent = std::max({box.size().x, box.size().y, box.size().z});
    }
    controller_.edit("Add strands",
                     [&](const Document& d) { return withStrandLayer(d, surface, extent, &made); });
    if (!made.empty()) controller_.selection().select(made);
}

}  // namespace ovrix::app
