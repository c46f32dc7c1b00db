#include "io/image/image_io.h"

#include "base/error.h"
#include "base/file_sequence.h"
#include "base/files.h"
#include "io/image/color_spaces.h"
#include "io/image/image_library.h"
#include "io/image/texture_files.h"
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

LayeredPicture readLayers(const std::filesystem::path& path, size_t most) {
    requireReadable(path);
    return imageLibrary().readLayers(path, most);
}

const Channel* LayeredPicture::find(const std::string& name) const {
    for (const Channel& c : picture.channels)
        if (c.name == name) return &c;
    return nullptr;
}

static std::string channelOf(const std::string& layer, char name) {
    return (layer.empty() ? "" : layer + ".") + name;
}

std::vector<V3f> LayeredPicture::vectors(const std::string& layer, const char* names) const {
    std::vector<V3f> out;
    for (int k = 0; k < 3; ++k) {
        const Channel* c = find(channelOf(layer, names[k]));
        if (!c) return {};
        out.resize(c->values.size());
        for (size_t i = 0; i < out.size(); ++i) out[i][k] = c->values[i];
    }
    return out;
}

void addColors(Picture& picture, const std::string& layer, std::span<const V3f> colors, bool full) {
    for (int k = 0; k < 3; ++k) {
        Channel out{channelOf(layer, "RGB"[k]), std::vector<float>(colors.size()), full};
        for (size_t i = 0; i < colors.size(); ++i) out.values[i] = colors[i][k];
        picture.channels.push_back(std::move(out));
    }
}

void ImageCache::setLimit(size_t bytes) {
    const size_t before = most_.exchange(bytes);
    if (tiling_) imageLibrary().setTileMemory(tileBytes());
    if (before >= bytes) return;
    std::lock_guard lock(mutex_);
    images_.clear();  // those that were read smaller may be read whole now
}

size_t ImageCache::tileBytes() const {
    constexpr size_t kLeast = size_t(32) << 20;
    return std::max(most_ == SIZE_MAX ? size_t(1) << 30 : most_ / 4, kLeast);
}

ImageCache::Kept ImageCache::known(const Key& key, uint64_t stamp) {
    std::lock_guard lock(mutex_);
    const auto it = images_.find(key);
    if (it == images_.end() || it->second.stamp != stamp) return {};
    it->second.asked = ++asked_;
    return it->second;
}

void ImageCache::keep(const Key& key, Kept kept) {
    std::lock_guard lock(mutex_);
    kept.asked = ++asked_;
    images_[key] = std::move(kept);
    drop();
}

std::shared_ptr<const Image> ImageCache::image(const std::filesystem::path& path, const std::string& space) {
    const Key key{path.string(), space, As::Image};
    if (const Kept kept = known(key, fileStamp(path)); kept.image) return kept.image;
    auto image = readImage(path, space, most_);
    keep(key, {image, nullptr, image->stamp});
    return image;
}

/// That a picture takes in memory; its file is looked at once.
double ImageCache::bytesOf(const std::filesystem::path& path) {
    const uint64_t stamp = fileStamp(path);
    {
        std::lock_guard lock(mutex_);
        if (const auto it = bytes_.find(path.string()); it != bytes_.end() && it->second.first == stamp)
            return it->second.second;
    }
    requireReadable(path);
    const auto [width, height] = imageLibrary().sizeOf(path);
    std::lock_guard lock(mutex_);
    bytes_[path.string()] = {stamp, 8.0 * width * height};
    return 8.0 * width * height;
}

std::shared_ptr<const Texture> ImageCache::texture(const std::filesystem::path& path,
                                                   const std::string& space, Progress& progress) {
    return texture(path, space, bytesOf(path), progress);
}

std::shared_ptr<const Texture> ImageCache::texture(const std::filesystem::path& path,
                                                   const std::string& space, double bytes,
                                                   Progress& progress) {
    constexpr double kTiledFrom = 16.0 * 1024 * 1024;
    const uint64_t stamp = fileStamp(path);
    // The same picture alone and as a part of many is kept as two.
    const Key key{path.string(), space, bytes > kTiledFrom ? As::Tiles : As::Texture};
    if (const Kept kept = known(key, stamp); kept.texture) return kept.texture;
    std::shared_ptr<const Texture> made;
    if (bytes > kTiledFrom) made = tiled(path, space, stamp, progress);
    if (!made) made = std::make_shared<const ImageTexture>(readImage(path, space, most_));
    keep(key, {nullptr, made, stamp});
    return made;
}

/// Null where the folder of textures cannot be written.
std::shared_ptr<const Texture> ImageCache::tiled(const std::filesystem::path& path, const std::string& space,
                                                 uint64_t stamp, Progress& progress) {
    const auto file = textureFile(path, space, stamp);
    if (!file) return nullptr;
    if (!tiling_.exchange(true)) imageLibrary().setTileMemory(tileBytes());
    const auto make = [&] {
        dropTextureFiles();
        writeAtomically(*file, [&](const std::filesystem::path& temporary) {
            imageLibrary().tile(path, space, temporary, most_, progress);
        });
    };
    if (!std::filesystem::exists(*file)) make();
    try {
        return imageLibrary().openTiled(*file);
    } catch (const Error&) {  // damaged: it is made again
        make();
        return imageLibrary().openTiled(*file);
    }
}

std::map<int, std::shared_ptr<const Texture>> ImageCache::tiles(const std::filesystem::path& pattern,
                                                                const std::string& space,
                                                                Progress& progress) {
    const auto files = tilesOf(pattern);
    if (files.empty())
        throw Error("no tile of it is there", pattern.string(),
                    "Put tiles beside each other: 1001 is the first, 1002 to its right, 1011 above it");
    double bytes = 0;
    for (const auto& [tile, file] : files) bytes += bytesOf(file);
    std::map<int, std::shared_ptr<const Texture>> textures;
    for (const auto& [tile, file] : files) textures[tile] = texture(file, space, bytes, progress);
    return textures;
}

size_t ImageCache::Kept::bytes() const {
    return image ? image->pixels.size() * sizeof(half) : texture ? texture->bytes() : 0;
}

size_t ImageCache::bytes() const {
    std::lock_guard lock(mutex_);
    size_t sum = 0;
    for (const auto& [key, kept] : images_) sum += kept.bytes();
    return sum;
}

/// With the mutex held.
void ImageCache::drop() {
    size_t sum = 0;
    for (const auto& [key, kept] : images_) sum += kept.bytes();
    while (sum > most_) {
        auto oldest = images_.end();
        for (auto it = images_.begin(); it != images_.end(); ++it)
            if (it->second.idle() && it->second.bytes() > 0 &&
                (oldest == images_.end() || it->second.asked < oldest->second.asked))
                oldest = it;
        if (oldest == images_.end()) return;
        sum -= oldest->second.bytes();
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

void writeRows(const std::filesystem::path& path, int height, const WriteOptions& options,
               const std::function<Picture(int y)>& rows) {
    if (endingOf(path) != ".exr" || height <= 0)
        throw Error("only EXR is written row by row", path.string(), "Choose the ending .exr");
    writeAtomically(path, [&](const std::filesystem::path& temporary) {
        imageLibrary().writeRows(temporary, path.string(), height, options, rows);
    });
}

}  // namespace ovrix::io
