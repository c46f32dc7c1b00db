// A glowing tube.
#pragma once
#include "document/model/node_types.h"

namespace ovrix::document {

NodeType tubeLightType();

}  // namespace ovrix::document
