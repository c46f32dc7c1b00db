// What menus add to the scene.
#include "app/recipe/recipe_panel.h"
#include "app/view/view_widget.h"
#include "app/window/main_window.h"
#include "document/edits/aim.h"
#include "document/edits/first_look.h"

namespace ovrix::app {

/// The first thing of a scene is seen as one that is dropped: what it will be is worked out beforehand.
void MainWindow::addFromMenu(const std::string& type) {
    const Document& document = controller_.document();
    const bool first = document.nodes(Category::Object).empty() && findNodeType(type)->make;
    if (!first) return addNode(makeNode(document, type), Box3f());
    const Node node = makeNode(document, type);
    controller_.runOnWorker(
        this, [document, node](Progress& progress) { return boundsAtFirst(document, node, progress); },
        [this, node](const Box3f& bounds) { addNode(node, bounds); }, "Not added: stopped");
}

/// A light aims at what is chosen, or at all.
void MainWindow::addNode(Node node, const Box3f& bounds) {
    const NodeType& type = *findNodeType(node.type);
    if (type.category == Category::Light && view_) aimLight(node, view_->boundsOfChosen());
    const std::string id = node.id;
    bool looked = false;
    controller_.edit("Add " + QString::fromStdString(type.title), [&](const Document& d) {
        const Document added = withNode(d, node);
        Document first = withFirstLook(added, id, bounds);
        looked = !(first == added);
        return first;
    });
    controller_.selection().select(id);
    if (view_ && looked) view_->lookThroughCamera();
    if (view_ && type.category == Category::Curve) view_->setTool(Tool::Curves);
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
