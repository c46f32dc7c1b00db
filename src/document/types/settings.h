// What holds for pictures, and for the whole scene.
#pragma once
#include "document/model/node_types.h"

namespace ovrix::document {

NodeType renderSettingsType();
NodeType sceneSettingsType();

}  // namespace ovrix::document
