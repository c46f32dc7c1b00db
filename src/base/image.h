// A picture in memory, as fields, materials and skies read it.
#pragma once
#include <Imath/half.h>

#include <map>
#include <memory>
#include <string>
#include <vector>

#include "base/vec.h"

namespace ovrix::base {

/// RGBA in half floats, linear light, row 0 at the top. Immutable once made, so it may be read by all
/// threads.
struct Image {
    int width = 0, height = 0;
    std::vector<half> pixels;  ///< width * height * 4
    float scale = 1;     ///< of the colours that the pixels hold: lights are brighter than half floats go
    uint64_t stamp = 0;  ///< changes with the file's contents; part of cache keys

    Color color(int x, int y) const {
        const half* p = &pixels[4 * (size_t(y) * size_t(width) + size_t(x))];
        return Color(p[0] * scale, p[1] * scale, p[2] * scale);
    }
    /// Bilinear, repeating; u to the right, v up, both 0 to 1 over the picture.
    Color sample(float u, float v) const;
    /// The place, or the nearest from which nothing of the other side is seen.
    V2f within(const V2f& place) const;
    /// The same, but its edges go on instead.
    Color sampleWithin(float u, float v) const {
        const V2f place = within(V2f(u, v));
        return sample(place.x, place.y);
    }
    float sampleAlpha(float u, float v) const;
};

/// Gives images by path and colour space; made where files are known. Throws Error naming the file.
class ImageSource {
  public:
    virtual ~ImageSource() = default;
    /// @param space  the name of the colour space the file is in, from colorSpaceNames()
    virtual std::shared_ptr<const Image> image(const std::string& path, const std::string& space) = 0;
    /// Of a picture in tiles those that are there, by number: see tilesOf().
    virtual std::map<int, std::shared_ptr<const Image>> tiles(const std::string& pattern,
                                                              const std::string& space) = 0;
};

/// Names of colour spaces that images in and out may have.
inline const std::vector<std::string>& colorSpaceNames() {
    static const std::vector<std::string> names = {"sRGB", "Linear Rec.709", "ACEScg", "Raw"};
    return names;
}

}  // namespace ovrix::base
