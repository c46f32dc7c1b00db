#include "app/view/brush_look.h"

#include <QButtonGroup>
#include <QCheckBox>
#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>

#include "app/theme/theme.h"
#include "app/widgets/flow_layout.h"
#include "app/widgets/number_box.h"
#include "params/specs.h"

namespace ovrix::app {

void paintBrushRing(QPainter& p, const ViewPort& port, const V3f& position, const V3f& n, float radius) {
    const V3f side = (std::abs(n.x) > 0.7f ? V3f(0, 1, 0) : V3f(1, 0, 0)).cross(n).normalized();
    const V3f across = n.cross(side);
    p.setBrush(Qt::NoBrush);
    for (const float fraction : {1.0f, 0.5f}) {
        QPolygonF ring;
        for (int i = 0; i <= 48; ++i) {
            const float a = 2.0f * kPi * float(i) / 48.0f;
            const V3f at = position + (side * std::cos(a) + across * std::sin(a)) * (radius * fraction) +
                           n * (0.01f * radius);
            if (const auto q = port.project(at)) ring << *q;
        }
        p.setPen(QPen(tokens().ink, fraction == 1.0f ? 3.5 : 2.5));
        p.drawPolyline(ring);
        p.setPen(QPen(fraction == 1.0f ? tokens().seaGlass : tokens().text, fraction == 1.0f ? 1.5 : 0.8));
        p.drawPolyline(ring);
    }
}

bool sizeByKey(int key, float& radius, float& strength) {
    switch (key) {
        case Qt::Key_Q:
            radius /= 1.15f;
            return true;
        case Qt::Key_W:
            radius *= 1.15f;
            return true;
        case Qt::Key_A:
            strength = std::max(0.0f, strength - 0.05f);
            return true;
        case Qt::Key_S:
            strength = std::min(1.0f, strength + 0.05f);
            return true;
        default:
            return false;
    }
}

void sizeByDrag(const QPointF& delta, float& radius, float& strength) {
    radius = std::clamp(radius * std::pow(1.01f, float(delta.x())), 1e-4f, 1e4f);
    strength = std::clamp(strength - float(delta.y()) * 0.005f, 0.0f, 1.0f);
}

FlowLayout* brushStripLayout(QWidget* strip) {
    strip->setObjectName("card");
    strip->setAttribute(Qt::WA_StyledBackground);
    auto* line = new FlowLayout(strip, px(4));
    line->setContentsMargins(px(8), px(6), px(8), px(6));
    return line;
}

QPushButton* addBrushButton(FlowLayout* line, const char* name, const char* title, const char* help) {
    auto* b = new QPushButton(title);
    b->setObjectName(name);
    b->setToolTip(help);
    line->addWidget(b);
    return b;
}

void addModeButtons(FlowLayout* line, QButtonGroup* group, std::span<const BrushMode> modes,
                    const QString& name, const std::function<void(int mode)>& choose) {
    for (const BrushMode& m : modes) {
        auto* b = addBrushButton(line, (name + m.title).toUtf8().constData(), m.title, m.help);
        b->setCheckable(true);
        group->addButton(b, m.mode);
        QObject::connect(b, &QPushButton::clicked, group, [choose, mode = m.mode] { choose(mode); });
    }
}

NumberBox* addBrushNumber(FlowLayout* line, const ParamSpec& spec, float& value,
                          const std::function<void()>& changed) {
    auto* both = new QWidget;
    auto* pair = new QHBoxLayout(both);
    pair->setContentsMargins(px(4), 0, 0, 0);
    pair->setSpacing(px(4));
    pair->addWidget(new QLabel(QString::fromStdString(spec.title)));
    auto* box = new NumberBox(spec);
    box->setFixedWidth(px(72));
    box->setToolTip(QString::fromStdString(spec.help));
    pair->addWidget(box);
    line->addWidget(both);
    QObject::connect(box, &NumberBox::changed, line, [&value, changed](double x, bool) {
        value = float(x);
        changed();
    });
    return box;
}

BrushNumbers addBrushNumbers(FlowLayout* line, float& radius, float& strength, const char* strengthHelp,
                             const std::function<void()>& changed) {
    return {addBrushNumber(line,
                           specs::number("radius", "Radius", 0.1, "m", 1e-4, 1e4, 0.01, 1,
                                         "Q smaller, W larger; drag with Alt to the sides"),
                           radius, changed),
            addBrushNumber(line, specs::unitNumber("strength", "Strength", 0.5, strengthHelp), strength,
                           changed)};
}

QCheckBox* addBrushSwitch(FlowLayout* line, const char* title, const char* help,
                          const std::function<void(bool)>& set) {
    auto* box = new QCheckBox(title);
    box->setToolTip(help);
    box->setMinimumHeight(px(26));
    QObject::connect(box, &QCheckBox::toggled, line, set);
    line->addWidget(box);
    return box;
}

}  // namespace ovrix::app
