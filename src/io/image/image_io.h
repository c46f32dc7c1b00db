// Images in and out through OpenImageIO.
#pragma once
#include <atomic>
#include <filesystem>
#include <map>
#include <mutex>
#include <span>

#include "base/image.h"
#include "base/progress.h"
#include "base/vec.h"

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
    std::shared_ptr<const Image> image(const std::filesystem::path& path, const std::string& space);
    /// To be laid on things. What takes more than 16 MB is written once as tiles in all sizes, in a folder of
    /// the program's own, and read from there a tile at a time, as far as a quarter of the limit goes. Where
    /// that folder cannot be written, it is an image in memory. Throws Error and Cancelled.
    std::shared_ptr<const Texture> texture(const std::filesystem::path& path, const std::string& space,
                                           Progress& progress);
    /// Of a picture in tiles, which count together. Throws Error where none is there.
    std::map<int, std::shared_ptr<const Texture>> tiles(const std::filesystem::path& pattern,
                                                        const std::string& space, Progress& progress);
    /// Bytes that an image may take: see readImage().
    void setLimit(size_t bytes);
    /// Of all that is kept.
    size_t bytes() const;

  private:
    struct Kept {  // one of both
        std::shared_ptr<const Image> image;
        std::shared_ptr<const Texture> texture;
        uint64_t stamp = 0, asked = 0;
        size_t bytes() const;
        bool idle() const { return image ? image.use_count() == 1 : texture.use_count() == 1; }
    };
    enum class As { Image, Texture, Tiles };
    using Key = std::tuple<std::string, std::string, As>;
    /// What is kept of a file as it is now; null for nothing.
    Kept known(const Key& key, uint64_t stamp);
    void keep(const Key& key, Kept kept);
    void drop();
    size_t tileBytes() const;
    double bytesOf(const std::filesystem::path& path);
    /// @param bytes  of all that it is a part of, if they were in memory
    std::shared_ptr<const Texture> texture(const std::filesystem::path& path, const std::string& space,
                                           double bytes, Progress& progress);
    std::shared_ptr<const Texture> tiled(const std::filesystem::path& path, const std::string& space,
                                         uint64_t stamp, Progress& progress);

    mutable std::mutex mutex_;
    std::atomic<size_t> most_{SIZE_MAX};
    std::atomic<bool> tiling_{false};  ///< some texture is read in tiles
    uint64_t asked_ = 0;
    std::map<Key, Kept> images_;
    std::map<std::string, std::pair<uint64_t, double>> bytes_;  ///< by path: of which stamp
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

/// Three more channels of it: R, G and B, in a layer where that has a name.
void addColors(Picture& picture, const std::string& layer, std::span<const V3f> colors, bool full = false);

enum class PixelDepth { Bits8, Bits16, Half, Float };

struct WriteOptions {
    PixelDepth depth = PixelDepth::Half;
    std::string space = "Linear Rec.709";      ///< of the file's colour; the picture is linear Rec. 709
    std::map<std::string, std::string> notes;  ///< text attributes
    std::string screen = {};                   ///< that the numbers are for already, where the space is Raw
};

/// Writes an EXR whose rows come one after another, so that it is nowhere in memory as a whole.
/// @param rows  gives those from one on, with all channels; asked until there are @p height. May throw
/// Throws and is atomic as writeImage().
void writeRows(const std::filesystem::path& path, int height, const WriteOptions& options,
               const std::function<Picture(int y)>& rows);

/// Writes EXR (all channels, half or float), TIFF and PNG (the colour, 8 or 16 bits), by the path's ending.
/// Atomic: an error leaves an older file as it was. Throws Error naming the file and a way out.
void writeImage(const std::filesystem::path& path, const Picture& picture, const WriteOptions& options);

/// What a path's ending takes when nothing is said: EXR half and linear, TIFF 16-bit sRGB, PNG 8-bit sRGB.
WriteOptions defaultWriteOptions(const std::filesystem::path& path);

}  // namespace ovrix::io
