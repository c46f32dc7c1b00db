#include "app/view/element_tool.h"

#include <fmt/format.h>

#include <QMenu>

#include "app/theme/theme.h"
#include "base/error.h"
#include "eval/pick/element_pick.h"
#include "eval/prototype.h"

namespace ovrix::app {

ElementTool::ElementTool(Controller& controller, QWidget* view) : QObject(view), controller_(controller) {
    connect(&controller_.selection(), &Selection::selectionChanged, this, [this] {
        if (controller_.selection().id() != layer_) id_.reset();
    });
}

void ElementTool::setActive(bool active) {
    active_ = active;
    if (!active) id_.reset();
    Q_EMIT changed();
}

std::shared_ptr<const Copies> ElementTool::copies() const {
    const Node* node = controller_.selection().node();
    if (!node || node->category() != Category::Layer) return nullptr;
    const auto it = controller_.results().layers.find(node->id);
    if (it == controller_.results().layers.end()) return nullptr;
    const auto* copies = std::get_if<std::shared_ptr<const Copies>>(&it->second.geometry);
    return copies ? *copies : nullptr;
}

std::vector<Box3f> ElementTool::boxes(const Copies& copies) const {
    std::vector<Box3f> all;
    const Document& d = controller_.document();
    for (const std::string& id : copies.prototypes) {
        Box3f box;
        const auto object = controller_.results().objects.find(id);
        if (object != controller_.results().objects.end() && d.find(id)) {
            const M44f own = prototypeMatrix(d, id, controller_.clock().frame());
            box = placedBox(object->second.mesh->bounds(), own);
        }
        all.push_back(box);
    }
    return all;
}

SurfacePtr ElementTool::ground() const { return controller_.surfaceOfChosen(); }

std::optional<size_t> ElementTool::indexOfChosen(const Copies& copies) const {
    if (!id_ || controller_.selection().id() != layer_) return std::nullopt;
    const auto ids = copies.attributes.find<uint64_t>("id");
    const auto it = std::find(ids.begin(), ids.end(), *id_);
    return it == ids.end() ? std::nullopt : std::optional(size_t(it - ids.begin()));
}

std::optional<uint64_t> ElementTool::chosen() const {
    const auto all = copies();
    return all && indexOfChosen(*all) ? id_ : std::nullopt;
}

bool ElementTool::chooseAt(const QPointF& at, const ViewPort& port) {
    const auto all = copies();
    if (!all) return false;
    const auto hit = elementAt(*all, boxes(*all), port.eye, port.direction(at));
    id_ = hit ? std::optional(hit->id) : std::nullopt;
    layer_ = controller_.selection().id();
    controller_.selection().setElements(hit ? std::set<uint64_t>{hit->id} : std::set<uint64_t>());
    Q_EMIT changed();
    return hit.has_value();
}

bool ElementTool::press(const QPointF& at, Qt::KeyboardModifiers, const ViewPort& port) {
    if (!active_ || !copies()) return false;
    last_ = at;
    if (!chooseAt(at, port)) return false;
    const auto all = copies();
    start_ = manualEditOf(controller_.document(), layer_, *id_);
    startPlace_ = all->attributes.find<V3f>("P")[*indexOfChosen(*all)];
    return dragging_ = true;
}

void ElementTool::change(const QString& label, const std::function<void(ManualEdit&)>& edit, bool dragging) {
    if (!id_) return;
    controller_.edit(
        label,
        [&](const Document& d) {
            ManualEdit e = manualEditOf(d, layer_, *id_);
            edit(e);
            return withManualEdit(d, layer_, [&](ManualEdits& all) { all.put(e); });
        },
        dragging ? fmt::format("hand {} {}", layer_, *id_) : std::string());
}

bool ElementTool::move(const QPointF& at, Qt::KeyboardModifiers modifiers, const ViewPort& port) {
    if (!dragging_ || !id_) return false;
    const QPointF by = at - last_;
    if (by.manhattanLength() < 3 && !(modifiers & (Qt::ShiftModifier | Qt::ControlModifier))) return true;
    if (modifiers & Qt::ShiftModifier) {
        const float a = float(by.x()) * 0.01f;
        change(
            "Turn an element",
            [&](ManualEdit& e) { e.turn = Quatf(std::cos(a / 2), V3f(0, std::sin(a / 2), 0)) * start_.turn; },
            true);
    } else if (modifiers & Qt::ControlModifier) {
        change(
            "Size an element", [&](ManualEdit& e) { e.size = start_.size * std::pow(1.01f, float(by.x())); },
            true);
    } else if (const SurfacePtr surface = ground()) {
        const SurfaceHit hit = surface->intersect(port.eye, port.direction(at));
        if (!hit.hit) return true;
        change(
            "Move an element", [&](ManualEdit& e) { e.move = start_.move + hit.position - startPlace_; },
            true);
    }
    return true;
}

bool ElementTool::release() {
    if (!std::exchange(dragging_, false)) return false;
    controller_.endDrag();
    return true;
}

bool ElementTool::doubleClick(const QPointF& at, const ViewPort& port) {
    const auto all = copies();
    const SurfacePtr surface = active_ && all ? ground() : nullptr;
    if (!surface || all->prototypes.empty()) return false;
    const SurfaceHit hit = surface->intersect(port.eye, port.direction(at));
    if (!hit.hit) return false;
    layer_ = controller_.selection().id();
    uint64_t made = 0;
    controller_.edit("Place an element", [&](const Document& d) {
        return withPlaced(d, layer_, all->prototypes.front(), hit.position, hit.normal, &made);
    });
    if (made) id_ = made;
    Q_EMIT changed();
    return true;
}

void ElementTool::removeChosen() {
    if (!chosen()) return;
    change("Take an element out", [](ManualEdit& e) { e.removed = true; });
    id_.reset();
}

void ElementTool::giveBack() {
    change("Give an element back to the recipe", [](ManualEdit& e) {
        const uint64_t id = e.id;
        e = ManualEdit();
        e.id = id;
    });
}

void ElementTool::makeReal() {
    const auto all = copies();
    if (!all || !id_) return;
    std::vector<std::string> made;
    controller_.edit("Make an element real", [&](const Document& d) {
        return withMadeReal(d, layer_, *all, {&*id_, 1}, &made);
    });
    if (!made.empty()) controller_.selection().select(made.front());
}

bool ElementTool::key(int key) {
    if (!active_ || !chosen() || (key != Qt::Key_Delete && key != Qt::Key_Backspace)) return false;
    removeChosen();
    return true;
}

bool ElementTool::menu(const QPointF& at, const QPoint& global, const ViewPort& port) {
    if (!active_ || !chooseAt(at, port)) return false;
    const auto all = copies();
    QMenu menu;
    QMenu* replace = menu.addMenu("Replace by");
    for (const std::string& id : all->prototypes)
        if (const Node* node = controller_.document().find(id))
            replace->addAction(QString::fromStdString(node->name), this, [this, id] {
                change("Replace an element", [&](ManualEdit& e) { e.prototype = id; });
            });
    menu.addAction("Make real", this, &ElementTool::makeReal);
    menu.addAction("Give back to the recipe", this, &ElementTool::giveBack)
        ->setEnabled(!manualEditOf(controller_.document(), layer_, *id_).changesNothing());
    menu.addSeparator();
    menu.addAction("Take out", this, &ElementTool::removeChosen);
    menu.exec(global);
    return true;
}

void ElementTool::paint(QPainter& p, const ViewPort& port) const {
    const auto all = active_ ? copies() : nullptr;
    const auto index = all ? indexOfChosen(*all) : std::nullopt;
    if (!index) return;
    const Box3f box = boxes(*all)[size_t(all->attributes.find<int32_t>("prototype")[*index])];
    const M44f matrix = ElementPlaces(all->attributes).matrix(*index);
    p.setPen(QPen(tokens().seaGlass, 1.5));
    for (int a = 0; a < 8; ++a)
        for (int bit = 1; bit < 8; bit *= 2) {
            if (a & bit) continue;
            const auto corner = [&](int k) { return cornerOf(box, k) * matrix; };
            const auto from = port.project(corner(a)), to = port.project(corner(a | bit));
            if (from && to) p.drawLine(*from, *to);
        }
}

}  // namespace ovrix::app
