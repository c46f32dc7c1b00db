// A flat square.
#pragma once
#include "document/model/node_types.h"

namespace ovrix::document {

NodeType planeType();

}  // namespace ovrix::document
