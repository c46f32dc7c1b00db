// Colours of strands, along them and from one to the next.
#pragma once
#include "base/image.h"
#include "ops/groom/strand_shape.h"

namespace ovrix::ops {

struct StrandColorOptions {
    VaryingColor root{Color(0.0f), Color(0.12f, 0.07f, 0.04f), nullptr};
    VaryingColor tip{Color(0.0f), Color(0.35f, 0.24f, 0.15f), nullptr};
    Curve along;                         ///< 0 is the root's colour, 1 the tip's
    std::shared_ptr<const Image> image;  ///< its colour at the root's UV multiplies; null for none
    float brightness = 0.15f;            ///< part by which single strands are lighter or darker
    float hue = 0.0f;                    ///< turns by which their hue varies
    float clumps = 0.0f;                 ///< the same as brightness for whole clumps
    Varying grey = {0, 0, {}};           ///< chance of a strand to be grey
    Color greyColor{0.6f, 0.58f, 0.55f};
    uint64_t seed = 1;
};

/// Sets "color" of the points. Throws Cancelled.
StrandsPtr strandColor(const StrandSet& strands, const StrandColorOptions& options, Progress& progress);

StepType strandColorStep();

}  // namespace ovrix::ops
