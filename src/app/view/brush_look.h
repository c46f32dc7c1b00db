// What brushes of the view have in common: the ring on the surface, names with their numbers.
#pragma once
#include <QPainter>
#include <QWidget>
#include <functional>
#include <span>

#include "app/view/view_port.h"
#include "params/value.h"

class QButtonGroup;
class QCheckBox;
class QPushButton;

namespace ovrix::app {

class FlowLayout;
class NumberBox;

/// One thing that a brush does, as a strip offers it.
struct BrushMode {
    int mode;
    const char *title, *help;
};
/// The strip's frame: a card over the view, its parts side by side as long as there is room.
FlowLayout* brushStripLayout(QWidget* strip);
/// A button for each mode, named @p name and its title; @p choose is called with the mode that is clicked.
void addModeButtons(FlowLayout* line, QButtonGroup* group, std::span<const BrushMode> modes,
                    const QString& name, const std::function<void(int mode)>& choose);
/// A name and its number, which stay on one line; writes to @p value and calls @p changed.
NumberBox* addBrushNumber(FlowLayout* line, const ParamSpec& spec, float& value,
                          const std::function<void()>& changed);
/// The numbers that all brushes have, which write to the brush and call @p changed.
struct BrushNumbers {
    NumberBox *radius = nullptr, *strength = nullptr;
};
BrushNumbers addBrushNumbers(FlowLayout* line, float& radius, float& strength, const char* strengthHelp,
                             const std::function<void()>& changed);
/// A switch as high as the numbers beside it.
QCheckBox* addBrushSwitch(FlowLayout* line, const char* title, const char* help,
                          const std::function<void(bool)>& set);
/// The button at the end of a strip.
QPushButton* addBrushButton(FlowLayout* line, const char* name, const char* title, const char* help);

/// The rim of a brush, and where it is half as strong.
void paintBrushRing(QPainter& painter, const ViewPort& port, const V3f& at, const V3f& normal, float radius);
/// A brush sized by a key: Q and W the radius, A and S the strength. True when the key was one of these.
bool sizeByKey(int key, float& radius, float& strength);
/// Sized by a drag: to the sides the radius, up and down the strength.
void sizeByDrag(const QPointF& delta, float& radius, float& strength);

}  // namespace ovrix::app
