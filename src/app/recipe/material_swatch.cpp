#include "app/recipe/material_swatch.h"

#include <QApplication>
#include <QDrag>
#include <QMimeData>
#include <QMouseEvent>
#include <QPainter>
#include <QPainterPath>

#include "app/theme/theme.h"
#include "deliver/pictures/material_picture.h"
#include "deliver/pictures/recipe_picture.h"
#include "document/edits/edits.h"
#include "document/model/params.h"
#include "io/denoiser/denoiser.h"

namespace ovrix::app {

/// Few are enough where noise is taken out.
static constexpr int kPasses = 8, kNoisyPasses = 48;

MaterialSwatch::MaterialSwatch(Controller& controller, QWidget* parent)
    : QWidget(parent),
      controller_(controller),
      evaluator_(kSampleMemory),
      worker_(evaluator_, [this](RenderUpdate u) {
          QMetaObject::invokeMethod(
              this, [this, u = std::move(u)] { onUpdate(u); }, Qt::QueuedConnection);
      }) {
    setObjectName("swatch");
    setFixedHeight(px(148));
    setCursor(Qt::OpenHandCursor);
    worker_.setDenoising(hasDenoiser());
    connect(&controller_.clock(), &PlayClock::frameChanged, this, [this] {
        if (!controller_.clock().playing()) make();
    });
    connect(&controller_.clock(), &PlayClock::playingChanged, this, &MaterialSwatch::make);
}

void MaterialSwatch::follow(const Node& material) {
    if (material.id != material_) image_ = QImage(), state_.clear();
    material_ = material.id;
    make();
}

/// Fields may go by the time.
static bool changesInTime(const Document& parts) {
    for (const NodePtr& node : parts.nodes())
        for (const auto& [id, param] : node->params)
            if (param.animated() || param.field) return true;
    return false;
}

/// On the screen of the scene's own pictures; the steps of its finish are for those alone.
static Document withScreenOf(const SceneContext& scene, Document sample) {
    const Node *own = scene.document.settings("finish"), *there = sample.settings("finish");
    if (!own || !there) return sample;
    Node finish = *there;
    finish.params = own->params;
    if (const std::string file = scene.document.finishSetting(kFinish.configuration); !file.empty())
        finish.params[kFinish.configuration.id()].value = scene.resolve(file).string();
    sample.put(std::move(finish));
    return sample;
}

void MaterialSwatch::make() {
    const Document& document = controller_.document();
    const QSize size = this->size() * devicePixelRatioF();
    if (!isVisible() || size.width() < 16 || !document.find(material_)) return;
    const double frame = controller_.clock().playing() ? frame_ : controller_.clock().frame();
    RenderRequest request;
    try {
        const PartsFile file = materialFileOf(document, material_, controller_.scene().folder);
        const Node* finish = document.settings("finish");
        const ParamMap screen = finish ? finish->params : ParamMap();
        if (file.parts == parts_ && screen == screen_ && size == size_ &&
            (frame == frame_ || !changesInTime(parts_)))
            return;
        parts_ = file.parts, screen_ = screen, size_ = size, frame_ = frame;
        Document sample = materialSample(file, float(size.width()) / float(size.height()));
        sample = withValue(sample, {"scene", "", kScene.memory.id()},
                           document.sceneSetting(kScene.memory));  // images are read as small as there
        request.scene = {withScreenOf(controller_.scene(), std::move(sample)), {}};
    } catch (const std::exception& e) {
        state_ = QString::fromStdString(problemOf(e));
        return update();
    }
    request.frame = frame;
    request.width = size.width(), request.height = size.height();
    request.samples = worker_.denoising() ? kPasses : kNoisyPasses;
    worker_.start(std::move(request));
}

/// What is coarse or noisy is for where there is no picture yet, so that nothing flickers while a number is
/// turned.
void MaterialSwatch::onUpdate(const RenderUpdate& u) {
    state_ = u.failed ? u.state : QString();
    QString tip = "As it looks under a soft light. Drag it on what shall wear it.";
    for (const std::string& problem : u.problems) tip += "\n" + QString::fromStdString(problem);
    setToolTip(tip);
    const bool good = u.clean || (u.pass > 0 && !worker_.denoising());
    if (!u.image.isNull() && (good || image_.isNull())) {
        image_ = u.image;
        image_.setDevicePixelRatio(devicePixelRatioF());
    }
    update();
}

void MaterialSwatch::paintEvent(QPaintEvent*) {
    QPainter p(this);
    p.setRenderHints(QPainter::Antialiasing | QPainter::SmoothPixmapTransform);
    QPainterPath frame;
    frame.addRoundedRect(rect(), px(4), px(4));
    p.setClipPath(frame);
    p.fillRect(rect(), tokens().field);
    if (!image_.isNull()) p.drawImage(rect(), image_);
    if (state_.isEmpty()) return;
    p.fillRect(rect(), QColor(0, 0, 0, 150));
    p.setPen(tokens().text);
    p.drawText(rect().adjusted(px(10), 0, -px(10), 0), Qt::AlignCenter | Qt::TextWordWrap, state_);
}

void MaterialSwatch::resizeEvent(QResizeEvent*) { make(); }
void MaterialSwatch::showEvent(QShowEvent*) { make(); }

/// What nobody sees need not be finished; it is made again then.
void MaterialSwatch::hideEvent(QHideEvent*) {
    if (!worker_.busy()) return;
    worker_.stop();
    parts_ = Document();
}

void MaterialSwatch::mousePressEvent(QMouseEvent* e) { pressed_ = e->pos(); }

void MaterialSwatch::mouseMoveEvent(QMouseEvent* e) {
    if (!(e->buttons() & Qt::LeftButton) ||
        (e->pos() - pressed_).manhattanLength() < QApplication::startDragDistance())
        return;
    auto* drag = new QDrag(this);
    auto* mime = new QMimeData;
    mime->setData(kNodeMime, QByteArray::fromStdString(material_));
    drag->setMimeData(mime);
    if (!image_.isNull())
        drag->setPixmap(QPixmap::fromImage(image_).scaledToHeight(px(48), Qt::SmoothTransformation));
    drag->exec(Qt::CopyAction);
}

}  // namespace ovrix::app
