// Daylight: the sun, and the sky that goes with it.
#pragma once
#include "document/model/node_types.h"

namespace ovrix::document {

NodeType sunType();
NodeType skyType();

}  // namespace ovrix::document
