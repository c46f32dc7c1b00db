// From where the view looks: framing, the scene's camera and lights that go with it.
#include <QTimer>

#include "app/view/view_widget.h"
#include "base/error.h"
#include "document/edits/aim.h"
#include "eval/camera_options.h"

namespace ovrix::app {

CameraOptions ViewWidget::cameraNow() const {
    return sceneCamera(controller_.document(), controller_.clock().frame()).value_or(camera_.options());
}

/// From a light, which goes with the view from now on.
void ViewWidget::lookFromLight() {
    const Node* node = controller_.selection().node();
    const double frame = controller_.clock().frame();
    if (!node || node->category() != Category::Light)
        return controller_.say("Choose a light to look from", true);
    const auto origin = controller_.document().originOf(node->id, frame);
    if (!origin)
        return controller_.say(QString::fromStdString(node->name) + " stands nowhere to look from", true);
    V3f ahead;
    controller_.document().worldMatrix(node->id, frame).multDirMatrix(V3f(0, -1, 0), ahead);
    if (!(ahead.length() > 0.0f)) return;
    throughCamera_ = false;
    CameraOptions o = camera_.options();
    o.position = *origin;
    o.target = *origin + ahead.normalized() * std::max(0.1f, camera_.distance);
    o.roll = 0;
    camera_.follow(o);
    steered_ = node->id;
    Q_EMIT cameraChanged();
    refresh();
}

/// The light that is looked from goes where the view goes.
void ViewWidget::steer() {
    if (steered_.empty()) return;
    if (!controller_.document().find(steered_) || controller_.selection().id() != steered_)
        return steered_.clear();
    const CameraOptions o = camera_.options();
    controller_.edit(
        "Steer a light",
        [&](const Document& d) {
            return withLightAimed(d, steered_, o.position, o.target, controller_.clock().frame());
        },
        "steer " + steered_);
}

void ViewWidget::lookThroughCamera() {
    steered_.clear();
    throughCamera_ = true;
    camera_.follow(cameraNow());
    Q_EMIT cameraChanged();
    refresh();
}

void ViewWidget::moved() {
    throughCamera_ = false;
    camera_.roll = 0;
    camera_.shift = V2f(0.0f);
    steer();
    moving_ = true;
    rest_->start();
    Q_EMIT cameraChanged();
    refresh();
}

Camera ViewWidget::lens() const {
    CameraOptions o = camera_.options();
    const float aspect = float(width()) / float(std::max(1, height()));
    if (throughCamera_) {  // show all of the camera's picture, whatever the view's shape
        const Document& d = controller_.document();
        const float wanted = float(d.renderSetting(kRender.width)) /
                             float(std::max<int64_t>(1, d.renderSetting(kRender.height)));
        if (aspect > wanted) o.focal *= wanted / aspect, o.shift *= wanted / aspect;
    }
    return Camera(o, aspect);
}

bool ViewWidget::blursNow() const {
    return depthOfField_ && throughCamera_ && !moving_ && !comb_->preview() && cameraNow().fstop > 0.0f;
}

/// Where the next picture of the depth of field is taken from, sharp where the scene's camera is: on an
/// element too, where the view has it.
ViewWidget::OnLens ViewWidget::nextOnLens() const {
    const V2f place = lensBlur_->place();
    if (place == V2f(0.0f)) return {};
    const Document& d = controller_.document();
    const double frame = controller_.clock().frame();
    CameraOptions options = cameraNow();
    const std::string camera = d.renderSetting(kRender.camera, frame);
    const auto& layers = controller_.results().layers;
    if (const auto it = layers.find(focusedLayer(d, camera, frame)); it != layers.end()) {
        try {
            focusOnElement(d, camera, frame, it->second.geometry, options);
        } catch (const Error&) {  // the render says it
        }
    }
    const Camera c(options, 1.0f);
    const V3f away = c.ray(0.5f, 0.5f, place.x, place.y).origin - c.position();
    return {V2f(away.dot(c.right()), away.dot(c.up())), c.focus()};
}

/// From another place of the lens what is in focus stays where it is.
QMatrix4x4 ViewWidget::viewProjection(const OnLens& from) const {
    const Camera c = lens();
    const float near = std::max(1e-4f, camera_.distance * 0.01f), far = camera_.distance * 200.0f + 100.0f;
    QMatrix4x4 projection;
    const V2f s = c.shift() - from.away / from.focus;
    projection.frustum((s.x - c.halfWidth()) * near, (s.x + c.halfWidth()) * near,
                       (s.y - c.halfHeight()) * near, (s.y + c.halfHeight()) * near, near, far);
    const V3f &r = c.right(), &u = c.up(), p = c.position() + r * from.away.x + u * from.away.y,
              f = -c.forward();
    const QMatrix4x4 view(r.x, r.y, r.z, -r.dot(p), u.x, u.y, u.z, -u.dot(p), f.x, f.y, f.z, -f.dot(p), 0, 0,
                          0, 1);
    return projection * view;
}

/// With one matrix for all that goes through it.
Projection ViewWidget::projection() const {
    return [m = viewProjection(), w = width(), h = height()](const V3f& v) -> std::optional<QPointF> {
        const QVector4D q = m * QVector4D(v.x, v.y, v.z, 1);
        if (q.w() <= 1e-6f) return std::nullopt;
        return QPointF((q.x() / q.w() * 0.5 + 0.5) * w, (0.5 - q.y() / q.w() * 0.5) * h);
    };
}

ViewPort ViewWidget::port() {
    return {projection(), lens().position(),
            [this](const QPointF& at) {
                const Camera c = lens();
                const float x =
                    c.shift().x + (2.0f * float(at.x()) / float(std::max(1, width())) - 1.0f) * c.halfWidth();
                const float y = c.shift().y +
                                (1.0f - 2.0f * float(at.y()) / float(std::max(1, height()))) * c.halfHeight();
                return (c.forward() + c.right() * x + c.up() * y).normalized();
            },
            [this](const QPointF& at) { return placeAt(at.toPoint()); }};
}

std::optional<QPointF> ViewWidget::project(const V3f& v) const { return projection()(v); }

Box3f ViewWidget::boundsOfNode(const Node& node) const {
    const EvalSnapshot& r = controller_.results();
    if (const auto it = r.layers.find(node.id); it != r.layers.end()) return boundsOf(it->second.geometry);
    Box3f box;
    if (const auto it = r.objects.find(node.id); it != r.objects.end())
        return placedBox(it->second.mesh->bounds(), it->second.world);
    if (node.category() == Category::Curve)
        for (const V3f& p : curveLine(controller_.document(), node.id, controller_.clock().frame()))
            box.extendBy(p);
    for (const std::vector<V3f>& line : outlineOf(node))
        for (const V3f& p : line) box.extendBy(p);
    if (const auto p = controller_.document().originOf(node.id, controller_.clock().frame());
        box.isEmpty() && p) {
        box.extendBy(*p - V3f(0.3f));
        box.extendBy(*p + V3f(0.3f));
    }
    return box;
}

Box3f ViewWidget::boundsOfAll() const {
    Box3f box;
    for (const NodePtr& n : controller_.document().nodes())
        if (n->shown && (n->category() == Category::Object || n->category() == Category::Layer))
            box.extendBy(boundsOfNode(*n));
    return box;
}

Box3f ViewWidget::boundsOfChosen() const {
    const Node* node = controller_.selection().node();
    const bool solid = node && (node->category() == Category::Object || node->category() == Category::Layer);
    const Box3f box = solid ? boundsOfNode(*node) : Box3f();
    return box.isEmpty() ? boundsOfAll() : box;
}

void ViewWidget::frameAll() {
    camera_.frame(boundsOfAll(), float(width()) / float(std::max(1, height())));
    moved();
}

void ViewWidget::frameSelected() {
    const Node* node = controller_.selection().node();
    if (!node) return frameAll();
    const Box3f box = boundsOfNode(*node);
    if (box.isEmpty())
        return controller_.say(QString::fromStdString(node->name) + " has no place in the view", true);
    camera_.frame(box, float(width()) / float(std::max(1, height())));
    moved();
}

}  // namespace ovrix::app
