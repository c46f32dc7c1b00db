// What happens to pictures after they are rendered: steps on them, and the screen that they are for.
#pragma once
#include "document/model/node_types.h"

namespace ovrix::document {

NodeType finishSettingsType();

}  // namespace ovrix::document
