// A line to place things along.
#pragma once
#include "document/model/node_types.h"

namespace ovrix::document {

NodeType curveType();

}  // namespace ovrix::document
