// Which layers can be made side by side.
#pragma once
#include <string>
#include <vector>

#include "document/model/document.h"

namespace ovrix::eval {

/// All layers, in groups: those of a group need none of each other, by whatever way they refer to other
/// nodes, and only layers of groups before. Where some need each other in a circle, each stands alone.
std::vector<std::vector<std::string>> layersInWaves(const Document& document);

}  // namespace ovrix::eval
