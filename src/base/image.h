// A picture in memory, as fields, materials and skies read it.
#pragma once
#include <Imath/half.h>

#include <map>
#include <memory>
#include <string>
#include <vector>

#include "base/vec.h"

namespace ovrix::base {

/// A place on a picture of that many pixels, or the nearest from which nothing of the other side is seen.
/// @param seen  of what is seen there, as a part of the picture
V2f withinEdges(const V2f& place, int width, int height, float seen = 0.0f);

/// What a picture holds at a place.
struct Texel {
    Color color{0.0f};
    float alpha = 0.0f;
};
/// Of a picture that is not there: to be seen.
inline const Texel kMissingTexel{Color(1.0f, 0.0f, 1.0f), 1.0f};

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
    /// Bilinear, repeating; u to the right, v up, both 0 to 1 over the picture. Nothing where they are no
    /// numbers.
    Texel texel(float u, float v) const;
    Color sample(float u, float v) const { return texel(u, v).color; }
    /// The same, but its edges go on instead.
    Color sampleWithin(float u, float v) const {
        const V2f place = withinEdges(V2f(u, v), width, height);
        return sample(place.x, place.y);
    }
    float sampleAlpha(float u, float v) const { return texel(u, v).alpha; }
};

/// The same in a half of its size each way, rounded down, and at least 1.
std::shared_ptr<const Image> halved(const Image& image);

/// A picture that is laid on things. Immutable, thread safe.
class Texture {
  public:
    virtual ~Texture() = default;
    /// Linear light at a place, repeating; u to the right, v up. Nothing where it is no number.
    /// @param width  of what is seen there, as a part of the picture: what is finer is not seen; 0 for all
    virtual Texel at(const V2f& uv, float width) const = 0;
    /// See withinEdges().
    virtual V2f within(const V2f& place, float width) const = 0;
    /// That it takes for itself.
    virtual size_t bytes() const { return 0; }
};

/// One that is in memory with its smaller sizes: between two of them where the width is: Williams, "Pyramidal
/// Parametrics", SIGGRAPH 83, doi:10.1145/800059.801126.
class ImageTexture : public Texture {
  public:
    explicit ImageTexture(std::shared_ptr<const Image> image);
    Texel at(const V2f& uv, float width) const override;
    V2f within(const V2f& place, float width) const override {
        return withinEdges(place, sizes_[0]->width, sizes_[0]->height, width);
    }
    size_t bytes() const override;

  private:
    std::vector<std::shared_ptr<const Image>> sizes_;
};

/// Gives images by path and colour space; made where files are known. Throws Error naming the file.
class ImageSource {
  public:
    virtual ~ImageSource() = default;
    /// @param space  the name of the colour space the file is in, from colorSpaceNames()
    virtual std::shared_ptr<const Image> image(const std::string& path, const std::string& space) = 0;
    /// To be laid on things.
    virtual std::shared_ptr<const Texture> texture(const std::string& path, const std::string& space) {
        return std::make_shared<const ImageTexture>(image(path, space));
    }
    /// Of a picture in tiles those that are there, by number: see tilesOf().
    virtual std::map<int, std::shared_ptr<const Texture>> tiles(const std::string& pattern,
                                                                const std::string& space) = 0;
};

/// Names of colour spaces that images in and out may have.
inline const std::vector<std::string>& colorSpaceNames() {
    static const std::vector<std::string> names = {"sRGB", "Linear Rec.709", "ACEScg", "Raw"};
    return names;
}

}  // namespace ovrix::base
