// How a node stands and moves: its transform, the curve that it follows, its wandering.
#pragma once
#include "document/model/document.h"

namespace ovrix::document {

/// Node to its parent, at a frame: scale, rotation, wandering, the place on the curve it follows, position. A
/// node without a transform stands still. @p depth counts how many nodes asked through curves that they
/// follow; what goes in a circle follows nothing.
M44f ownMatrix(const Document& document, const Node& node, double frame, int depth = 0);

}  // namespace ovrix::document
