#include "app/view/light_tool.h"

#include "app/theme/theme.h"
#include "document/edits/aim.h"

namespace ovrix::app {

LightTool::LightTool(Controller& controller, QWidget* view) : QObject(view), controller_(controller) {}

void LightTool::setActive(bool active) {
    active_ = active;
    dragging_ = false;
    place_.reset();
}

/// The normal of what is seen at a pixel, by its neighbours; nothing at an edge or in the sky.
static std::optional<V3f> normalAt(const QPointF& at, const V3f& place, const ViewPort& port) {
    constexpr double kBeside = 3.0;
    const auto right = port.place(at + QPointF(kBeside, 0)), below = port.place(at + QPointF(0, kBeside));
    if (!right || !below) return std::nullopt;
    const V3f n = (*below - place).cross(*right - place);
    if (!(n.length() > 0.0f)) return std::nullopt;
    return n.normalized();
}

bool LightTool::aim(const QPointF& at, const ViewPort& port) {
    const auto place = port.place(at);
    if (!place) return false;
    const std::string light = controller_.selection().id();
    const double frame = controller_.clock().frame();
    if (shadowOf_) {
        place_ = place;
        controller_.edit(
            "Aim a shadow",
            [&](const Document& d) { return withShadowAt(d, light, *shadowOf_, *place, frame); },
            "aim " + light);
        return true;
    }
    const auto normal = normalAt(at, *place, port);
    if (!normal) return false;
    place_ = place;
    controller_.edit(
        "Aim a highlight",
        [&](const Document& d) { return withHighlightAt(d, light, *place, *normal, port.eye, frame); },
        "aim " + light);
    return true;
}

bool LightTool::press(const QPointF& at, Qt::KeyboardModifiers modifiers, const ViewPort& port) {
    if (!active_) return false;
    const Node* node = controller_.selection().node();
    if (!node || node->category() != Category::Light) {
        controller_.say("Choose a light in the outline, then drag where its highlight shall fall", true);
        return false;
    }
    shadowOf_.reset();
    if (modifiers & Qt::ShiftModifier) shadowOf_ = port.place(at);
    if (!shadowOf_ && !aim(at, port)) return false;
    return dragging_ = true;
}

bool LightTool::move(const QPointF& at, const ViewPort& port) {
    if (!dragging_) return false;
    aim(at, port);
    return true;
}

bool LightTool::release() {
    if (!std::exchange(dragging_, false)) return false;
    place_.reset();
    controller_.endDrag();
    return true;
}

/// From the light to where it is aimed, and from there to what throws the shadow.
void LightTool::paint(QPainter& p, const ViewPort& port) const {
    if (!active_ || !place_) return;
    const auto at = port.project(*place_);
    if (!at) return;
    p.setPen(QPen(tokens().amber, 1.5));
    p.setBrush(Qt::NoBrush);
    p.drawEllipse(*at, px(7), px(7));
    const auto origin =
        controller_.document().originOf(controller_.selection().id(), controller_.clock().frame());
    const auto from = shadowOf_ ? port.project(*shadowOf_) : origin ? port.project(*origin) : std::nullopt;
    if (from) p.drawLine(*from, *at);
}

}  // namespace ovrix::app
