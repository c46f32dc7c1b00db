// Images in and out through OpenImageIO.
#pragma once
#include <atomic>
#include <filesystem>
#include <map>
#include <mutex>

#include "base/image.h"

namespace ovrix::io {

/// Loads what reading and writing take, which else happens when it is first asked for. Thread safe.
void prepareImages() noexcept;

/// Reads an image and brings it into linear light, a strip at a time. One that would take more than @p most
/// bytes is read smaller by a whole number. Throws Error naming the file.
std::shared_ptr<const Image> readImage(const std::filesystem::path& path, const std::string& space,
                                       size_t most = SIZE_MAX);

/// Keeps images that were read, and reads them again when their file changes. What nobody has any more goes,
/// the longest unasked first, when all take more than the limit. Thread safe.
class ImageCache {
  public:
    std::shared_ptr<const Image> image(const std::filesystem::path& path, const std::string& space) {
        return image(path, space, most_);
    }
    /// Of a picture in tiles, which share what one may take. Throws Error where none is there.
    std::map<int, std::shared_ptr<const Image>> tiles(const std::filesystem::path& pattern,
                                                      const std::string& space);
    /// Bytes that an image may take: see readImage().
    void setLimit(size_t bytes);
    /// Of all that is kept.
    size_t bytes() const;

  private:
    struct Kept {
        std::shared_ptr<const Image> image;
        uint64_t asked = 0;
    };
    std::shared_ptr<const Image> image(const std::filesystem::path& path, const std::string& space,
                                       size_t most);
    void drop();

    mutable std::mutex mutex_;
    std::atomic<size_t> most_{SIZE_MAX};
    uint64_t asked_ = 0;
    std::map<std::pair<std::string, std::string>, Kept> images_;
};

/// One plane of a picture to write: row 0 at the top.
struct Channel {
    std::string name;  ///< "R", "depth.Z", "normal.X": what stands in the EXR
    std::vector<float> values;
    bool full = false;  ///< needs 32 bits even where the rest is half (ids, depth)
};

struct Picture {
    int width = 0, height = 0;
    std::vector<Channel> channels;  ///< the first three or four are the colour: R, G, B (A)
};

enum class PixelDepth { Bits8, Bits16, Half, Float };

struct WriteOptions {
    PixelDepth depth = PixelDepth::Half;
    std::string space = "Linear Rec.709";      ///< of the file's colour; the picture is linear Rec. 709
    std::map<std::string, std::string> notes;  ///< text attributes
};

/// Writes EXR (all channels, half or float), TIFF and PNG (the colour, 8 or 16 bits), by the path's ending.
/// Atomic: an error leaves an older file as it was. Throws Error naming the file and a way out.
void writeImage(const std::filesystem::path& path, const Picture& picture, const WriteOptions& options);

/// What a path's ending takes when nothing is said: EXR half and linear, TIFF 16-bit sRGB, PNG 8-bit sRGB.
WriteOptions defaultWriteOptions(const std::filesystem::path& path);

}  // namespace ovrix::io
