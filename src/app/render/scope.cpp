#include "app/render/scope.h"

#include <QPainter>
#include <QPainterPath>

#include "app/theme/theme.h"

namespace ovrix::app {

std::span<const uint32_t> pixelsOf(const QImage& image) {
    return {reinterpret_cast<const uint32_t*>(image.constBits()),
            size_t(image.width()) * size_t(image.height())};
}

Scope::Scope(QWidget* parent) : QWidget(parent) {
    setObjectName("scope");
    setFixedHeight(px(96));
    hide();
}

void Scope::setKind(Kind kind) {
    kind_ = kind;
    setVisible(kind != Kind::None);
    count();
}

void Scope::setImage(const QImage& image) {
    image_ = image.convertToFormat(QImage::Format_RGB32);
    if (kind_ != Kind::None) count();
}

/// Every pixel counts: a highlight may be one.
void Scope::count() {
    counts_ = {};
    waveform_ = QImage();
    if (image_.isNull() || kind_ == Kind::None) return update();
    const auto pixels = pixelsOf(image_);
    if (kind_ == Kind::Histogram) counts_ = render::histogramOf(pixels);
    if (kind_ == Kind::Waveform) {
        constexpr int kColumns = 256;
        const std::vector<uint32_t> columns = render::waveformOf(pixels, image_.width(), kColumns);
        waveform_ = QImage(kColumns, 256, QImage::Format_ARGB32);
        const double full = std::max(1.0, 0.02 * image_.height() * image_.width() / kColumns);
        QColor ink = tokens().text;
        for (int y = 0; y < 256; ++y)
            for (int x = 0; x < kColumns; ++x) {
                const double share = columns[size_t(y) * kColumns + size_t(x)] / full;
                ink.setAlphaF(float(std::min(1.0, std::sqrt(share))));
                waveform_.setPixelColor(x, y, ink);
            }
    }
    update();
}

void Scope::paintHistogram(QPainter& p) const {
    // The ends tell what is lost, and would dwarf all between.
    uint32_t most = 1;
    for (const auto& channel : counts_)
        for (size_t i = 1; i + 1 < channel.size(); ++i) most = std::max(most, channel[i]);
    const QColor inks[] = {tokens().red, tokens().seaGlass, tokens().water};
    p.setCompositionMode(tokens().ink.lightness() < 128 ? QPainter::CompositionMode_Plus
                                                        : QPainter::CompositionMode_Multiply);
    for (size_t c = 0; c < 3; ++c) {
        QPainterPath path(QPointF(0, height()));
        for (size_t i = 0; i < 256; ++i) {
            const double part = std::min(1.0, std::sqrt(double(counts_[c][i]) / most));
            path.lineTo(width() * (double(i) + 0.5) / 256, height() - part * (height() - px(4)));
        }
        path.lineTo(width(), height());
        QColor ink = inks[c];
        ink.setAlphaF(0.55f);
        p.fillPath(path, ink);
    }
}

void Scope::paintEvent(QPaintEvent*) {
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    p.fillRect(rect(), tokens().ink);
    p.setPen(QPen(tokens().line, 1));
    for (int k = 1; k < 4; ++k) {
        if (kind_ == Kind::Histogram)
            p.drawLine(QPointF(width() * k / 4.0, 0), QPointF(width() * k / 4.0, height()));
        else
            p.drawLine(QPointF(0, height() * k / 4.0), QPointF(width(), height() * k / 4.0));
    }
    if (kind_ == Kind::Histogram) paintHistogram(p);
    if (kind_ == Kind::Waveform && !waveform_.isNull()) p.drawImage(rect(), waveform_);
}

}  // namespace ovrix::app
