// The picture in the render pane: regions, what to focus on, and comparing.
#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>

#include "app/render/render_pane.h"
#include "app/theme/theme.h"

namespace ovrix::app {

PictureArea::PictureArea(QWidget* parent) : QWidget(parent) {
    setMouseTracking(true);
    setFocusPolicy(Qt::StrongFocus);
    setMinimumSize(px(160), px(100));
    setAccessibleName("Render");
}

void PictureArea::setImage(const QImage& image) {
    image_ = image;
    update();
}

void PictureArea::setPinned(const QImage& image) {
    pinned_ = image;
    update();
}

void PictureArea::setRegionMode(bool on) {
    regionMode_ = on;
    setCursor(on ? Qt::CrossCursor : Qt::ArrowCursor);
}

void PictureArea::setFocusMode(bool on) {
    focusMode_ = on;
    setCursor(on ? Qt::PointingHandCursor : Qt::ArrowCursor);
}

void PictureArea::setRegion(const std::optional<Rect>& region) {
    region_ = region;
    update();
}

QRectF PictureArea::pictureRect() const {
    if (image_.isNull()) return rect();
    const QSizeF fitted = QSizeF(image_.size()).scaled(size(), Qt::KeepAspectRatio);
    return {QPointF((width() - fitted.width()) / 2, (height() - fitted.height()) / 2), fitted};
}

QPoint PictureArea::toPixel(const QPointF& p) const {
    const QRectF r = pictureRect();
    return {int(std::clamp((p.x() - r.left()) / r.width(), 0.0, 1.0) * image_.width()),
            int(std::clamp((p.y() - r.top()) / r.height(), 0.0, 1.0) * image_.height())};
}

void PictureArea::paintEvent(QPaintEvent*) {
    QPainter p(this);
    p.fillRect(rect(), tokens().ink);
    if (image_.isNull()) {
        p.setPen(tokens().muted);
        p.drawText(rect(), Qt::AlignCenter, "No picture yet");
        return;
    }
    const QRectF r = pictureRect();
    p.setRenderHint(QPainter::SmoothPixmapTransform);
    p.drawImage(r, image_);
    if (!pinned_.isNull()) {
        const double x = r.left() + r.width() * wipe_;
        p.save();
        p.setClipRect(QRectF(r.left(), r.top(), x - r.left(), r.height()));
        p.drawImage(r, pinned_);
        p.restore();
        p.setPen(QPen(tokens().text, 1.5));
        p.drawLine(QPointF(x, r.top()), QPointF(x, r.bottom()));
        p.setFont(textFont(8.5));
        p.drawText(QRectF(r.left() + px(8), r.top() + px(6), px(60), px(16)), "pin");
        p.drawText(QRectF(r.right() - px(68), r.top() + px(6), px(60), px(16)), Qt::AlignRight, "now");
    }
    p.setBrush(Qt::NoBrush);
    if (dragging_) {
        p.setPen(QPen(tokens().seaGlass, 1, Qt::DashLine));
        p.drawRect(QRectF(from_, to_).normalized());
    } else if (region_) {
        const double s = r.width() / image_.width();
        p.setPen(QPen(tokens().seaGlass, 1));
        p.drawRect(QRectF(r.left() + region_->x * s, r.top() + region_->y * s, region_->width * s,
                          region_->height * s));
    }
    if (hasFocus()) {
        p.setPen(QPen(tokens().seaGlass, 1));
        p.drawRect(QRectF(rect()).adjusted(0.5, 0.5, -0.5, -0.5));
    }
}

void PictureArea::mousePressEvent(QMouseEvent* e) {
    setFocus();
    if (image_.isNull() || e->button() != Qt::LeftButton) return;
    from_ = to_ = e->position();
    if (focusMode_ && pictureRect().contains(to_)) {
        const QPoint q = toPixel(to_);
        return Q_EMIT focusPicked(std::min(q.x(), image_.width() - 1), std::min(q.y(), image_.height() - 1),
                                  e->modifiers() & Qt::ShiftModifier);
    }
    if (regionMode_)
        dragging_ = true;
    else
        wiping_ = !pinned_.isNull();
    mouseMoveEvent(e);
}

void PictureArea::mouseMoveEvent(QMouseEvent* e) {
    if (image_.isNull()) return;
    to_ = e->position();
    if (wiping_) wipe_ = std::clamp((to_.x() - pictureRect().left()) / pictureRect().width(), 0.0, 1.0);
    if (pictureRect().contains(to_)) {
        const QPoint q = toPixel(to_);
        Q_EMIT probed(std::min(q.x(), image_.width() - 1), std::min(q.y(), image_.height() - 1));
    }
    update();
}

void PictureArea::mouseReleaseEvent(QMouseEvent*) {
    wiping_ = false;
    if (!std::exchange(dragging_, false)) return;
    const QPoint a = toPixel(QRectF(from_, to_).normalized().topLeft()),
                 b = toPixel(QRectF(from_, to_).normalized().bottomRight());
    update();
    if (b.x() - a.x() >= 4 && b.y() - a.y() >= 4)
        Q_EMIT regionDragged({a.x(), a.y(), b.x() - a.x(), b.y() - a.y()});
}

void PictureArea::keyPressEvent(QKeyEvent* e) {
    if (!pinned_.isNull() && (e->key() == Qt::Key_Left || e->key() == Qt::Key_Right)) {
        wipe_ = std::clamp(wipe_ + (e->key() == Qt::Key_Right ? 0.05 : -0.05), 0.0, 1.0);
        return update();
    }
    QWidget::keyPressEvent(e);
}

void PictureArea::resizeEvent(QResizeEvent*) { Q_EMIT resized(); }

}  // namespace ovrix::app
