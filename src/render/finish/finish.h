// From gathered light to numbers for a screen or a file.
#pragma once
#include "render/film/film.h"

namespace ovrix::render {

struct FinishOptions {
    float exposure = 0.0f;  ///< EV
    bool soft = true;       ///< roll bright light off; else cut at 1
};

/// Linear light of the finished picture, 0 to 1 when soft. Soft keeps mid tones and rolls off towards white:
/// Reinhard et al., "Photographic Tone Reproduction for Digital Images", SIGGRAPH 2002, equation 4,
/// doi:10.1145/566570.566575, applied above a knee so that dark and middle tones stay as rendered.
V3f finished(const V3f& light, const FinishOptions& options);

/// 0xAARRGGBB rows, top first, for a screen; alpha is multiplied in.
/// @param group  of lights, whose light alone is shown
void toScreen(const Film& film, const FinishOptions& options, std::vector<uint32_t>& out,
              int group = kAllLights);
/// The same of light alone, a pixel each.
void toScreen(const std::vector<V3f>& light, const FinishOptions& options, std::vector<uint32_t>& out);

}  // namespace ovrix::render
