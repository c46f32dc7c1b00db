// A recipe on a surface.
#pragma once
#include "document/model/node_types.h"

namespace ovrix::document {

NodeType layerType();

}  // namespace ovrix::document
