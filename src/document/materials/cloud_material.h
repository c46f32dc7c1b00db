// Dust, smoke, mist, and bodies made of grains.
#pragma once
#include "document/model/node_types.h"

namespace ovrix::document {

NodeType cloudMaterialType();

/// Its parameters that are fitted to a cloud.
inline constexpr const char *kCloudDensity = "density", *kCloudParted = "parted",
                            *kCloudTintDepth = "tint_depth";

/// What of a cloud material says how thick it is: of what fields drive, the larger end.
struct CloudThickness {
    double density = 0.0;  ///< 1 / metres, to the eye
    bool driven = false;   ///< by a field
    double toLight = 1.0;  ///< by that
    bool tints = false;
    double tintDepth = 0.1;  ///< metres
};
CloudThickness cloudThickness(const Document& document, const Node& material, double frame);

}  // namespace ovrix::document
