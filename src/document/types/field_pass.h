// A field of the scene that renders keep as a pass of its own.
#pragma once
#include "document/model/node_types.h"

namespace ovrix::document {

NodeType fieldPassType();

}  // namespace ovrix::document
