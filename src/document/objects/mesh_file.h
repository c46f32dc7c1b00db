// A mesh from a file.
#pragma once
#include "document/model/node_types.h"

namespace ovrix::document {

NodeType meshFileType();

}  // namespace ovrix::document
