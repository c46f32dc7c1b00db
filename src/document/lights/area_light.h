// A glowing rectangle.
#pragma once
#include "document/model/node_types.h"

namespace ovrix::document {

NodeType areaLightType();

}  // namespace ovrix::document
