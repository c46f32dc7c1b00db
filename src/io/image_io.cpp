#include "io/image_io.h"

#include <OpenImageIO/imageio.h>

#include "base/error.h"
#include "base/files.h"
#include "io/color_spaces.h"

namespace ovrix {

namespace {

constexpr long kMostPixels = 400'000'000;

/// The first four channels as RGBA: grey is spread, missing alpha is 1.
std::vector<float> toRgba(const std::vector<float>& values, int channels) {
    const size_t count = values.size() / size_t(channels);
    std::vector<float> rgba(count * 4);
    for (size_t i = 0; i < count; ++i) {
        const float* p = &values[i * size_t(channels)];
        float* q = &rgba[i * 4];
        const bool grey = channels < 3;
        q[0] = p[0], q[1] = grey ? p[0] : p[1], q[2] = grey ? p[0] : p[2];
        q[3] = channels == 2 ? p[1] : channels >= 4 ? p[3] : 1.0f;
    }
    return rgba;
}

}  // namespace

std::shared_ptr<const Image> readImage(const std::filesystem::path& path, const std::string& space) {
    requireReadable(path);
    auto in = OIIO::ImageInput::open(path.string());
    if (!in)
        throw Error("could not be read as an image (" + OIIO::geterror() + ")", path.string(),
                    "Choose another image");
    const OIIO::ImageSpec spec = in->spec();
    if (spec.width <= 0 || spec.height <= 0 || spec.nchannels <= 0 ||
        long(spec.width) * spec.height > kMostPixels)
        throw Error(fmt::format("has an unusable size of {} x {}", spec.width, spec.height), path.string());
    const int channels = std::min(spec.nchannels, 4);
    std::vector<float> values(size_t(spec.width) * size_t(spec.height) * size_t(channels));
    if (!in->read_image(0, 0, 0, channels, OIIO::TypeDesc::FLOAT, values.data()))
        throw Error("is damaged (" + in->geterror() + ")", path.string(),
                    "Write the image again from where it came");
    std::vector<float> rgba = toRgba(values, channels);
    toLinear(rgba, 4, space);
    auto image = std::make_shared<Image>();
    image->width = spec.width;
    image->height = spec.height;
    image->stamp = fileStamp(path);
    image->pixels.resize(rgba.size());
    for (size_t i = 0; i < rgba.size(); ++i)
        image->pixels[i] = half(std::isfinite(rgba[i]) ? std::clamp(rgba[i], -65000.0f, 65000.0f) : 0.0f);
    return image;
}

void ImageCache::setFolder(const std::filesystem::path& folder) {
    std::lock_guard lock(mutex_);
    folder_ = folder;
}

std::filesystem::path ImageCache::resolve(const std::string& path) const {
    std::lock_guard lock(mutex_);
    return path.empty() ? std::filesystem::path() : (folder_ / path).lexically_normal();
}

std::shared_ptr<const Image> ImageCache::image(const std::string& path, const std::string& space) {
    const auto whole = resolve(path);
    const auto key = std::make_pair(whole.string(), space);
    {
        std::lock_guard lock(mutex_);
        const auto it = images_.find(key);
        if (it != images_.end() && it->second->stamp == fileStamp(whole)) return it->second;
    }
    auto image = readImage(whole, space);
    std::lock_guard lock(mutex_);
    return images_[key] = image;
}

WriteOptions defaultWriteOptions(const std::filesystem::path& path) {
    const std::string e = path.extension().string();
    if (e == ".exr") return {PixelDepth::Half, "Linear Rec.709", {}};
    if (e == ".tif" || e == ".tiff") return {PixelDepth::Bits16, "sRGB", {}};
    if (e == ".png") return {PixelDepth::Bits8, "sRGB", {}};
    throw Error("pictures are not written with the ending \"" + e + "\"", path.string(),
                "Use .exr, .tif or .png");
}

namespace {

OIIO::TypeDesc typeOf(PixelDepth depth) {
    switch (depth) {
        case PixelDepth::Bits8:
            return OIIO::TypeDesc::UINT8;
        case PixelDepth::Bits16:
            return OIIO::TypeDesc::UINT16;
        case PixelDepth::Half:
            return OIIO::TypeDesc::HALF;
        default:
            return OIIO::TypeDesc::FLOAT;
    }
}

int colorChannels(const Picture& picture) {
    return picture.channels.size() >= 4 && picture.channels[3].name == "A"
               ? 4
               : int(std::min<size_t>(3, picture.channels.size()));
}

OIIO::ImageSpec specFor(const Picture& picture, const WriteOptions& options, bool exr, int channels) {
    OIIO::ImageSpec spec(picture.width, picture.height, channels, typeOf(options.depth));
    spec.channelnames.clear();
    for (int c = 0; c < channels; ++c) spec.channelnames.push_back(picture.channels[size_t(c)].name);
    if (exr) {
        spec.attribute("compression", "zip");
        if (options.depth == PixelDepth::Half)
            for (int c = 0; c < channels; ++c)
                spec.channelformats.push_back(picture.channels[size_t(c)].full ? OIIO::TypeDesc::FLOAT
                                                                               : OIIO::TypeDesc::HALF);
    }
    if (options.space == "sRGB") spec.attribute("oiio:ColorSpace", "sRGB");
    spec.attribute("Software", "Ovrix " OVRIX_VERSION);
    spec.attribute("ovrix:colorSpace", options.space);
    for (const auto& [name, text] : options.notes) spec.attribute(name, text);
    return spec;
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
    const bool exr = path.extension() == ".exr";
    requireMatch(path, picture, options, exr);
    const int channels = exr ? int(picture.channels.size()) : colorChannels(picture);
    const std::vector<float> pixels = interleave(picture, channels, options.space);
    writeAtomically(path, [&](const std::filesystem::path& temporary) {
        const auto fail = [&](const std::string& why) {
            throw Error("could not be written (" + why + ")", path.string(),
                        "Free some space on the disk, or save elsewhere");
        };
        auto out = OIIO::ImageOutput::create(temporary.string());
        if (!out) fail(OIIO::geterror());
        if (!out->open(temporary.string(), specFor(picture, options, exr, channels))) fail(out->geterror());
        if (!out->write_image(OIIO::TypeDesc::FLOAT, pixels.data())) fail(out->geterror());
        if (!out->close()) fail(out->geterror());
    });
}

}  // namespace ovrix
