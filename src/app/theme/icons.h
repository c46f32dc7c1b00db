// The drawings of the icons: bodies of SVG on a 16-pixel grid.
#pragma once
#include <QString>

namespace ovrix::app {

/// Empty for a name that is not drawn.
QString iconBody(const QString& name);

}  // namespace ovrix::app
