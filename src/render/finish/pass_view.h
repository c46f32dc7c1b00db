// Passes of a film as people look at them.
#pragma once
#include <array>
#include <functional>

#include "render/finish/finish.h"

namespace ovrix::render {

/// What of a film is shown.
struct FilmView {
    enum class Kind { Light, Plane, Field, Samples, Noise } kind = Kind::Light;
    int group = kAllLights;    ///< of lights, where it is light
    size_t field = 0;          ///< of the film's, where it is one
    Pass pass = Pass::Direct;  ///< where it is a plane
    bool operator==(const FilmView&) const = default;
};

/// What there is to look at beside the light: an id that stays, and what people call it.
struct FilmViewEntry {
    std::string id, title, help;
    FilmView view;
};
/// In the order of lists: the film's groups of lights where there are some, its planes, and its samples and
/// noise.
/// @param groupTitle  what people call a group
std::vector<FilmViewEntry> filmViews(const FilmLayout& layout,
                                     const std::function<std::string(size_t)>& groupTitle);

/// Colours from little to much, 0xAARRGGBB.
using HeatTable = std::array<uint32_t, 256>;

/// 0xAARRGGBB rows, top first. Light as toScreen() has it; normals, tangents and motion with grey for 0;
/// distances from black far away to white near by; places by their fraction of a metre; numbers each in a
/// colour of its own; samples from none to the most that there are, and noise up to a tenth as it is seen, by
/// @p heat. Fields from 0 to 1; those that are colours as an albedo.
void toScreen(const Film& film, const FilmView& view, const FinishOptions& options, const HeatTable& heat,
              std::vector<uint32_t>& out);

/// How many stops light lies from middle grey, by colours: from 6 below to 4 above.
/// @param exposure  EV
void stopsToScreen(const std::vector<V3f>& light, float exposure, const HeatTable& heat,
                   std::vector<uint32_t>& out);
inline constexpr float kStopsBelow = 6.0f, kStopsAbove = 4.0f;

/// Brightens the dark of a screen's pixels by a power, or darkens it below 1; black and white stay.
void bend(std::vector<uint32_t>& screen, float gamma);

}  // namespace ovrix::render
