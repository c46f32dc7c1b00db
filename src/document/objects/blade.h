// A blade of grass, a leaf or a frond, or a tuft of them.
#pragma once
#include "document/model/node_types.h"

namespace ovrix::document {

NodeType bladeType();

}  // namespace ovrix::document
