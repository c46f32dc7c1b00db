// Tufts: handfuls of strands that are copied as one.
#pragma once
#include "geo/strands/strands.h"

namespace ovrix::geo {

struct TuftOptions {
    int strands = 7;              ///< 1 to 4096
    float height = 0.03f;         ///< metres of the tallest
    float vary = 0.3f;            ///< part by which others are lower
    float foot = 0.004f;          ///< metres: radius over which they start
    float open = radians(20.0f);  ///< radians that they lean outward
    float radius = 0.003f;        ///< metres: of their spirals, at the tips; 0 for straight strands
    float radiusVary = 0.4f;      ///< part by which it differs
    float turns = 2.0f, turnsVary = 0.4f;
    float pinch = 0.0f;                             ///< 1 draws all tips together over the middle
    float trim = 0.0f;                              ///< part of the height that is cut off level
    float distortion = 0.002f;                      ///< metres of irregular bends
    int segments = 12;                              ///< 1 to 512
    float rootWidth = 0.0006f, tipWidth = 0.0001f;  ///< metres
    bool round = false;
    uint32_t seed = 1;
};

/// Strands that grow along +Y around the origin, root first. Ids are 0, 1, 2...
StrandsPtr makeTuft(const TuftOptions& options);

}  // namespace ovrix::geo
