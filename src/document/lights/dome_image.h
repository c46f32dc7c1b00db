// An image all around the scene.
#pragma once
#include "document/model/node_types.h"

namespace ovrix::document {

NodeType domeImageType();

}  // namespace ovrix::document
