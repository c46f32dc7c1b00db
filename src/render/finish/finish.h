// From gathered light to numbers for a screen or a file.
#pragma once
#include <memory>
#include <span>

#include "render/film/fireflies.h"

namespace ovrix::render {

/// What a film makes of light, of our own design: dark and middle tones stay nearly as rendered, bright ones
/// roll off towards white. Each number is 0 for nothing.
struct FilmResponse {
    float contrast = 1;      ///< exponent about middle grey, 0.18, which stays; 1 for nothing
    float toe = 0;           ///< 0 to 1: how much darker the dark gets
    float shoulder = 0;      ///< 0 to 1: from which part below white light rolls off; 0 cuts it at white
    float desaturation = 0;  ///< 0 to 1: how much of their colour the brightest tones lose
    bool operator==(const FilmResponse&) const = default;
};
constexpr FilmResponse kSoft{1.0f, 0.0f, 0.45f, 0.4f}, kPunchy{1.3f, 0.35f, 0.35f, 0.25f};

/// Light above it is rolled off to white at the latest, in the film's own units.
constexpr float kFilmWhite = 6.0f;

/// Brings finished light to the numbers that a screen takes. Immutable, thread safe.
class DisplayTransform {
  public:
    virtual ~DisplayTransform() = default;
    /// Linear Rec.709 in place to numbers from 0 to 1.
    virtual void apply(std::span<V3f> light) const = 0;
};

struct FinishOptions {
    float exposure = 0.0f;  ///< EV
    FilmResponse response = kSoft;
    /// Null for a screen of sRGB.
    std::shared_ptr<const DisplayTransform> display = nullptr;
    std::string screen = "sRGB";  ///< what the display is called, for files
    bool asItIs = false;          ///< the display has a response of its own: light goes to it unbounded
};

/// Linear light after exposure and response, 0 to 1; not below 0 where it is as it is. The shoulder: Reinhard
/// et al., "Photographic Tone Reproduction for Digital Images", SIGGRAPH 2002, equation 4,
/// doi:10.1145/566570.566575, applied above a knee.
V3f finished(const V3f& light, const FinishOptions& options);

/// What a screen takes for light, 0 to 1: finished, and through the display.
void toDisplay(std::span<V3f> light, const FinishOptions& options);

/// 0xAARRGGBB rows, top first, for a screen; alpha is multiplied in.
/// @param group    of lights, whose light alone is shown
/// @param factors  see lightsOf()
void toScreen(const Film& film, const FinishOptions& options, std::vector<uint32_t>& out,
              int group = kAllLights, const std::vector<float>* factors = nullptr);
/// A pixel of a screen as numbers from 0 to 1.
inline V3f fromScreen(uint32_t c) {
    const auto part = [c](int shift) { return float(c >> shift & 255) / 255.0f; };
    return V3f(part(16), part(8), part(0));
}
/// The same of light alone, a pixel each.
void toScreen(const std::vector<V3f>& light, const FinishOptions& options, std::vector<uint32_t>& out);

}  // namespace ovrix::render
