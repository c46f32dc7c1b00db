#include "app/widgets/color_button.h"

#include <QColorDialog>
#include <QDragEnterEvent>
#include <QMimeData>
#include <QPainter>

#include "app/theme/theme.h"
#include "base/srgb.h"

namespace ovrix::app {

QColor toScreenColor(const Color& c) {
    const auto part = [](float x) { return encodeSrgb(std::clamp(x, 0.0f, 1.0f)); };
    return QColor::fromRgbF(part(c.x), part(c.y), part(c.z));
}

Color fromScreenColor(const QColor& color) {
    return Color(decodeSrgb(color.redF()), decodeSrgb(color.greenF()), decodeSrgb(color.blueF()));
}

ColorButton::ColorButton(QWidget* parent) : QAbstractButton(parent) {
    setFixedHeight(px(26));
    setFocusPolicy(Qt::StrongFocus);
    setCursor(Qt::PointingHandCursor);
    setAcceptDrops(true);
    connect(this, &QAbstractButton::clicked, this, &ColorButton::choose);
}

QSize ColorButton::sizeHint() const { return {px(120), px(26)}; }

void ColorButton::setColor(const Color& color) {
    color_ = color;
    update();
}

void chooseColorOf(QWidget* parent, const Color& before, const std::function<void(const Color&)>& changed) {
    QColorDialog dialog(toScreenColor(before), parent);
    dialog.setOption(QColorDialog::DontUseNativeDialog);
    QObject::connect(&dialog, &QColorDialog::currentColorChanged, parent,
                     [&](const QColor& c) { changed(fromScreenColor(c)); });
    if (dialog.exec() != QDialog::Accepted) changed(before);
}

void ColorButton::choose() {
    const Color before = color_;
    chooseColorOf(this, before, [this](const Color& c) {
        setColor(c);
        Q_EMIT changed(color_, true);
    });
    Q_EMIT finished();
}

void ColorButton::dragEnterEvent(QDragEnterEvent* e) {
    if (e->mimeData()->hasColor()) e->acceptProposedAction();
}

/// A colour from anywhere.
void ColorButton::dropEvent(QDropEvent* e) {
    setColor(fromScreenColor(qvariant_cast<QColor>(e->mimeData()->colorData())));
    Q_EMIT changed(color_, false);
    Q_EMIT finished();
    e->acceptProposedAction();
}

void ColorButton::paintEvent(QPaintEvent*) {
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    p.setPen(hasFocus() ? QPen(tokens().seaGlass, 1) : QPen(tokens().line, 1));
    p.setBrush(toScreenColor(color_));
    p.drawRoundedRect(QRectF(rect()).adjusted(0.5, 0.5, -0.5, -0.5), px(4), px(4));
}

}  // namespace ovrix::app
