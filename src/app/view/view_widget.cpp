#include "app/view/view_widget.h"

#include <QButtonGroup>
#include <QGridLayout>
#include <QMouseEvent>
#include <QOffscreenSurface>
#include <QOpenGLContext>
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
    format.setStencilBufferSize(8);
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
    connect(&controller_.selection(), &Selection::elementsChanged, this, &ViewWidget::refresh);
    const auto follow = [this] {
        if (throughCamera_) camera_.follow(cameraNow());
        refresh();
    };
    connect(&controller_, &Controller::documentChanged, this, follow);
    connect(&controller_.clock(), &PlayClock::frameChanged, this, follow);
    connect(&controller_, &Controller::fileChanged, this, &ViewWidget::lookThroughCamera);
    connect(&controller_.files(), &SceneFiles::firstThingAdded, this, &ViewWidget::lookThroughCamera);
    guides_ = QSettings().value("pictureGuides", false).toBool();
    depthOfField_ = QSettings().value("viewDepthOfField", false).toBool();
    lookThroughCamera();
}

ViewWidget::~ViewWidget() {
    makeCurrent();
    scene_.reset();
    lensBlur_.reset();
    doneCurrent();
}

/// The picture and what lies over it.
void ViewWidget::refresh() {
    zoneButton_->setVisible(showsOverlay());
    if (lensBlur_) lensBlur_->restart();
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

void ViewWidget::toggleDepthOfField() {
    depthOfField_ = !depthOfField_;
    QSettings().setValue("viewDepthOfField", depthOfField_);
    if (depthOfField_ && !(cameraNow().fstop > 0.0f))
        controller_.say("All is sharp: the scene's camera has no f-stop", false);
    else if (depthOfField_ && !throughCamera_)
        lookThroughCamera();
    refresh();
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
