// What lies behind and around all that stands in the scene.
#pragma once
#include "document/model/node_types.h"

namespace ovrix::document {

NodeType surroundingsType();

}  // namespace ovrix::document
