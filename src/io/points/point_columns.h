// Columns of numbers, as files of points name them, joined to what they are parts of.
#pragma once
#include "geo/attributes.h"

namespace ovrix::io {

/// Takes the floats "v_x", "v_y", "v_z" (or "vx", "vy", "vz") as the vectors "v", those of "stretch" and
/// "acceleration" likewise, and "qx", "qy", "qz", "qw" as the turns "orient". Where a part is missing, or the
/// whole is there already, nothing is changed.
void joinColumns(AttributeSet& points);

}  // namespace ovrix::io
