#include "io/image/image_io.h"

#include "base/error.h"
#include "base/file_sequence.h"
#include "base/files.h"
#include "io/image/color_spaces.h"
#include "io/image/image_library.h"
#include "io/process/library.h"

namespace ovrix::io {

namespace {

const ImageLibrary& imageLibrary() {
    static const auto& table =
        *static_cast<const ImageLibrary*>(fromLibrary("libovrix_images.so", "ovrixImages"));
    return table;
}

}  // namespace

void prepareImages() noexcept {
    try {
        imageLibrary();
    } catch (...) {  // said where an image is read or written
    }
}

std::shared_ptr<const Image> readImage(const std::filesystem::path& path, const std::string& space,
                                       size_t most) {
    requireReadable(path);
    return imageLibrary().read(path, space, most);
}

void ImageCache::setLimit(size_t bytes) {
    if (most_.exchange(bytes) >= bytes) return;
    std::lock_guard lock(mutex_);
    images_.clear();  // those that were read smaller may be read whole now
}

std::shared_ptr<const Image> ImageCache::image(const std::filesystem::path& path, const std::string& space,
                                               size_t most) {
    const auto key = std::make_pair(path.string(), space);
    {
        std::lock_guard lock(mutex_);
        const auto it = images_.find(key);
        if (it != images_.end() && it->second.image->stamp == fileStamp(path)) {
            it->second.asked = ++asked_;
            return it->second.image;
        }
    }
    auto image = readImage(path, space, most);
    std::lock_guard lock(mutex_);
    images_[key] = {image, ++asked_};
    drop();
    return image;
}

std::map<int, std::shared_ptr<const Image>> ImageCache::tiles(const std::filesystem::path& pattern,
                                                              const std::string& space) {
    const auto files = tilesOf(pattern);
    if (files.empty())
        throw Error("no tile of it is there", pattern.string(),
                    "Put tiles beside each other: 1001 is the first, 1002 to its right, 1011 above it");
    std::map<int, std::shared_ptr<const Image>> images;
    for (const auto& [tile, file] : files) images[tile] = image(file, space, most_ / files.size());
    return images;
}

size_t ImageCache::bytes() const {
    std::lock_guard lock(mutex_);
    size_t sum = 0;
    for (const auto& [key, kept] : images_) sum += kept.image->pixels.size() * sizeof(half);
    return sum;
}

/// With the mutex held.
void ImageCache::drop() {
    const auto bytesOf = [](const Kept& kept) { return kept.image->pixels.size() * sizeof(half); };
    size_t sum = 0;
    for (const auto& [key, kept] : images_) sum += bytesOf(kept);
    while (sum > most_) {
        auto oldest = images_.end();
        for (auto it = images_.begin(); it != images_.end(); ++it)
            if (it->second.image.use_count() == 1 &&
                (oldest == images_.end() || it->second.asked < oldest->second.asked))
                oldest = it;
        if (oldest == images_.end()) return;
        sum -= bytesOf(oldest->second);
        images_.erase(oldest);
    }
}

WriteOptions defaultWriteOptions(const std::filesystem::path& path) {
    const std::string e = endingOf(path);
    if (e == ".exr") return {PixelDepth::Half, "Linear Rec.709", {}};
    if (e == ".tif" || e == ".tiff") return {PixelDepth::Bits16, "sRGB", {}};
    if (e == ".png") return {PixelDepth::Bits8, "sRGB", {}};
    throw Error("pictures are not written with the ending \"" + e + "\"", path.string(),
                "Use .exr, .tif or .png");
}

namespace {

int colorChannels(const Picture& picture) {
    return picture.channels.size() >= 4 && picture.channels[3].name == "A"
               ? 4
               : int(std::min<size_t>(3, picture.channels.size()));
}

std::vector<float> interleave(const Picture& picture, int channels, const std::string& space) {
    const size_t count = size_t(picture.width) * size_t(picture.height);
    const int color = colorChannels(picture);
    std::vector<float> rgba(count * size_t(color));
    for (size_t i = 0; i < count; ++i)
        for (int c = 0; c < color; ++c)
            rgba[i * size_t(color) + size_t(c)] = picture.channels[size_t(c)].values[i];
    if (color >= 3) fromLinear(rgba, color, space);
    if (channels == color) return rgba;
    std::vector<float> all(count * size_t(channels));
    for (size_t i = 0; i < count; ++i)
        for (int c = 0; c < channels; ++c)
            all[i * size_t(channels) + size_t(c)] =
                c < color ? rgba[i * size_t(color) + size_t(c)] : picture.channels[size_t(c)].values[i];
    return all;
}

void requireMatch(const std::filesystem::path& path, const Picture& picture, const WriteOptions& options,
                  bool exr) {
    const bool deep = options.depth == PixelDepth::Half || options.depth == PixelDepth::Float;
    if (exr != deep)
        throw Error(exr ? "EXR holds half or float numbers" : "TIFF and PNG are written with 8 or 16 bits",
                    path.string(), "Choose another depth, or another ending");
    if (picture.width <= 0 || picture.height <= 0 || picture.channels.empty())
        throw Error("there is no picture to write", path.string(), "Render first");
}

}  // namespace

void writeImage(const std::filesystem::path& path, const Picture& picture, const WriteOptions& options) {
    defaultWriteOptions(path);  // refuses endings that are not written
    const bool exr = endingOf(path) == ".exr";
    requireMatch(path, picture, options, exr);
    const int channels = exr ? int(picture.channels.size()) : colorChannels(picture);
    const std::vector<float> pixels = interleave(picture, channels, options.space);
    writeAtomically(path, [&](const std::filesystem::path& temporary) {
        imageLibrary().write(temporary, path.string(), picture, options, channels, pixels);
    });
}

}  // namespace ovrix::io
