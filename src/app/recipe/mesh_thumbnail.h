// A small picture of a mesh.
#pragma once
#include <QPixmap>

#include "app/session/eval_worker.h"

namespace ovrix::app {

/// The object seen from above its right, on nothing. Kept by the mesh's hash, so asking again costs nothing.
QPixmap meshThumbnail(const ObjectView& object, const QColor& color, int size);

}  // namespace ovrix::app
