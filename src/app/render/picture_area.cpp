// The picture in the render pane: regions, what to focus on, and comparing.
#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>

#include "app/render/render_pane.h"
#include "app/render/scope.h"
#include "app/theme/theme.h"

namespace ovrix::app {

PictureArea::PictureArea(QWidget* parent) : QWidget(parent) {
    setMouseTracking(true);
    setFocusPolicy(Qt::StrongFocus);
    setMinimumSize(px(160), px(100));
    setAccessibleName("Render");
}

void PictureArea::setImage(const QImage& image, const PictureWindow& window, const QSize& film) {
    image_ = image;
    window_ = window, film_ = film;
    difference_ = QImage();
    update();
    Q_EMIT pictureChanged();
}

void PictureArea::setCompare(Compare compare) {
    compare_ = compare;
    difference_ = QImage();
    update();
}

static QImage difference(const QImage& a, const QImage& other) {
    constexpr int kTimes = 4;
    const QImage one = a.convertToFormat(QImage::Format_RGB32),
                 two = other.scaled(a.size(), Qt::IgnoreAspectRatio, Qt::SmoothTransformation)
                           .convertToFormat(QImage::Format_RGB32);
    const std::vector<uint32_t> pixels = render::differenceOf(pixelsOf(one), pixelsOf(two), kTimes);
    return QImage(reinterpret_cast<const uchar*>(pixels.data()), a.width(), a.height(), QImage::Format_RGB32)
        .copy();
}

void PictureArea::drawPin(QPainter& p, const QRectF& r) {
    p.setFont(textFont(8.5));
    const auto name = [&](const QRectF& in, const QString& text, Qt::Alignment side) {
        p.setPen(tokens().text);
        p.drawText(in.adjusted(px(8), px(6), -px(8), 0), side | Qt::AlignTop, text);
    };
    if (compare_ == Compare::Difference) {
        if (difference_.isNull()) difference_ = difference(image_, pinned_);
        p.drawImage(r, difference_);
        return name(r, "difference, four times", Qt::AlignLeft);
    }
    if (compare_ == Compare::Beside) {  // both whole, side by side
        p.fillRect(rect(), tokens().ink);
        const QRectF left(0, 0, width() / 2.0 - px(2), height()),
            right(width() / 2.0 + px(2), 0, width() / 2.0 - px(2), height());
        p.drawImage(placeOf(pinned_.size(), left), pinned_);
        p.drawImage(placeOf(image_.size(), right), image_);
        name(left, "pin", Qt::AlignLeft);
        return name(right, "now", Qt::AlignRight);
    }
    const double x = r.left() + r.width() * wipe_;
    p.save();
    p.setClipRect(QRectF(r.left(), r.top(), x - r.left(), r.height()));
    p.drawImage(r, pinned_);
    p.restore();
    p.setPen(QPen(tokens().text, 1.5));
    p.drawLine(QPointF(x, r.top()), QPointF(x, r.bottom()));
    name(r, "pin", Qt::AlignLeft);
    name(r, "now", Qt::AlignRight);
}

QRectF PictureArea::placeOf(const QSizeF& picture, const QRectF& within) const {
    const QSizeF fitted = picture.scaled(within.size(), Qt::KeepAspectRatio);
    return {within.center() - QPointF(fitted.width() / 2, fitted.height() / 2), fitted};
}

void PictureArea::setZoom(double zoom) {
    if (zoom <= 0) middle_ = {0.5, 0.5};
    zoom_ = zoom <= 0 ? 0.0 : std::clamp(zoom, 0.05, 64.0);
    update();
    Q_EMIT zoomChanged(zoom_);
}

/// What lies there stays there.
void PictureArea::zoomAbout(const QPointF& p, double zoom) {
    if (image_.isNull()) return;
    const QRectF before = pictureRect();
    const QPointF at((p.x() - before.left()) / before.width(), (p.y() - before.top()) / before.height());
    setZoom(zoom);
    if (zoom_ == 0) return;
    const QSizeF size = QSizeF(image_.size()) * (zoom_ / devicePixelRatio());
    middle_ = {at.x() + (width() / 2.0 - p.x()) / size.width(),
               at.y() + (height() / 2.0 - p.y()) / size.height()};
    update();
}

void PictureArea::wheelEvent(QWheelEvent* e) {
    if (image_.isNull() || e->angleDelta().y() == 0) return;
    const double fitted = fittedRect().width() / image_.width() * devicePixelRatio();
    const double now = zoom_ > 0 ? zoom_ : fitted;
    const double next = now * std::pow(2.0, e->angleDelta().y() / 240.0);
    zoomAbout(e->position(), next <= fitted * 1.001 ? 0.0 : next);
}

void PictureArea::setPinned(const QImage& image) {
    pinned_ = image;
    difference_ = QImage();
    update();
}

void PictureArea::setRegionMode(bool on) {
    regionMode_ = on;
    setCursor(on ? Qt::CrossCursor : Qt::ArrowCursor);
}

void PictureArea::setPick(Pick pick) {
    pick_ = pick;
    setCursor(pick == Pick::Nothing ? Qt::ArrowCursor
              : pick == Pick::Brush ? Qt::CrossCursor
                                    : Qt::PointingHandCursor);
    update();
}

void PictureArea::setBrush(double radius) {
    brush_ = radius;
    update();
}

void PictureArea::setMask(const QImage& mask) {
    if (mask.isNull() && mask_.isNull()) return;
    mask_ = mask;
    update();
}

/// The brush's rim where the mouse is.
void PictureArea::drawBrush(QPainter& p, const QRectF& r) const {
    const double radius = brush_ * film_.height() / std::max(1e-9, window_.height) * r.height();
    p.setRenderHint(QPainter::Antialiasing);
    for (const auto& [color, width] : {std::pair(tokens().ink, 3.5), std::pair(tokens().seaGlass, 1.5)}) {
        p.setPen(QPen(color, width));
        p.drawEllipse(to_, radius, radius);
    }
    p.setRenderHint(QPainter::Antialiasing, false);
}

void PictureArea::setLegend(bool on) {
    legend_ = on;
    update();
}

/// Of the colours that stand for stops.
void PictureArea::drawLegend(QPainter& p) const {
    const QRectF bar(px(10), height() - px(30), px(200), px(8));
    p.fillRect(bar.adjusted(-px(8), -px(6), px(8), px(18)), tokens().panel);
    for (int x = 0; x < int(bar.width()); ++x)
        p.fillRect(QRectF(bar.left() + x, bar.top(), 1, bar.height()), heatColor(float(x / bar.width())));
    p.setFont(figureFont(7.75));
    p.setPen(tokens().text);
    const auto at = [&](float stops) {
        return bar.left() + bar.width() * (stops + kStopsBelow) / (kStopsBelow + kStopsAbove);
    };
    for (const int stops : {-6, -3, 0, 3})
        p.drawText(QRectF(at(float(stops)) - px(20), bar.bottom() + px(1), px(40), px(14)), Qt::AlignCenter,
                   stops ? QString("%1%2").arg(stops > 0 ? "+" : "").arg(stops) : QString("grey"));
}

void PictureArea::setRegion(const std::optional<Rect>& region) {
    region_ = region;
    update();
}

QRectF PictureArea::fittedRect() const {
    const QSizeF fitted = QSizeF(image_.size()).scaled(size(), Qt::KeepAspectRatio);
    return {QPointF((width() - fitted.width()) / 2, (height() - fitted.height()) / 2), fitted};
}

QRectF PictureArea::pictureRect() const {
    if (image_.isNull()) return rect();
    if (zoom_ == 0) return fittedRect();
    const QSizeF size = QSizeF(image_.size()) * (zoom_ / devicePixelRatio());
    return {QPointF(width() / 2.0 - middle_.x() * size.width(), height() / 2.0 - middle_.y() * size.height()),
            size};
}

/// Of the film: what of it is seen may be a part.
QPoint PictureArea::toPixel(const QPointF& p) const {
    const QRectF r = pictureRect();
    return {int(window_.x + std::clamp((p.x() - r.left()) / r.width(), 0.0, 1.0) * window_.width),
            int(window_.y + std::clamp((p.y() - r.top()) / r.height(), 0.0, 1.0) * window_.height)};
}

QPointF PictureArea::filmPlace(const QPointF& p) const {
    const QRectF r = pictureRect();
    return {(window_.x + (p.x() - r.left()) / r.width() * window_.width) / std::max(1, film_.width()),
            (window_.y + (p.y() - r.top()) / r.height() * window_.height) / std::max(1, film_.height())};
}

/// One that there is.
QPoint PictureArea::pixelAt(const QPointF& p) const {
    const QPoint q = toPixel(p);
    return {std::clamp(q.x(), 0, film_.width() - 1), std::clamp(q.y(), 0, film_.height() - 1)};
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
    p.setRenderHint(QPainter::SmoothPixmapTransform, zoom_ < 1.5);  // else its pixels are to be seen
    p.drawImage(r, image_);
    if (!mask_.isNull()) p.drawImage(r, mask_);
    if (!pinned_.isNull()) drawPin(p, r);
    p.setBrush(Qt::NoBrush);
    if (dragging_) {
        p.setPen(QPen(tokens().seaGlass, 1, Qt::DashLine));
        p.drawRect(QRectF(from_, to_).normalized());
    } else if (region_) {
        const double s = r.width() / window_.width, t = r.height() / window_.height;
        p.setPen(QPen(tokens().seaGlass, 1));
        p.drawRect(QRectF(r.left() + (region_->x - window_.x) * s, r.top() + (region_->y - window_.y) * t,
                          region_->width * s, region_->height * t));
    }
    if (pick_ == Pick::Brush && underMouse()) drawBrush(p, r);
    if (legend_) drawLegend(p);
    if (hasFocus()) {
        p.setPen(QPen(tokens().seaGlass, 1));
        p.drawRect(QRectF(rect()).adjusted(0.5, 0.5, -0.5, -0.5));
    }
}

void PictureArea::mousePressEvent(QMouseEvent* e) {
    setFocus();
    if (!image_.isNull() && e->button() == Qt::MiddleButton) {
        panning_ = true;
        from_ = e->position();
        return;
    }
    if (image_.isNull() || e->button() != Qt::LeftButton) return;
    from_ = to_ = e->position();
    if (pick_ == Pick::Brush) {
        brushing_ = true;
        Q_EMIT brushed(filmPlace(to_), true, e->modifiers());
        return update();
    }
    if (pick_ != Pick::Nothing && pictureRect().contains(to_)) {
        const QPoint q = pixelAt(to_);
        if (pick_ == Pick::White) return Q_EMIT whitePicked(q.x(), q.y());
        return Q_EMIT focusPicked(q.x(), q.y(), e->modifiers() & Qt::ShiftModifier);
    }
    if (regionMode_)
        dragging_ = true;
    else
        wiping_ = !pinned_.isNull() && compare_ == Compare::Wipe;
    mouseMoveEvent(e);
}

void PictureArea::mouseMoveEvent(QMouseEvent* e) {
    if (image_.isNull()) return;
    if (panning_) {
        const QPointF by = e->position() - from_;
        from_ = e->position();
        if (zoom_ == 0) return;
        const QRectF r = pictureRect();
        middle_ -= QPointF(by.x() / r.width(), by.y() / r.height());
        return update();
    }
    to_ = e->position();
    if (brushing_) Q_EMIT brushed(filmPlace(to_), false, e->modifiers());
    if (wiping_) wipe_ = std::clamp((to_.x() - pictureRect().left()) / pictureRect().width(), 0.0, 1.0);
    if (pictureRect().contains(to_)) {
        const QPoint q = pixelAt(to_);
        Q_EMIT probed(q.x(), q.y());
    }
    update();
}

void PictureArea::mouseReleaseEvent(QMouseEvent*) {
    wiping_ = panning_ = false;
    if (std::exchange(brushing_, false)) return Q_EMIT brushLifted();
    if (!std::exchange(dragging_, false)) return;
    const QPoint a = toPixel(QRectF(from_, to_).normalized().topLeft()),
                 b = toPixel(QRectF(from_, to_).normalized().bottomRight());
    update();
    if (b.x() - a.x() >= 4 && b.y() - a.y() >= 4)
        Q_EMIT regionDragged({a.x(), a.y(), b.x() - a.x(), b.y() - a.y()});
}

void PictureArea::keyPressEvent(QKeyEvent* e) {
    if (pick_ == Pick::Brush) {
        for (const int key : {Qt::Key_Escape, Qt::Key_Q, Qt::Key_W, Qt::Key_A, Qt::Key_S})
            if (e->key() == key) return Q_EMIT brushKey(key);
    }
    if (!pinned_.isNull() && (e->key() == Qt::Key_Left || e->key() == Qt::Key_Right)) {
        wipe_ = std::clamp(wipe_ + (e->key() == Qt::Key_Right ? 0.05 : -0.05), 0.0, 1.0);
        return update();
    }
    QWidget::keyPressEvent(e);
}

void PictureArea::resizeEvent(QResizeEvent*) { Q_EMIT resized(); }

}  // namespace ovrix::app
