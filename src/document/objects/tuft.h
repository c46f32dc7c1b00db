// A handful of strands that a layer copies as one.
#pragma once
#include "document/model/node_types.h"

namespace ovrix::document {

NodeType tuftType();

}  // namespace ovrix::document
