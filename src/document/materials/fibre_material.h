// Hair, fur and thread.
#pragma once
#include "document/model/node_types.h"

namespace ovrix::document {

NodeType fibreMaterialType();

}  // namespace ovrix::document
