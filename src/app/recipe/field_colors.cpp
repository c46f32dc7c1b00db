// What becomes of a colour's field: the ramp between its ends, and curves of hue, saturation and value.
#include <QHBoxLayout>
#include <QLabel>

#include "app/recipe/field_stack.h"
#include "app/theme/theme.h"
#include "app/widgets/curve_box.h"
#include "app/widgets/ramp_bar.h"

namespace ovrix::app {

/// The colours between both ends.
QWidget* FieldStack::makeRamp() {
    auto* bar = new RampBar;
    connect(bar, &RampBar::changed, this, [this](const Ramp& ramp, bool dragging) {
        Param param = paramAt(controller_.document(), path_);
        param.ramp = ramp == Ramp() ? nullptr : std::make_shared<const Ramp>(ramp);
        controller_.setParam(path_, param, dragging);
    });
    connect(bar, &RampBar::finished, this, [this] { controller_.endDrag(); });
    endRefreshers_.push_back([this, bar] {
        const Param param = paramAt(controller_.document(), path_);
        const Color* low = std::get_if<Color>(&param.low);
        const Color* high = std::get_if<Color>(&param.value);
        bar->setRamp(param.ramp ? *param.ramp : Ramp(), low ? *low : Color(0.0f), high ? *high : Color(1.0f));
    });
    return bar;
}

namespace {

struct CurveLook {
    Curve ColorCurves::*curve;
    const char *name, *title, *help;
};
const CurveLook kCurves[] = {
    {&ColorCurves::hue, "hueCurve", "Hue",
     "Turns hues: left to right those of the wheel, of which the middle leaves each as it is"},
    {&ColorCurves::saturation, "saturationCurve", "Saturation",
     "From grey at the left to pure at the right: how pure each becomes"},
    {&ColorCurves::value, "valueCurve", "Value",
     "From dark at the left to bright at the right: how bright each becomes"}};

}  // namespace

/// Of the colours that come of the field, the ramp among them.
QWidget* FieldStack::makeCurves() {
    auto* row = new QWidget;
    row->setObjectName("colorCurves");
    auto* line = new QHBoxLayout(row);
    line->setContentsMargins(px(2), 0, 0, 0);
    line->setSpacing(px(4));
    for (const CurveLook& look : kCurves) {
        auto* label = new QLabel(look.title);
        label->setProperty("muted", true);
        auto* box = new CurveBox;
        box->setObjectName(look.name);
        box->setFixedWidth(px(34));
        box->setToolTip(QString(look.help) + ". Click to change.");
        box->setUsual(ColorCurves().*look.curve, look.curve == &ColorCurves::hue);
        connect(box, &CurveBox::changed, this, [this, look](const Curve& curve, bool dragging) {
            Param param = paramAt(controller_.document(), path_);
            ColorCurves curves = param.curves ? *param.curves : ColorCurves();
            curves.*look.curve = curve;
            param.curves = curves.isIdentity() ? nullptr : std::make_shared<const ColorCurves>(curves);
            controller_.setParam(path_, param, dragging);
        });
        connect(box, &CurveBox::finished, this, [this] { controller_.endDrag(); });
        endRefreshers_.push_back([this, box, look] {
            const Param param = paramAt(controller_.document(), path_);
            box->setCurve((param.curves ? *param.curves : ColorCurves()).*look.curve);
        });
        line->addWidget(label);
        line->addWidget(box);
        line->addStretch();
    }
    return row;
}

}  // namespace ovrix::app
