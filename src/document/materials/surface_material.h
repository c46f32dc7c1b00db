// A body or metal under a shine, a coat and fuzz.
#pragma once
#include "document/model/node_types.h"

namespace ovrix::document {

NodeType surfaceMaterialType();

}  // namespace ovrix::document
