// What the render sees through.
#pragma once
#include "document/model/node_types.h"

namespace ovrix::document {

NodeType cameraType();

}  // namespace ovrix::document
