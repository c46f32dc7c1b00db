#include "app/view/view_widget.h"

#include <QButtonGroup>
#include <QElapsedTimer>
#include <QGridLayout>
#include <QMouseEvent>
#include <QOffscreenSurface>
#include <QOpenGLContext>
#include <QOpenGLFramebufferObject>
#include <QOpenGLFunctions>
#include <QPainter>
#include <QPainterPath>
#include <QSettings>
#include <QTabletEvent>
#include <QTimer>
#include <QToolButton>
#include <QVBoxLayout>

#include "app/theme/theme.h"
#include "app/view/work_note.h"
#include "app/widgets/number_box.h"
#include "base/error.h"

namespace ovrix::app {

class ViewOverlay : public QWidget {
  public:
    explicit ViewOverlay(ViewWidget* view) : QWidget(view), view_(view) {
        setAttribute(Qt::WA_TransparentForMouseEvents);
        setAttribute(Qt::WA_NoSystemBackground);
    }

  protected:
    void paintEvent(QPaintEvent*) override {
        QPainter p(this);
        p.setRenderHint(QPainter::Antialiasing);
        view_->paintOver(p);
    }

  private:
    ViewWidget* view_;
};

QString missingOpenGl() {
    QSurfaceFormat format;
    format.setVersion(3, 3);
    format.setProfile(QSurfaceFormat::CoreProfile);
    QOpenGLContext context;
    context.setFormat(format);
    if (!context.create())
        return "The 3D view needs OpenGL 3.3, and this display offers none.\nInstall a graphics driver (on "
               "Debian: libgl1-mesa-dri), or run under an X display.\nEverything else works: recipe, render, "
               "files.";
    if (context.format().version() < qMakePair(3, 3))
        return QString(
                   "The 3D view needs OpenGL 3.3, and this display offers %1.%2.\nInstall a newer graphics "
                   "driver. Everything else works: recipe, render, files.")
            .arg(context.format().majorVersion())
            .arg(context.format().minorVersion());
    return {};
}

ViewWidget::ViewWidget(Controller& controller, QWidget* parent)
    : QOpenGLWidget(parent), controller_(controller), handles_(controller), rest_(new QTimer(this)) {
    setFocusPolicy(Qt::StrongFocus);
    setMouseTracking(true);
    setMinimumSize(px(200), px(160));
    setAccessibleName("View");
    QSurfaceFormat format;
    format.setVersion(3, 3);
    format.setProfile(QSurfaceFormat::CoreProfile);
    format.setDepthBufferSize(24);
    setFormat(format);
    rest_->setSingleShot(true);
    rest_->setInterval(180);
    connect(rest_, &QTimer::timeout, this, [this] {
        moving_ = false;
        if (!steered_.empty()) controller_.endDrag();  // the next turn of the view is an edit of its own
        refresh();
    });
    overlay_ = new ViewOverlay(this);
    brush_ = new BrushTool(controller_, this);
    elements_ = new ElementTool(controller_, this);
    connect(brush_, &BrushTool::changed, this, &ViewWidget::refresh);
    curves_ = new CurveTool(controller_, this);
    lights_ = new LightTool(controller_, this);
    comb_ = new CombTool(controller_, this);
    connect(comb_, &CombTool::changed, this, &ViewWidget::refresh);
    connect(comb_, &CombTool::ended, this, [this] { setTool(Tool::Select); });
    connect(elements_, &ElementTool::changed, this, &ViewWidget::refresh);
    connect(curves_, &CurveTool::changed, this, &ViewWidget::refresh);
    layOutTools();
    new WorkNote(controller_, this);
    connect(&controller_, &Controller::resultsChanged, this, [this] {
        stale_ = true;
        refresh();
    });
    connect(&controller_.selection(), &Selection::selectionChanged, this, &ViewWidget::refresh);
    const auto follow = [this] {
        if (throughCamera_) camera_.follow(cameraNow());
        refresh();
    };
    connect(&controller_, &Controller::documentChanged, this, follow);
    connect(&controller_.clock(), &PlayClock::frameChanged, this, follow);
    connect(&controller_, &Controller::fileChanged, this, &ViewWidget::lookThroughCamera);
    connect(&controller_.files(), &SceneFiles::firstThingAdded, this, &ViewWidget::lookThroughCamera);
    guides_ = QSettings().value("pictureGuides", false).toBool();
    lookThroughCamera();
}

ViewWidget::~ViewWidget() {
    makeCurrent();
    scene_.reset();
    doneCurrent();
}

/// The picture and what lies over it.
void ViewWidget::refresh() {
    zoneButton_->setVisible(showsOverlay());
    update();
    overlay_->update();
}

static QToolButton* toolButton(const char* name, const char* tip) {
    auto* b = new QToolButton;
    b->setProperty("flat", true);
    b->setIcon(icon(name));
    b->setIconSize({px(16), px(16)});
    b->setFixedSize(px(28), px(28));
    b->setToolTip(tip);
    b->setFocusPolicy(Qt::TabFocus);
    return b;
}

void ViewWidget::makeZoneButton() {
    zoneButton_ = new QToolButton(this);
    zoneButton_->setObjectName("zone");
    zoneButton_->setText("Zone");
    zoneButton_->setFont(textFont(8.5));
    zoneButton_->setCheckable(true);
    zoneButton_->setProperty("flat", true);
    zoneButton_->setFixedSize(px(44), px(20));
    zoneButton_->setFocusPolicy(Qt::TabFocus);
    zoneButton_->setToolTip("Shows where the field passes a value and where not; drag the bar to move it");
    zoneButton_->hide();
    connect(zoneButton_, &QToolButton::toggled, this, [this](bool on) {
        zone_ = on ? std::optional(0.5f) : std::nullopt;
        refresh();
    });
}

void ViewWidget::layOutTools() {
    tools_ = new QWidget(this);
    tools_->setObjectName("card");
    auto* box = new QGridLayout(tools_);
    box->setContentsMargins(px(3), px(3), px(3), px(3));
    box->setSpacing(px(2));
    toolGroup_ = new QButtonGroup(this);
    const struct {
        const char* icon;
        const char* tip;
        Tool tool;
    } all[] = {
        {"select", "Choose (1)", Tool::Select},
        {"move", "Move (2)", Tool::Move},
        {"turn", "Rotate (3)", Tool::Turn},
        {"scale", "Scale (4)", Tool::Scale},
        {"hand",
         "Single elements of the chosen layer (5): drag moves, Shift turns, Ctrl sizes, Delete "
         "takes out, a double click places",
         Tool::Elements},
        {"curve",
         "Draw curves (6): clicks or strokes add points, drags move them, Delete takes one out, Enter "
         "ends the curve",
         Tool::Curves},
        {"comb", "Comb the strands of the chosen layer (7)", Tool::Comb},
        {"aim",
         "Aim the chosen light (8): drag where its highlight shall fall; with Shift from what throws a "
         "shadow to where that shall fall",
         Tool::Light}};
    for (const auto& t : all) {
        QToolButton* b = toolButton(t.icon, t.tip);
        b->setCheckable(true);
        b->setChecked(t.tool == Tool::Select);
        toolGroup_->addButton(b, int(t.tool));
        box->addWidget(b);
        connect(b, &QToolButton::clicked, this, [this, tool = t.tool] { setTool(tool); });
    }
    const auto action = [&](const char* name, const char* tip, auto call) {
        QToolButton* b = toolButton(name, tip);
        box->addWidget(b);
        connect(b, &QToolButton::clicked, this, call);
    };
    action("frame", "Bring everything into view (Ctrl+0); what is chosen (Alt+0)", [this] { frameAll(); });
    action("camera", "Look through the scene's camera (C)", [this] { lookThroughCamera(); });
    lightButton_ = toolButton("light", "Under the scene's sun and sky, or in a neutral light (Shift+S)");
    lightButton_->setObjectName("sceneLight");
    lightButton_->setCheckable(true);
    box->addWidget(lightButton_);
    connect(lightButton_, &QToolButton::toggled, this, [this](bool on) {
        sceneLight_ = on;
        refresh();
    });
    stackTools();
    tools_->move(px(10), px(10));
    makeZoneButton();
}

/// In one column, or in as many as the view's height asks for.
void ViewWidget::stackTools() {
    auto* grid = qobject_cast<QGridLayout*>(tools_->layout());
    const auto buttons = tools_->findChildren<QToolButton*>(QString(), Qt::FindDirectChildrenOnly);
    if (!grid || buttons.isEmpty()) return;
    const int each = buttons.front()->sizeHint().height() + grid->spacing();
    const int rows = std::clamp((height() - px(40)) / std::max(1, each), 4, int(buttons.size()));
    for (int i = 0; i < int(buttons.size()); ++i) grid->addWidget(buttons[i], i % rows, i / rows);
    grid->activate();
    tools_->adjustSize();
}

void ViewWidget::toggleSceneLight() { lightButton_->toggle(); }

void ViewWidget::setTool(Tool tool) {
    handles_.setTool(tool);
    elements_->setActive(tool == Tool::Elements);
    curves_->setActive(tool == Tool::Curves);
    comb_->setActive(tool == Tool::Comb);
    lights_->setActive(tool == Tool::Light);
    controller_.selection().setAiming(tool == Tool::Elements || tool == Tool::Comb);
    toolGroup_->button(int(tool))->setChecked(true);
    Q_EMIT toolChanged(tool);
    refresh();
}

void ViewWidget::toggleGuides() {
    guides_ = !guides_;
    QSettings().setValue("pictureGuides", guides_);
    refresh();
}

void ViewWidget::initializeGL() {
    try {
        scene_ = std::make_unique<GlScene>();
        scene_->initialise();
        stale_ = true;
    } catch (const Error& e) {
        scene_.reset();
        missing_ = QString::fromUtf8(e.what());
    }
}

void ViewWidget::paintGL() {
    auto* gl = QOpenGLContext::currentContext()->functions();
    const QColor ground = tokens().ink;
    gl->glClearColor(float(ground.redF()), float(ground.greenF()), float(ground.blueF()), 1);
    gl->glClear(GL_COLOR_BUFFER_BIT | GL_DEPTH_BUFFER_BIT);
    if (scene_) {
        if (std::exchange(stale_, false)) scene_->update(controller_.results());
        GlScene::Options o;
        o.viewProjection = viewProjection();
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
        o.pixelSize = 2.0f * lens().halfHeight() / float(std::max(1, height()));
        QElapsedTimer timer;
        timer.start();
        scene_->draw(o);
        scene_->drawGrid(o.viewProjection, o.eye, gridStep());
        drawSeconds_ += double(timer.nsecsElapsed()) * 1e-9;
        gl->glDisable(GL_DEPTH_TEST);
    }
}

float ViewWidget::gridStep() const {
    const float wanted = camera_.distance / 20.0f;
    return std::pow(10.0f, std::round(std::log10(std::max(1e-5f, wanted))));
}

float ViewWidget::handleUnit() const {
    const auto at = handles_.origin();
    if (!at) return 1.0f;
    const float depth = std::max(1e-4f, (*at - camera_.position()).dot(lens().forward()));
    return depth * lens().halfWidth() * 2.0f * float(px(84)) / float(std::max(1, width()));
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

void ViewWidget::mousePressEvent(QMouseEvent* e) {
    setFocus();
    last_ = press_ = e->position().toPoint();
    draggingZone_ = e->button() == Qt::LeftButton && zone_ && zoneButton_->isVisible() &&
                    legendBar().adjusted(-px(6), -px(6), px(6), px(6)).contains(e->position());
    if (draggingZone_) {
        dragZone(e->position());
        return;
    }
    if (e->button() == Qt::LeftButton &&
        (brush_->press(e->position(), e->modifiers(), pressure_, port()) ||
         comb_->press(e->position(), e->modifiers(), pressure_, port()) ||
         elements_->press(e->position(), e->modifiers(), port()) || curves_->press(e->position(), port()) ||
         lights_->press(e->position(), e->modifiers(), port())))
        return;
    if (e->button() == Qt::LeftButton)
        handles_.press(
            e->position(), [this](const V3f& v) { return project(v); }, handleUnit());
}

void ViewWidget::mouseMoveEvent(QMouseEvent* e) {
    const QPoint at = e->position().toPoint(), by = at - last_;
    if (draggingZone_) {
        dragZone(e->position());
        return;
    }
    if (brush_->move(e->position(), e->modifiers(), pressure_, e->buttons() & Qt::LeftButton, port()) &&
        e->buttons() & Qt::LeftButton)
        return;
    if (comb_->move(e->position(), pressure_, e->buttons() & Qt::LeftButton, port()) &&
        e->buttons() & Qt::LeftButton)
        return;
    if (elements_->move(e->position(), e->modifiers(), port()) || curves_->move(e->position(), port()) ||
        lights_->move(e->position(), port()))
        return;
    if (handles_.dragging()) {
        handles_.drag(
            e->position(), [this](const V3f& v) { return project(v); }, e->modifiers() & Qt::ControlModifier);
        last_ = at;
        return;
    }
    const bool pan = (e->buttons() & Qt::MiddleButton) ||
                     ((e->buttons() & Qt::RightButton) && (e->modifiers() & Qt::ShiftModifier));
    if (pan) {
        camera_.pan(float(by.x()) / float(width()), float(by.y()) / float(width()));
        moved();
    } else if (e->buttons() & Qt::RightButton) {
        camera_.orbit(float(by.x()) * 0.008f, float(by.y()) * 0.008f);
        moved();
    }
    last_ = at;
}

void ViewWidget::mouseReleaseEvent(QMouseEvent* e) {
    if (std::exchange(draggingZone_, false)) return;
    if (brush_->release() || comb_->release() || elements_->release() || curves_->release() ||
        lights_->release() || handles_.release())
        return refresh();
    const bool still = (e->position().toPoint() - press_).manhattanLength() < 4;
    if (e->button() == Qt::RightButton && still &&
        elements_->menu(e->position(), e->globalPosition().toPoint(), port()))
        return;
    if (e->button() != Qt::LeftButton || !still) return;
    const std::string under = pick(press_);
    // While single elements are worked on, a click beside them leaves the layer chosen.
    const Node *node = controller_.selection().node(), *there = controller_.document().find(under);
    const bool layer = there && there->category() == Category::Layer;
    if (elements_->active() && node && node->category() == Category::Layer && !layer) return refresh();
    controller_.selection().select(under);
}

void ViewWidget::mouseDoubleClickEvent(QMouseEvent* e) {
    if (e->button() == Qt::LeftButton) elements_->doubleClick(e->position(), port());
}

void ViewWidget::leaveEvent(QEvent*) {
    brush_->leave();
    comb_->leave();
    refresh();
}

/// The pen's pressure; its moves then come as those of a mouse.
void ViewWidget::tabletEvent(QTabletEvent* e) {
    pressure_ = e->type() == QEvent::TabletRelease ? 1.0f : float(e->pressure());
    e->ignore();
}

void ViewWidget::wheelEvent(QWheelEvent* e) {
    camera_.zoom(std::pow(0.9985f, float(e->angleDelta().y())));
    moved();
}

void ViewWidget::keyPressEvent(QKeyEvent* e) {
    if (brush_->key(e->key()) || comb_->key(e->key()) || elements_->key(e->key()) || curves_->key(e->key()))
        return;
    const float turn = 0.12f;
    switch (e->key()) {
        case Qt::Key_Left:
            camera_.orbit(turn, 0);
            return moved();
        case Qt::Key_Right:
            camera_.orbit(-turn, 0);
            return moved();
        case Qt::Key_Up:
            camera_.orbit(0, turn);
            return moved();
        case Qt::Key_Down:
            camera_.orbit(0, -turn);
            return moved();
        case Qt::Key_Plus:
            camera_.zoom(0.85f);
            return moved();
        case Qt::Key_Minus:
            camera_.zoom(1.0f / 0.85f);
            return moved();
        default:
            QOpenGLWidget::keyPressEvent(e);
    }
}

void ViewWidget::resizeEvent(QResizeEvent* e) {
    QOpenGLWidget::resizeEvent(e);
    overlay_->setGeometry(rect());
    stackTools();
    brush_->layOut(size());
    comb_->layOut(size());
    const QRectF legend = legendBox();
    zoneButton_->move(int(legend.right()) - px(8) - zoneButton_->width(), int(legend.top()) + px(6));
    Q_EMIT cameraChanged();
}

}  // namespace ovrix::app
