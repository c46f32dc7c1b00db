#include "app/widgets/curve_box.h"

#include <QCheckBox>
#include <QFrame>
#include <QKeyEvent>
#include <QLabel>
#include <QPainter>
#include <QPainterPath>
#include <QPushButton>
#include <QVBoxLayout>

#include "app/theme/theme.h"

namespace ovrix::app {

namespace {

QPainterPath curvePath(const Curve& curve, const QRectF& area) {
    QPainterPath path;
    for (int i = 0; i <= 64; ++i) {
        const float x = float(i) / 64.0f;
        const QPointF p(area.left() + area.width() * double(x),
                        area.bottom() - area.height() * double(curve.at(x)));
        if (i)
            path.lineTo(p);
        else
            path.moveTo(p);
    }
    return path;
}

}  // namespace

CurveEditor::CurveEditor(QWidget* parent) : QWidget(parent) {
    setFocusPolicy(Qt::StrongFocus);
    setProperty("takesSpace", true);
    setMinimumSize(px(220), px(150));
}

QSize CurveEditor::sizeHint() const { return {px(260), px(180)}; }

void CurveEditor::setCurve(const Curve& curve) {
    curve_ = curve;
    chosen_ = std::min(chosen_, int(curve_.points.size()) - 1);
    update();
}

QRectF CurveEditor::area() const { return QRectF(rect()).adjusted(px(8), px(8), -px(8), -px(8)); }
QPointF CurveEditor::toScreen(const V2f& p) const {
    return {area().left() + area().width() * double(p.x), area().bottom() - area().height() * double(p.y)};
}
V2f CurveEditor::fromScreen(const QPointF& p) const {
    return V2f(float((p.x() - area().left()) / area().width()),
               float((area().bottom() - p.y()) / area().height()));
}

int CurveEditor::pointAt(const QPointF& p) const {
    for (size_t i = 0; i < curve_.points.size(); ++i)
        if (QLineF(toScreen(curve_.points[i]), p).length() < px(9)) return int(i);
    return -1;
}

/// Under the curve, each below its place.
void CurveEditor::paintHues(QPainter& p) const {
    QLinearGradient hues(area().left(), 0, area().right(), 0);
    for (int i = 0; i <= 6; ++i)
        hues.setColorAt(i / 6.0, QColor::fromHsvF(float(i % 6) / 6.0f, 0.75f, 0.85f));
    p.setPen(Qt::NoPen);
    p.setBrush(hues);
    p.drawRect(QRectF(area().left(), area().bottom() + px(2), area().width(), px(4)));
}

void CurveEditor::paintEvent(QPaintEvent*) {
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    const Tokens& t = tokens();
    p.setPen(Qt::NoPen);
    p.setBrush(t.field);
    p.drawRoundedRect(rect(), px(4), px(4));
    p.setPen(QPen(t.line, 1));
    for (int i = 0; i <= 4; ++i) {
        const double x = area().left() + area().width() * i / 4.0,
                     y = area().top() + area().height() * i / 4.0;
        p.drawLine(QPointF(x, area().top()), QPointF(x, area().bottom()));
        p.drawLine(QPointF(area().left(), y), QPointF(area().right(), y));
    }
    if (ofHues_) paintHues(p);
    p.setBrush(Qt::NoBrush);
    p.setPen(QPen(t.text, 1.75));
    p.drawPath(curvePath(curve_, area()));
    for (size_t i = 0; i < curve_.points.size(); ++i) {
        p.setPen(QPen(t.seaGlass, 1.5));
        p.setBrush(int(i) == chosen_ ? t.seaGlass : t.field);
        p.drawEllipse(toScreen(curve_.points[i]), px(4), px(4));
    }
    if (hasFocus()) {
        p.setPen(QPen(t.seaGlass, 1));
        p.setBrush(Qt::NoBrush);
        p.drawRoundedRect(QRectF(rect()).adjusted(0.5, 0.5, -0.5, -0.5), px(4), px(4));
    }
}

void CurveEditor::mousePressEvent(QMouseEvent* e) {
    setFocus();
    chosen_ = pointAt(e->position());
    if (e->button() == Qt::RightButton) return removeChosen();
    if (chosen_ < 0) {
        V2f p = fromScreen(e->position());
        p = V2f(std::clamp(p.x, 0.0f, 1.0f), std::clamp(p.y, 0.0f, 1.0f));
        const auto place = std::lower_bound(curve_.points.begin(), curve_.points.end(), p,
                                            [](const V2f& a, const V2f& b) { return a.x < b.x; });
        chosen_ = int(place - curve_.points.begin());
        curve_.points.insert(place, p);
        Q_EMIT changed(curve_, true);
    }
    dragging_ = true;
    update();
}

void CurveEditor::moveChosen(const V2f& to, bool dragging) {
    if (chosen_ < 0) return;
    const size_t i = size_t(chosen_);
    const float low = i > 0 ? curve_.points[i - 1].x + 0.001f : 0.0f;
    const float high = i + 1 < curve_.points.size() ? curve_.points[i + 1].x - 0.001f : 1.0f;
    curve_.points[i] = V2f(std::clamp(to.x, low, std::max(low, high)), std::clamp(to.y, 0.0f, 1.0f));
    update();
    Q_EMIT changed(curve_, dragging);
}

void CurveEditor::mouseMoveEvent(QMouseEvent* e) {
    if (dragging_) moveChosen(fromScreen(e->position()), true);
}

void CurveEditor::mouseReleaseEvent(QMouseEvent*) {
    if (std::exchange(dragging_, false)) Q_EMIT finished();
}

void CurveEditor::removeChosen() {
    if (chosen_ < 0 || curve_.points.size() <= 1) return;
    curve_.points.erase(curve_.points.begin() + chosen_);
    chosen_ = -1;
    update();
    Q_EMIT changed(curve_, false);
    Q_EMIT finished();
}

void CurveEditor::keyPressEvent(QKeyEvent* e) {
    const float step = e->modifiers() & Qt::ShiftModifier ? 0.1f : 0.01f;
    const int count = int(curve_.points.size());
    if (e->key() == Qt::Key_Delete || e->key() == Qt::Key_Backspace) return removeChosen();
    if (e->key() == Qt::Key_PageDown || e->key() == Qt::Key_PageUp) {
        chosen_ = (chosen_ + (e->key() == Qt::Key_PageDown ? 1 : count - 1)) % count;
        return update();
    }
    if (chosen_ < 0) return QWidget::keyPressEvent(e);
    V2f p = curve_.points[size_t(chosen_)];
    if (e->key() == Qt::Key_Left)
        p.x -= step;
    else if (e->key() == Qt::Key_Right)
        p.x += step;
    else if (e->key() == Qt::Key_Up)
        p.y += step;
    else if (e->key() == Qt::Key_Down)
        p.y -= step;
    else
        return QWidget::keyPressEvent(e);
    moveChosen(p, true);
    Q_EMIT finished();
}

CurveBox::CurveBox(QWidget* parent) : QWidget(parent) {
    setFixedSize(px(40), px(22));
    setFocusPolicy(Qt::StrongFocus);
    setProperty("takesSpace", true);
    setCursor(Qt::PointingHandCursor);
    setToolTip("Remap curve: what the source gives, left to right, becomes what it counts. Click to change.");
}

QSize CurveBox::sizeHint() const { return {px(40), px(22)}; }

void CurveBox::setCurve(const Curve& curve) {
    curve_ = curve;
    update();
}

void CurveBox::paintEvent(QPaintEvent*) {
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    p.setPen(hasFocus() ? QPen(tokens().seaGlass, 1) : Qt::NoPen);
    p.setBrush(tokens().raised);
    p.drawRoundedRect(QRectF(rect()).adjusted(0.5, 0.5, -0.5, -0.5), px(3), px(3));
    p.setBrush(Qt::NoBrush);
    p.setPen(QPen(tokens().text, 1.5));
    p.drawPath(curvePath(curve_, QRectF(rect()).adjusted(4, 4, -4, -4)));
}

void CurveBox::mousePressEvent(QMouseEvent*) { open(); }

void CurveBox::keyPressEvent(QKeyEvent* e) {
    if (e->key() == Qt::Key_Return || e->key() == Qt::Key_Space) return open();
    QWidget::keyPressEvent(e);
}

void CurveBox::open() {
    auto* popup = new QFrame(this, Qt::Popup);
    popup->setAttribute(Qt::WA_DeleteOnClose);
    popup->setObjectName("card");
    auto* box = new QVBoxLayout(popup);
    auto* editor = new CurveEditor;
    editor->setCurve(curve_);
    editor->setOfHues(ofHues_);
    auto* smooth = new QCheckBox("Smooth");
    smooth->setChecked(curve_.smooth);
    auto* reset = new QPushButton("Straight");
    auto* row = new QHBoxLayout;
    row->addWidget(smooth);
    row->addStretch();
    row->addWidget(reset);
    box->addWidget(editor);
    box->addLayout(row);
    const auto take = [this](const Curve& c, bool dragging) {
        curve_ = c;
        update();
        Q_EMIT changed(c, dragging);
    };
    connect(editor, &CurveEditor::changed, this, take);
    connect(editor, &CurveEditor::finished, this, &CurveBox::finished);
    connect(smooth, &QCheckBox::toggled, this, [=, this](bool on) {
        Curve c = editor->curve();
        c.smooth = on;
        editor->setCurve(c);
        take(c, false);
        Q_EMIT finished();
    });
    connect(reset, &QPushButton::clicked, this, [=, this] {
        Curve c = usual_;
        c.smooth = smooth->isChecked();
        editor->setCurve(c);
        take(c, false);
        Q_EMIT finished();
    });
    popup->adjustSize();
    QPoint at = mapToGlobal(QPoint(width() - popup->width(), height() + px(4)));
    popup->move(at);
    popup->show();
    editor->setFocus();
}

}  // namespace ovrix::app
