// Where the moving scenes play: a beach at the end of the day, or the bottom of the sea.
#pragma once
#include "maker.h"

namespace ovrix::demo {

/// A parameter with keys. @p keys frame and value of each
Param keyed(const std::vector<std::pair<double, Value>>& keys, KeyEase ease = KeyEase::Smooth);

struct Stage : Maker {
    std::string sandLook, stoneLook;

    /// In the light of a low sun.
    explicit Stage(const std::filesystem::path& to);
    /// @param from, to, focal  of the camera  @param fstop  sharp where it looks
    void look(const char* from, const char* to, const char* focal, const char* fstop = "0");
    /// A square of it, @p size metres, with hills of @p height.
    void sand(double size, double height);
    /// To the horizon, so high.
    void sea(double level);
    /// Stones, pebbles and shells on the sand, but for a clearing about the middle.
    void strew(double clearing, int stones, int pebbles, const Range& sizes = {0.4, 1.8});
    /// Under water, by day: light from above, and all that is far off goes into its colour.
    void submerge(const char* visibility, const char* color);
    /// Clear, as drops and floats are.
    std::string clear(const std::string& name, const Color& color, double depth, double ior,
                      double roughness);
    std::string plain(const std::string& name, const Color& color, double roughness,
                      const Color& glow = Color(0.0f));
    void keys(const std::string& path, const Param& p);
    void part(const std::string& layer, const char* type) {
        document = withPart(document, layer, "simulate", type);
    }
    void without(const std::string& layer, const char* step) {
        document = withoutStep(document, layer, step);
    }
};

}  // namespace ovrix::demo
