// Shades of the light that arrives, with contours.
#pragma once
#include "document/model/node_types.h"

namespace ovrix::document {

NodeType lineArtType();

}  // namespace ovrix::document
