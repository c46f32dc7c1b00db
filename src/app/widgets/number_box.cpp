#include "app/widgets/number_box.h"

#include <QKeyEvent>
#include <QLineEdit>
#include <QLocale>
#include <QPainter>

#include "app/theme/theme.h"
#include "base/error.h"
#include "params/number_text.h"
#include "params/param.h"

namespace ovrix::app {

QString numberText(double value, bool whole) {
    if (whole) return QLocale(QLocale::English).toString(qlonglong(value)).replace(',', ' ');
    const double size = std::abs(value);
    if (size != 0 && (size < 1e-4 || size >= 1e7)) return QString::number(value, 'g', 4);
    const int decimals = size >= 1000 ? 1 : size >= 100 ? 2 : size >= 1 ? 3 : 4;
    QString text = QString::number(value, 'f', decimals);
    while (text.contains('.') && (text.endsWith('0') || text.endsWith('.'))) {
        const bool point = text.endsWith('.');
        text.chop(1);
        if (point) break;
    }
    return text == "-0" ? "0" : text;
}

NumberBox::NumberBox(const ParamSpec& spec, QWidget* parent) : QWidget(parent), spec_(spec) {
    setFocusPolicy(Qt::StrongFocus);
    setCursor(Qt::SizeHorCursor);
    setFixedHeight(px(26));
    setAccessibleName(QString::fromStdString(spec.title));
}

QSize NumberBox::sizeHint() const { return {px(120), px(26)}; }
QSize NumberBox::minimumSizeHint() const { return {px(44), px(26)}; }

void NumberBox::setValue(double value) {
    if (value == value_) return;
    value_ = value;
    update();
}

void NumberBox::setFormula(const QString& text) {
    if (text == formula_) return;
    formula_ = text;
    setToolTip(text.isEmpty() ? toolTip().section("\n= ", 0, 0)
                              : toolTip().section("\n= ", 0, 0) + "\n= " + text);
    update();
}

void NumberBox::setMark(const QColor& color) {
    mark_ = color;
    update();
}

void NumberBox::setNotched(bool notched) {
    if (notched == notched_) return;
    notched_ = notched;
    update();
}

QString NumberBox::shownText() const {
    const QString unit = QString::fromStdString(spec_.unit)
                             .replace("deg", "\u00b0")
                             .replace("1/m2", "/m\u00b2")
                             .replace("m2", "m\u00b2");
    const QString number = numberText(value_, spec_.type == ParamType::Int);
    return unit.isEmpty() || width() < px(64) ? number
           : unit == "\u00b0"                 ? number + unit
                                              : number + " " + unit;
}

QString NumberBox::typedText() const {
    if (!formula_.isEmpty()) return formula_;
    return spec_.type == ParamType::Int ? QString::number(qlonglong(value_))
                                        : QString::number(value_, 'g', 10);
}

void NumberBox::paintEvent(QPaintEvent*) {
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    const Tokens& t = tokens();
    p.setPen(Qt::NoPen);
    p.setBrush(t.field);
    p.drawRoundedRect(rect(), px(4), px(4));
    const double span = spec_.softMax - spec_.softMin;
    const double share = span > 0 ? std::clamp((value_ - spec_.softMin) / span, 0.0, 1.0) : 0.0;
    if (spec_.type != ParamType::Vector && spec_.id != "seed" && share > 0) {
        QColor fill = t.seaGlass;
        fill.setAlphaF(isEnabled() ? 0.2f : 0.08f);
        p.setClipRect(QRectF(0, 0, width() * share, height()));
        p.setBrush(fill);
        p.drawRoundedRect(rect(), px(4), px(4));
        p.setClipping(false);
    }
    if (!formula_.isEmpty()) {
        p.setPen(t.violet);
        p.setFont(textFont(8.75));
        p.drawText(QRect(px(4), 0, px(14), height()), Qt::AlignVCenter, QString::fromUtf8("\u0192"));
    } else if (mark_.isValid()) {
        p.setBrush(mark_);
        p.drawRoundedRect(QRectF(px(3), height() / 2.0 - px(3), px(3), px(6)), 1, 1);
    }
    if (hasFocus() || dragging_) {
        p.setBrush(Qt::NoBrush);
        p.setPen(QPen(t.seaGlass, 1));
        p.drawRoundedRect(QRectF(rect()).adjusted(0.5, 0.5, -0.5, -0.5), px(4), px(4));
    }
    if (edit_) return;
    p.setPen(isEnabled() ? t.text : t.muted);
    const QRect space = rect().adjusted(px(notched_ ? 10 : 6), 0, -px(6), 0);
    QFont font = figureFont();  // smaller where the figure would not fit: a cut one says something else
    const int wanted = QFontMetrics(font).horizontalAdvance(shownText());
    if (wanted > space.width())
        font.setPixelSize(std::max(px(7), int(double(QFontInfo(font).pixelSize()) * space.width() / wanted)));
    p.setFont(font);
    p.drawText(space, Qt::AlignRight | Qt::AlignVCenter, shownText());
}

/// One pixel of dragging: the soft range over some 240 pixels; finer where the value is small beside it.
double NumberBox::perPixel() const {
    const double range = (spec_.softMax - spec_.softMin) / 240.0;
    if (spec_.type == ParamType::Int)
        return std::max(range, std::abs(pressValue_) > 400 ? std::abs(pressValue_) / 200.0 : 0.1);
    return std::max(range, std::abs(pressValue_) * 0.002);
}

void NumberBox::step(double by) {
    double next = std::clamp(value_ + by, spec_.hardMin, spec_.hardMax);
    if (spec_.type == ParamType::Int) next = std::round(next);
    if (next == value_) return;
    value_ = next;
    update();
    Q_EMIT changed(value_, true);
}

void NumberBox::mousePressEvent(QMouseEvent* e) {
    if (e->button() != Qt::LeftButton) return QWidget::mousePressEvent(e);
    setFocus(Qt::MouseFocusReason);
    pressed_ = true;
    press_ = last_ = e->position().toPoint();
    pressValue_ = value_;
}

void NumberBox::mouseMoveEvent(QMouseEvent* e) {
    if (!pressed_) return;
    const QPoint at = e->position().toPoint();
    if (!dragging_ && std::abs(at.x() - press_.x()) < 4) return;
    dragging_ = true;
    double speed = 1.0;
    if (e->modifiers() & Qt::ControlModifier) speed = 0.1;
    if (e->modifiers() & Qt::ShiftModifier) speed = 10.0;
    const double by = (at.x() - last_.x()) * perPixel() * speed;
    if (spec_.type == ParamType::Int) {  // whole numbers gather what is less than a step
        if (std::abs(by) < 0.5) return;
    }
    last_ = at;
    step(by);
}

void NumberBox::mouseReleaseEvent(QMouseEvent*) {
    if (!pressed_) return;
    pressed_ = false;
    if (!dragging_) return beginTyping();
    dragging_ = false;
    update();
    Q_EMIT finished();
}

void NumberBox::mouseDoubleClickEvent(QMouseEvent*) {
    endTyping(false);
    value_ = default_;
    update();
    Q_EMIT changed(value_, false);
    Q_EMIT finished();
}

void NumberBox::keyPressEvent(QKeyEvent* e) {
    const double unit = spec_.type == ParamType::Int ? 1.0 : (spec_.softMax - spec_.softMin) / 100.0;
    const double speed = e->modifiers() & Qt::ControlModifier ? (spec_.type == ParamType::Int ? 1.0 : 0.1)
                         : e->modifiers() & Qt::ShiftModifier ? 10.0
                                                              : 1.0;
    if (e->key() == Qt::Key_Up || e->key() == Qt::Key_Down) {
        step((e->key() == Qt::Key_Up ? 1 : -1) * unit * speed);
        Q_EMIT finished();
    } else if (e->key() == Qt::Key_Return || e->key() == Qt::Key_Enter) {
        beginTyping();
    } else if (!e->text().isEmpty() && (e->text()[0].isDigit() || QString("-+.(").contains(e->text()[0]))) {
        beginTyping(e->text());
    } else {
        QWidget::keyPressEvent(e);
    }
}

void NumberBox::beginTyping(const QString& text) {
    if (edit_) return;
    edit_ = new QLineEdit(this);
    edit_->setObjectName("typing");
    edit_->setGeometry(rect());
    edit_->setFont(figureFont());
    edit_->setAlignment(Qt::AlignRight);
    edit_->setText(text.isEmpty() ? typedText() : text);
    if (text.isEmpty()) edit_->selectAll();
    edit_->installEventFilter(this);
    edit_->show();
    edit_->setFocus();
}

void NumberBox::endTyping(bool take) {
    if (!edit_) return;
    QLineEdit* edit = std::exchange(edit_, nullptr);
    const QString text = edit->text();
    edit->removeEventFilter(this);
    edit->hide();
    edit->deleteLater();
    update();
    if (!take || text == typedText()) return;
    try {
        if (text.contains("frame") || text.contains("time")) {
            formulaAt(text.toStdString(), 1.0, kUsualRate);
            Q_EMIT formulaTyped(text);
            return;
        }
        double next =
            std::clamp(parseNumberText(text.toStdString(), spec_.unit), spec_.hardMin, spec_.hardMax);
        if (spec_.type == ParamType::Int) next = std::round(next);
        value_ = next;
        Q_EMIT changed(value_, false);
        Q_EMIT finished();
    } catch (const Error& e) {
        Q_EMIT refused(QString::fromUtf8(e.what()));
    }
}

/// Figures are typed into the number though they are keys of tools too.
bool NumberBox::event(QEvent* e) {
    if (e->type() == QEvent::ShortcutOverride) {
        const auto* key = static_cast<QKeyEvent*>(e);
        const QString text = key->text();
        const bool plain = !(key->modifiers() & (Qt::ControlModifier | Qt::AltModifier));
        if (plain && !text.isEmpty() && (text[0].isDigit() || QString("-+.(").contains(text[0]))) {
            e->accept();
            return true;
        }
    }
    return QWidget::event(e);
}

bool NumberBox::eventFilter(QObject* object, QEvent* event) {
    if (object != edit_) return QWidget::eventFilter(object, event);
    if (event->type() == QEvent::MouseButtonDblClick) {
        mouseDoubleClickEvent(nullptr);
        return true;
    }
    if (event->type() == QEvent::FocusOut) endTyping(true);
    if (event->type() == QEvent::KeyPress) {
        const int key = static_cast<QKeyEvent*>(event)->key();
        if (key == Qt::Key_Escape || key == Qt::Key_Return || key == Qt::Key_Enter) {
            endTyping(key != Qt::Key_Escape);
            setFocus();
            return true;
        }
    }
    return false;
}

}  // namespace ovrix::app
