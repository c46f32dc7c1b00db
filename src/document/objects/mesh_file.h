// A mesh from a file.
#pragma once
#include "document/model/node_types.h"

namespace ovrix::document {

NodeType meshFileType();
/// Whether the faces of a mesh file are turned over.
const Handle<bool>& meshFlip();

}  // namespace ovrix::document
