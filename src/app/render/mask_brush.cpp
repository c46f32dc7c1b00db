#include "app/render/mask_brush.h"

#include <QButtonGroup>
#include <QPushButton>

#include "app/render/render_pane.h"
#include "app/theme/theme.h"
#include "app/view/brush_look.h"
#include "app/widgets/flow_layout.h"
#include "app/widgets/number_box.h"
#include "params/specs.h"
#include "render/finish/steps/painted_mask.h"

namespace ovrix::app {

static constexpr BrushMode kModes[] = {{0, "Add", "Counts where it goes; Ctrl takes away"},
                                       {1, "Erase", "Takes away what was painted; Ctrl adds"}};

MaskBrush::MaskBrush(Controller& controller, PictureArea* picture)
    : QWidget(picture), controller_(controller), picture_(picture), modes_(new QButtonGroup(this)) {
    FlowLayout* line = brushStripLayout(this);
    addModeButtons(line, modes_, kModes, "mask", [this](int mode) { brush_.erases = mode == 1; });
    const auto changed = [this] { picture_->setBrush(double(brush_.radius)); };
    size_ = addBrushNumber(line,
                           specs::number("radius", "Radius", 0.06, "", 1e-3, 1, 0.01, 0.3,
                                         "Part of the picture's height: Q smaller, W larger"),
                           brush_.radius, changed);
    soft_ = addBrushNumber(line,
                           specs::unitNumber("softness", "Softness", 0.5,
                                             "Part of the radius over which it fades: A less, S more"),
                           brush_.softness, changed);
    connect(addBrushButton(line, "maskDone", "Done", "Ends painting (Esc)"), &QPushButton::clicked, this,
            [this] { controller_.selection().setMasking({}); });
    for (QWidget* w : findChildren<QWidget*>()) w->setFocusPolicy(Qt::TabFocus);
    showNumbers();
    hide();
    connect(&controller_.selection(), &Selection::maskingChanged, this, &MaskBrush::follow);
    connect(&controller_, &Controller::documentChanged, this, &MaskBrush::showMask);
    connect(picture_, &PictureArea::pictureChanged, this, &MaskBrush::showMask);
    connect(picture_, &PictureArea::brushed, this, &MaskBrush::touch);
    connect(picture_, &PictureArea::brushLifted, this, &MaskBrush::end);
    connect(picture_, &PictureArea::brushKey, this, &MaskBrush::key);
}

void MaskBrush::follow() {
    const bool on = !controller_.selection().masking().node.empty();
    setVisible(on);
    picture_->setBrush(double(brush_.radius));
    showMask();
    if (!on) return;
    const int width = std::min(px(420), picture_->width() - px(16));
    resize(width, layout()->heightForWidth(width));
    move(px(8), px(8));
    raise();
    picture_->setFocus();
    if (picture_->image().isNull()) controller_.say("Render first: the mask is painted on the picture", true);
}

void MaskBrush::touch(const QPointF& place, bool begins, Qt::KeyboardModifiers modifiers) {
    const ParamPath path = controller_.selection().masking();
    const auto strokes = controller_.selection().maskedStrokes();
    if (!strokes || (!begins && !down_)) return;
    const V2f at(float(place.x()), float(place.y()));
    if (begins) {
        before_ = *strokes;
        stroke_ = brush_;
        stroke_.erases = brush_.erases != bool(modifiers & Qt::ControlModifier);
        down_ = true;
    } else {
        constexpr float kApart = 0.125f;  // radii between points: what lies nearer changes nothing to be seen
        const double aspect =
            double(picture_->filmSize().width()) / std::max(1, picture_->filmSize().height());
        const V2f by((at.x - stroke_.points.back().x) * float(aspect), at.y - stroke_.points.back().y);
        if (by.length() < kApart * stroke_.radius) return;
    }
    stroke_.points.push_back(at);
    PictureStrokes now = before_;
    now.list.push_back(stroke_);
    controller_.setValue(path, now, true);
}

void MaskBrush::end() {
    if (std::exchange(down_, false)) controller_.endDrag();
}

void MaskBrush::key(int key) {
    if (key == Qt::Key_Escape) return controller_.selection().setMasking({});
    if (!sizeByKey(key, brush_.radius, brush_.softness)) return;
    brush_.radius = std::clamp(brush_.radius, 1e-3f, 1.0f);
    showNumbers();
    picture_->setBrush(double(brush_.radius));
}

void MaskBrush::showNumbers() {
    modes_->button(brush_.erases ? 1 : 0)->setChecked(true);
    size_->setValue(double(brush_.radius));
    soft_->setValue(double(brush_.softness));
}

/// What is painted, over the picture.
void MaskBrush::showMask() {
    const auto strokes = controller_.selection().maskedStrokes();
    const QSize size = picture_->image().size();
    if (!strokes || size.isEmpty()) return picture_->setMask({});
    const QSize film = picture_->filmSize();
    const std::vector<float> mask = paintedMask(*strokes, size.width(), size.height(), picture_->window(),
                                                {film.width(), film.height()}, Progress::none());
    constexpr float kMost = 110;  // of 255: the picture is seen through it
    const QColor c = tokens().anemone;
    QImage image(size, QImage::Format_ARGB32);
    for (int y = 0; y < size.height(); ++y) {
        auto* row = reinterpret_cast<QRgb*>(image.scanLine(y));
        for (int x = 0; x < size.width(); ++x)
            row[x] = qRgba(c.red(), c.green(), c.blue(),
                           int(kMost * mask[size_t(y) * size_t(size.width()) + size_t(x)]));
    }
    picture_->setMask(image);
}

}  // namespace ovrix::app
