#include "app/view/work_note.h"

#include <QPainter>
#include <QTimer>

#include "app/theme/theme.h"

namespace ovrix::app {

WorkNote::WorkNote(const Controller& controller, QWidget* view) : QWidget(view), controller_(controller) {
    setAttribute(Qt::WA_TransparentForMouseEvents);
    hide();
    auto* timer = new QTimer(this);
    timer->setInterval(200);
    connect(timer, &QTimer::timeout, this, [this] { refresh(); });
    timer->start();
}

void WorkNote::refresh() {
    const double seconds = controller_.jobs().busySeconds();
    if (seconds < 0.5) return hide();
    QString title = QString::fromStdString(controller_.jobs().title());
    if (title.isEmpty()) title = "Working out the scene";
    text_ = QString("%1   %2 s").arg(title).arg(seconds, 0, 'f', 0);
    const int available = parentWidget()->width() - px(120);
    const int wide =
        std::max(px(80), std::min(QFontMetrics(textFont(9)).horizontalAdvance(text_) + px(28), available));
    // Under the line that says what the view shows.
    setGeometry((parentWidget()->width() - wide) / 2, px(34), wide, px(26));
    show();
    raise();
    update();
}

void WorkNote::paintEvent(QPaintEvent*) {
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    p.setFont(textFont(9));
    p.setPen(QPen(tokens().line, 1));
    p.setBrush(tokens().raised);
    p.drawRoundedRect(QRectF(rect()).adjusted(0.5, 0.5, -0.5, -0.5), px(4), px(4));
    if (const double fraction = std::clamp(double(controller_.jobs().fraction()), 0.0, 1.0); fraction > 0)
        p.fillRect(QRectF(px(4), height() - px(3), (width() - px(8)) * fraction, px(2)), tokens().water);
    p.setPen(tokens().text);
    p.drawText(rect().adjusted(px(10), 0, -px(10), 0), Qt::AlignCenter,
               p.fontMetrics().elidedText(text_, Qt::ElideMiddle, width() - px(20)));
}

}  // namespace ovrix::app
