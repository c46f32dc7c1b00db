// A glowing disk.
#pragma once
#include "document/model/node_types.h"

namespace ovrix::document {

NodeType diskLightType();

}  // namespace ovrix::document
