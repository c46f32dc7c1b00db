// A glowing ball.
#pragma once
#include "document/model/node_types.h"

namespace ovrix::document {

NodeType ballLightType();

}  // namespace ovrix::document
