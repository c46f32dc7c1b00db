// A flat ground that reaches the horizon.
#pragma once
#include "document/model/node_types.h"

namespace ovrix::document {

NodeType groundType();

}  // namespace ovrix::document
