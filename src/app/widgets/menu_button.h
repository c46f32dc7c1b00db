// A flat button that opens a menu.
#pragma once
#include <QMenu>
#include <QToolButton>
#include <functional>

namespace ovrix::app {

/// @param name  as its object is called
/// @param fill  called each time before the menu opens; null for one that stays as it is made
QToolButton* menuButton(const char* name, const QString& tip, std::function<void(QMenu&)> fill = {});

}  // namespace ovrix::app
