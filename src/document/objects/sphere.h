// A ball.
#pragma once
#include "document/model/node_types.h"

namespace ovrix::document {

NodeType sphereType();

}  // namespace ovrix::document
