// A square of hills.
#pragma once
#include "document/model/node_types.h"

namespace ovrix::document {

NodeType terrainType();

}  // namespace ovrix::document
