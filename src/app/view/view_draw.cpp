// The scene in the view: as it is seen, and as numbers for what is under the mouse.
#include <QElapsedTimer>
#include <QOpenGLContext>
#include <QOpenGLFramebufferObject>
#include <QOpenGLFunctions>
#include <QTimer>

#include "app/theme/theme.h"
#include "app/view/view_widget.h"
#include "base/error.h"

namespace ovrix::app {

void ViewWidget::initializeGL() {
    try {
        scene_ = std::make_unique<GlScene>();
        scene_->initialise();
        lensBlur_ = std::make_unique<LensBlur>();
        lensBlur_->initialise();
        stale_ = true;
    } catch (const Error& e) {
        scene_.reset();
        lensBlur_.reset();
        missing_ = QString::fromUtf8(e.what());
    }
}

void ViewWidget::paintGL() {
    if (scene_ && std::exchange(stale_, false)) scene_->update(controller_.results());
    if (!blursNow() || !lensBlur_) return drawScene({});
    const QSize size = this->size() * devicePixelRatio();
    if (!lensBlur_->finished()) {
        drawScene(nextOnLens());
        lensBlur_->add(defaultFramebufferObject(), size);
    }
    lensBlur_->show(defaultFramebufferObject(), size);
    if (!lensBlur_->finished()) QTimer::singleShot(0, this, [this] { update(); });
}

void ViewWidget::drawScene(const OnLens& from) {
    auto* gl = QOpenGLContext::currentContext()->functions();
    const QColor ground = tokens().ink;
    gl->glClearColor(float(ground.redF()), float(ground.greenF()), float(ground.blueF()), 1);
    gl->glClear(GL_COLOR_BUFFER_BIT | GL_DEPTH_BUFFER_BIT | GL_STENCIL_BUFFER_BIT);
    if (!scene_) return;
    GlScene::Options o;
    o.viewProjection = viewProjection(from);
    o.eye = camera_.position();
    o.selected = controller_.selection().id();
    o.moving = moving_ || comb_->preview();  // a stroke must not wait for all of the coat
    o.dotSize = float(px(2)) * float(devicePixelRatio());
    o.zone = zone_.value_or(-1.0f);
    if (sceneLight_) o.light = controller_.results().light;
    o.combing = comb_->layer();
    if (comb_->preview() != combShown_) {
        combShown_ = comb_->preview();
        scene_->strands().setCombed(o.combing, combShown_.get());
    }
    o.size = size();
    o.pictureHeight = float(throughCamera_ ? pictureRect().height() : height());
    o.pixelSize = 2.0f * lens().halfHeight() / float(std::max(1, height()));
    QElapsedTimer timer;
    timer.start();
    scene_->draw(o);
    scene_->drawGrid(o.viewProjection, o.eye, gridStep());
    drawSeconds_ += double(timer.nsecsElapsed()) * 1e-9;
    gl->glDisable(GL_DEPTH_TEST);
}

std::string ViewWidget::pick(const QPoint& at) {
    const Document& d = controller_.document();
    for (const NodePtr& n : d.nodes()) {  // signs first: they lie on top
        const auto at3 = signPlace(*n);
        const auto q = at3 ? project(*at3) : std::nullopt;
        if (q && QLineF(*q, QPointF(at)).length() < px(12)) return n->id;
    }
    if (std::string curve = curves_->curveAt(at, port()); !curve.empty()) return curve;
    unsigned char pixel[4] = {};
    drawForPicking(at, false, [&](int x, int y) {
        QOpenGLContext::currentContext()->functions()->glReadPixels(x, y, 1, 1, GL_RGBA, GL_UNSIGNED_BYTE,
                                                                    pixel);
    });
    const size_t number = size_t(pixel[0]) | size_t(pixel[1]) << 8;
    return scene_ && number < scene_->pickIds().size() ? scene_->pickIds()[number] : std::string();
}

std::optional<V3f> ViewWidget::placeAt(const QPoint& at) {
    float depth = 1.0f;
    drawForPicking(at, true, [&](int x, int y) {
        QOpenGLContext::currentContext()->functions()->glReadPixels(x, y, 1, 1, GL_DEPTH_COMPONENT, GL_FLOAT,
                                                                    &depth);
    });
    const ViewPort view = port();
    const V3f direction = view.direction(QPointF(at) + QPointF(0.5, 0.5));
    if (depth >= 1.0f) {  // nothing there: the plane of the grid
        if (!(direction.y < -1e-3f) || view.eye.y <= 0.0f) return std::nullopt;
        return view.eye - direction * (view.eye.y / direction.y);
    }
    const QVector4D clip((2.0f * (float(at.x()) + 0.5f)) / float(width()) - 1.0f,
                         1.0f - (2.0f * (float(at.y()) + 0.5f)) / float(height()), 2.0f * depth - 1.0f, 1.0f);
    const QVector4D world = viewProjection().inverted() * clip;
    return V3f(world.x(), world.y(), world.z()) / world.w();
}

/// Draws the scene's numbers and depth for one pixel, off the screen, and has them read.
void ViewWidget::drawForPicking(const QPoint& at, bool objectsOnly,
                                const std::function<void(int x, int y)>& read) {
    if (!scene_) return;
    makeCurrent();
    const double ratio = devicePixelRatio();
    QOpenGLFramebufferObject buffer(size() * ratio, QOpenGLFramebufferObject::Depth);
    buffer.bind();
    auto* gl = QOpenGLContext::currentContext()->functions();
    gl->glViewport(0, 0, buffer.width(), buffer.height());
    const int x = int(at.x() * ratio), y = buffer.height() - 1 - int(at.y() * ratio);
    gl->glEnable(GL_SCISSOR_TEST);  // only the one pixel is filled
    gl->glScissor(x, y, 1, 1);
    gl->glClearColor(0, 0, 0, 0);
    gl->glClear(GL_COLOR_BUFFER_BIT | GL_DEPTH_BUFFER_BIT);
    GlScene::Options o;
    o.viewProjection = viewProjection();
    o.eye = camera_.position();
    o.picking = true;
    o.objectsOnly = objectsOnly;
    scene_->draw(o);
    read(x, y);
    gl->glDisable(GL_SCISSOR_TEST);
    buffer.release();
    doneCurrent();
}

}  // namespace ovrix::app
