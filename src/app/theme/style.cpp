#include "app/theme/style.h"

#include <QPainter>
#include <QStyleOption>

#include "app/theme/theme.h"

namespace ovrix::app {

namespace {

QColor faded(QColor color, bool enabled) {
    if (!enabled) color.setAlphaF(0.4f);
    return color;
}

void paintTick(QPainter& p, const QStyleOption& option) {
    const Tokens& t = tokens();
    const bool on = option.state & QStyle::State_On, part = option.state & QStyle::State_NoChange;
    const bool enabled = option.state & QStyle::State_Enabled;
    const double side = std::min(option.rect.width(), option.rect.height());
    QRectF box(0, 0, side, side);
    box.moveCenter(QRectF(option.rect).center());
    box.adjust(0.5, 0.5, -0.5, -0.5);
    p.save();
    p.setRenderHint(QPainter::Antialiasing);
    p.setPen(
        QPen(faded(option.state & QStyle::State_HasFocus || on || part ? t.seaGlass : t.muted, enabled), 1));
    p.setBrush(faded(on || part ? t.seaGlass : t.field, enabled));
    p.drawRoundedRect(box, px(3), px(3));
    p.setPen(QPen(t.ink, side / 8, Qt::SolidLine, Qt::RoundCap, Qt::RoundJoin));
    const auto at = [&](double x, double y) { return box.topLeft() + QPointF(x, y) * box.width(); };
    if (on) {
        const QPointF mark[] = {at(0.25, 0.52), at(0.43, 0.70), at(0.76, 0.32)};
        p.drawPolyline(mark, 3);
    } else if (part) {
        p.drawLine(at(0.28, 0.5), at(0.72, 0.5));
    }
    p.restore();
}

void paintChoice(QPainter& p, const QStyleOption& option) {
    const Tokens& t = tokens();
    const bool enabled = option.state & QStyle::State_Enabled;
    p.save();
    p.setRenderHint(QPainter::Antialiasing);
    p.setBrush(t.field);
    p.setPen(option.state & QStyle::State_HasFocus    ? QPen(t.seaGlass, 1)
             : option.state & QStyle::State_MouseOver ? QPen(t.line, 1)
                                                      : QPen(Qt::NoPen));
    p.drawRoundedRect(QRectF(option.rect).adjusted(0.5, 0.5, -0.5, -0.5), px(4), px(4));
    const double half = px(3.5);
    const QPointF middle(option.rect.right() - px(11), option.rect.center().y() + 0.5);
    const QPointF arrow[] = {middle + QPointF(-half, -half / 2), middle + QPointF(0, half / 2),
                             middle + QPointF(half, -half / 2)};
    p.setPen(QPen(faded(t.muted, enabled), 1.5, Qt::SolidLine, Qt::RoundCap, Qt::RoundJoin));
    p.drawPolyline(arrow, 3);
    p.restore();
}

}  // namespace

void Style::drawPrimitive(PrimitiveElement element, const QStyleOption* option, QPainter* painter,
                          const QWidget* widget) const {
    if (element == PE_IndicatorCheckBox || element == PE_IndicatorItemViewItemCheck)
        return paintTick(*painter, *option);
    QProxyStyle::drawPrimitive(element, option, painter, widget);
}

void Style::drawComplexControl(ComplexControl control, const QStyleOptionComplex* option, QPainter* painter,
                               const QWidget* widget) const {
    if (control == CC_ComboBox) return paintChoice(*painter, *option);
    QProxyStyle::drawComplexControl(control, option, painter, widget);
}

QRect Style::subControlRect(ComplexControl control, const QStyleOptionComplex* option, SubControl part,
                            const QWidget* widget) const {
    if (control == CC_ComboBox && part == SC_ComboBoxEditField)
        return option->rect.adjusted(px(6), 0, -px(20), 0);
    return QProxyStyle::subControlRect(control, option, part, widget);
}

QSize Style::sizeFromContents(ContentsType type, const QStyleOption* option, const QSize& size,
                              const QWidget* widget) const {
    const QSize usual = QProxyStyle::sizeFromContents(type, option, size, widget);
    return type == CT_ComboBox ? QSize(usual.width(), px(26)) : usual;
}

int Style::pixelMetric(PixelMetric metric, const QStyleOption* option, const QWidget* widget) const {
    if (metric == PM_IndicatorWidth || metric == PM_IndicatorHeight) return px(15);
    return QProxyStyle::pixelMetric(metric, option, widget);
}

}  // namespace ovrix::app
