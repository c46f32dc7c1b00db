#include "app/widgets/flow_layout.h"

namespace ovrix::app {

QLayoutItem* FlowLayout::takeAt(int i) {
    QLayoutItem* item = itemAt(i);
    if (item) items_.erase(items_.begin() + i);
    return item;
}

QSize FlowLayout::sizeHint() const {
    QSize size;
    for (const QLayoutItem* item : items_) {
        size.rwidth() += item->sizeHint().width() + gap_;
        size.setHeight(std::max(size.height(), item->sizeHint().height()));
    }
    const QMargins m = contentsMargins();
    return size + QSize(m.left() + m.right(), m.top() + m.bottom());
}

QSize FlowLayout::minimumSize() const {
    QSize size;
    for (const QLayoutItem* item : items_) size = size.expandedTo(item->minimumSize());
    const QMargins m = contentsMargins();
    return size + QSize(m.left() + m.right(), m.top() + m.bottom());
}

int FlowLayout::place(const QRect& rect, bool really) const {
    const QMargins m = contentsMargins();
    const QRect inner = rect.marginsRemoved(m);
    int x = inner.left(), y = inner.top(), line = 0;
    for (QLayoutItem* item : items_) {
        if (item->isEmpty()) continue;  // hidden
        const QSize size = item->sizeHint();
        if (x > inner.left() && x + size.width() > inner.right() + 1) {
            x = inner.left();
            y += line + gap_;
            line = 0;
        }
        if (really) item->setGeometry(QRect(QPoint(x, y), size));
        x += size.width() + gap_;
        line = std::max(line, size.height());
    }
    return y + line - rect.top() + m.bottom();
}

}  // namespace ovrix::app
