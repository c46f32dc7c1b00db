// Metal or not, from mirror to matt.
#pragma once
#include "document/model/node_types.h"

namespace ovrix::document {

NodeType surfaceMaterialType();

}  // namespace ovrix::document
