// A ring.
#pragma once
#include "document/model/node_types.h"

namespace ovrix::document {

NodeType torusType();

}  // namespace ovrix::document
