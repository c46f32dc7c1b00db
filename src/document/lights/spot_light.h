// A lamp that shines through a cone.
#pragma once
#include "document/model/node_types.h"

namespace ovrix::document {

NodeType spotLightType();

}  // namespace ovrix::document
