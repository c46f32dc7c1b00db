#include "app/widgets/mix_bar.h"

#include <QContextMenuEvent>
#include <QHelpEvent>
#include <QMenu>
#include <QPainter>
#include <QToolTip>

#include "app/theme/theme.h"

namespace ovrix::app {

MixBar::MixBar(QWidget* parent) : QWidget(parent) {
    setFixedHeight(px(44));
    setFocusPolicy(Qt::StrongFocus);
    setMouseTracking(true);
}

QSize MixBar::sizeHint() const { return {px(200), px(44)}; }

void MixBar::setMix(const PrototypeMix& mix, const QStringList& names) {
    mix_ = mix;
    names_ = names;
    update();
}

double MixBar::total() const {
    double sum = 0;
    for (const WeightedPrototype& s : mix_) sum += std::max(0.0, s.weight);
    return sum;
}

double MixBar::borderX(size_t i) const {
    double sum = 0;
    for (size_t k = 0; k <= i && k < mix_.size(); ++k) sum += std::max(0.0, mix_[k].weight);
    return total() > 0 ? width() * sum / total() : 0.0;
}

int MixBar::borderAt(double x) const {
    for (size_t i = 0; i + 1 < mix_.size(); ++i)
        if (std::abs(borderX(i) - x) < px(6)) return int(i);
    return -1;
}

int MixBar::partAt(double x) const {
    for (size_t i = 0; i < mix_.size(); ++i)
        if (x < borderX(i)) return int(i);
    return int(mix_.size()) - 1;
}

void MixBar::paintEvent(QPaintEvent*) {
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    const Tokens& t = tokens();
    if (mix_.empty() || total() <= 0) {
        p.setPen(QPen(t.line, 1, Qt::DashLine));
        p.drawRoundedRect(QRectF(rect()).adjusted(0.5, 0.5, -0.5, -0.5), px(4), px(4));
        p.setPen(t.muted);
        p.drawText(rect(), Qt::AlignCenter, "Nothing to copy yet");
        return;
    }
    double left = 0;
    for (size_t i = 0; i < mix_.size(); ++i) {
        const double right = borderX(i);
        const QRectF fraction(left + (i ? 1 : 0), 0, right - left - (i ? 1 : 0), height());
        QColor fill = t.anemone;
        fill.setAlphaF(i % 2 ? 0.20f : 0.30f);
        p.setPen(Qt::NoPen);
        p.setBrush(fill);
        p.drawRoundedRect(fraction, px(3), px(3));
        const QRectF text = fraction.adjusted(px(7), px(4), -px(3), -px(4));
        p.setPen(t.text);
        p.setFont(textFont(9));
        p.drawText(text, Qt::AlignLeft | Qt::AlignTop,
                   p.fontMetrics().elidedText(names_.value(int(i)), Qt::ElideRight, int(text.width())));
        p.setPen(t.muted);
        p.setFont(figureFont(8.5));
        const auto percent = QString::number(100.0 * std::max(0.0, mix_[i].weight) / total(), 'f', 0) + "%";
        if (p.fontMetrics().horizontalAdvance(percent) <= text.width())  // half a figure tells nothing
            p.drawText(text, Qt::AlignLeft | Qt::AlignBottom, percent);
        if (hasFocus() && int(i) == chosen_) {
            p.setPen(QPen(t.seaGlass, 1));
            p.setBrush(Qt::NoBrush);
            p.drawRoundedRect(fraction.adjusted(0.5, 0.5, -0.5, -0.5), px(3), px(3));
        }
        left = right;
    }
}

void MixBar::mousePressEvent(QMouseEvent* e) {
    if (e->button() != Qt::LeftButton) return;
    dragged_ = borderAt(e->position().x());
    chosen_ = partAt(e->position().x());
    update();
}

void MixBar::mouseMoveEvent(QMouseEvent* e) {
    setCursor(dragged_ >= 0 || borderAt(e->position().x()) >= 0 ? Qt::SplitHCursor : Qt::ArrowCursor);
    if (dragged_ >= 0) moveBorder(size_t(dragged_), e->position().x());
}

void MixBar::moveBorder(size_t i, double x) {
    const double left = i ? borderX(i - 1) : 0.0, right = borderX(i + 1);
    const double both = mix_[i].weight + mix_[i + 1].weight;
    const double fraction = right > left ? std::clamp((x - left) / (right - left), 0.01, 0.99) : 0.5;
    mix_[i].weight = std::round(both * fraction * 1000) / 1000;
    mix_[i + 1].weight = both - mix_[i].weight;
    update();
    Q_EMIT changed(mix_, true);
}

void MixBar::mouseReleaseEvent(QMouseEvent*) {
    if (std::exchange(dragged_, -1) >= 0) Q_EMIT finished();
}

void MixBar::remove(size_t i) {
    mix_.erase(mix_.begin() + std::ptrdiff_t(i));
    names_.removeAt(int(i));
    chosen_ = 0;
    update();
    Q_EMIT changed(mix_, false);
    Q_EMIT finished();
}

void MixBar::contextMenuEvent(QContextMenuEvent* e) {
    if (mix_.empty()) return;
    const int fraction = partAt(e->x());
    QMenu menu(this);
    menu.addAction("Take out " + names_.value(fraction), this,
                   [this, fraction] { remove(size_t(fraction)); });
    menu.addAction("Same share for all", this, [this] {
        for (WeightedPrototype& s : mix_) s.weight = 1.0;
        Q_EMIT changed(mix_, false);
        Q_EMIT finished();
    });
    menu.exec(e->globalPos());
}

void MixBar::keyPressEvent(QKeyEvent* e) {
    if (mix_.empty()) return QWidget::keyPressEvent(e);
    const int count = int(mix_.size());
    if (e->key() == Qt::Key_Left || e->key() == Qt::Key_Right) {
        chosen_ = (chosen_ + (e->key() == Qt::Key_Right ? 1 : count - 1)) % count;
        return update();
    }
    if (e->key() == Qt::Key_Delete) return remove(size_t(chosen_));
    if (e->key() == Qt::Key_Up || e->key() == Qt::Key_Down) {
        mix_[size_t(chosen_)].weight =
            std::max(0.01, mix_[size_t(chosen_)].weight * (e->key() == Qt::Key_Up ? 1.1 : 1 / 1.1));
        update();
        Q_EMIT changed(mix_, false);
        Q_EMIT finished();
        return;
    }
    QWidget::keyPressEvent(e);
}

bool MixBar::event(QEvent* e) {
    if (e->type() == QEvent::ToolTip && !mix_.empty()) {
        auto* help = static_cast<QHelpEvent*>(e);
        const int i = partAt(help->x());
        QToolTip::showText(help->globalPos(),
                           QString("%1: %2 of 100. Drag the borders; right-click to take it out.")
                               .arg(names_.value(i))
                               .arg(100.0 * mix_[size_t(i)].weight / total(), 0, 'f', 1));
        return true;
    }
    return QWidget::event(e);
}

}  // namespace ovrix::app
