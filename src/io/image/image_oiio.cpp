// Images through OpenImageIO: the part of image_io.h that takes it, which is loaded when it is first asked
// for.
#include "io/image/image_oiio.h"

#include <fmt/format.h>

#include "base/error.h"
#include "base/files.h"
#include "io/image/color_spaces.h"
#include "io/image/icc_profile.h"

namespace ovrix::io {

namespace {

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

/// By how much an image is read smaller, so that it takes no more than @p most bytes.
int shrinkFor(const OIIO::ImageSpec& spec, size_t most) {
    int by = 1;
    const auto bytes = [&] {
        const int width = spec.width / by + 1, height = spec.height / by + 1;
        return 8.0 * width * height;
    };
    while (bytes() > double(most) && by < std::max(spec.width, spec.height)) ++by;
    return by;
}

}  // namespace

OpenedImage::OpenedImage(const std::filesystem::path& path) : in(OIIO::ImageInput::open(path.string())) {
    if (!in) {
        logDetail(path.string(), OIIO::geterror());
        throw Error("could not be read as an image", path.string(), "Choose another image");
    }
    spec = in->spec();
    if (spec.width <= 0 || spec.height <= 0 || spec.nchannels <= 0 || spec.depth > 1 ||
        spec.width > 1'000'000 || spec.height > 1'000'000)
        throw Error(fmt::format("has an unusable size of {} x {}", spec.width, spec.height), path.string());
}

void OpenedImage::requireMemory(const std::filesystem::path& path, size_t most, int by) const {
    // Some files can only be unpacked whole.
    if (double(spec.image_bytes(true)) > std::max(16.0 * double(most), 64e6))
        throw Error(fmt::format("is {} x {} pixels, far more than memory may take", spec.width, spec.height),
                    path.string(), "Make it smaller, or raise the memory limit in Preferences");
    const double strip = 40.0 * spec.width * std::max({by, spec.tile_height, 64});
    if (strip > std::max(double(most), 64e6))
        throw Error(
            fmt::format("is {} pixels wide, and a strip of it takes more than memory may", spec.width),
            path.string(), "Make it smaller, or raise the memory limit in Preferences");
}

void OpenedImage::failDamaged(const std::filesystem::path& path) const {
    logDetail(path.string(), in->geterror());
    throw Error("is damaged", path.string(), "Write the image again from where it came");
}

Rows::Rows(OIIO::ImageInput& in, const std::string& space, int by)
    : in_(in), spec_(in.spec()), space_(space), by_(by), channels_(std::min(spec_.nchannels, 4)) {
    // So many that a compressed or tiled file need not be unpacked twice for each row, and of a narrow
    // one more: each call of the library takes megabytes for itself.
    const int narrow = std::min(spec_.height, 32768 / spec_.width);
    const int whole = std::max({by, spec_.tile_height, 64, narrow});
    ahead_ = (whole + by - 1) / by * by;
}

std::span<const float> Rows::row(int y) {
    const int first = y * by_;
    if (first >= end_ && !load(first)) return {};
    out_.assign(size_t(width()) * 4, 0.0f);
    for (int k = 0; k < by_; ++k)
        for (int x = 0; x < width() * by_; ++x)
            for (int c = 0; c < 4; ++c)
                out_[size_t(x / by_) * 4 + size_t(c)] +=
                    rgba_[(size_t(first + k - begin_) * size_t(spec_.width) + size_t(x)) * 4 + size_t(c)];
    const float part = 1.0f / float(by_ * by_);
    if (by_ > 1)
        for (float& v : out_) v *= part;
    return out_;
}

bool Rows::load(int first) {
    begin_ = first, end_ = std::min(first + ahead_, spec_.height);
    std::vector<float> values(size_t(spec_.width) * size_t(end_ - begin_) * size_t(channels_));
    const bool tiled = spec_.tile_width > 0;
    const int x0 = spec_.x, y0 = spec_.y;
    bool ok;
    if (tiled) {
        const int low = begin_ / spec_.tile_height * spec_.tile_height;
        begin_ = low,
        end_ = std::min(spec_.height, (end_ + spec_.tile_height - 1) / spec_.tile_height * spec_.tile_height);
        values.resize(size_t(spec_.width) * size_t(end_ - begin_) * size_t(channels_));
        ok = in_.read_tiles(0, 0, x0, x0 + spec_.width, y0 + begin_, y0 + end_, spec_.z, spec_.z + 1, 0,
                            channels_, OIIO::TypeDesc::FLOAT, values.data());
    } else {
        ok = in_.read_scanlines(0, 0, y0 + begin_, y0 + end_, spec_.z, 0, channels_, OIIO::TypeDesc::FLOAT,
                                values.data());
    }
    if (!ok) return false;
    rgba_ = toRgba(values, channels_);
    toLinear(rgba_, 4, space_);
    return true;
}

namespace {

std::shared_ptr<const Image> readImageFile(const std::filesystem::path& path, const std::string& space,
                                           size_t most) {
    const OpenedImage opened(path);
    const int by = shrinkFor(opened.spec, most);
    opened.requireMemory(path, most, by);
    Rows rows(*opened.in, space, by);
    auto image = std::make_shared<Image>();
    image->width = rows.width(), image->height = rows.height();
    image->stamp = fileStamp(path);
    image->pixels.resize(size_t(image->width) * size_t(image->height) * 4);
    constexpr float kMostHalf = 65000.0f;
    for (int y = 0; y < image->height; ++y) {
        const std::span<const float> row = rows.row(y);
        if (row.empty()) opened.failDamaged(path);
        float brightest = 0;
        for (size_t i = 0; i < row.size(); ++i)
            if (i % 4 < 3 && std::isfinite(row[i])) brightest = std::max(brightest, std::abs(row[i]));
        float more = 1;  // by powers of two, which cost no accuracy
        while (brightest > kMostHalf * image->scale * more && more < 1e30f) more *= 2;
        if (more > 1) {
            for (size_t i = 0; i < size_t(y) * size_t(image->width) * 4; ++i)
                if (i % 4 < 3) image->pixels[i] = half(float(image->pixels[i]) / more);
            image->scale *= more;
        }
        half* to = &image->pixels[size_t(y) * size_t(image->width) * 4];
        for (size_t i = 0; i < row.size(); ++i) {
            const float x = std::isfinite(row[i]) ? row[i] / (i % 4 < 3 ? image->scale : 1.0f) : 0.0f;
            to[i] = half(std::clamp(x, -kMostHalf, kMostHalf));
        }
    }
    return image;
}

LayeredPicture readLayersFile(const std::filesystem::path& path, size_t most) {
    const OpenedImage opened(path);
    const OIIO::ImageSpec& spec = opened.spec;
    const double bytes = 8.0 * double(spec.width) * double(spec.height) * double(spec.nchannels);
    if (bytes > double(most))
        throw Error(
            fmt::format("takes {:.1f} GB, more than the limit of {:.1f} GB", bytes / 1e9, double(most) / 1e9),
            path.string(), "Raise the memory limit, or write fewer passes");
    LayeredPicture out;
    out.picture.width = spec.width, out.picture.height = spec.height;
    const size_t count = size_t(spec.width) * size_t(spec.height);
    std::vector<float> values(count);
    for (int c = 0; c < spec.nchannels; ++c) {
        if (!opened.in->read_image(0, 0, c, c + 1, OIIO::TypeDesc::FLOAT, values.data()))
            opened.failDamaged(path);
        const bool full = spec.channelformat(c) == OIIO::TypeDesc::FLOAT;
        out.picture.channels.push_back({spec.channel_name(c), values, full});
    }
    out.half = spec.nchannels > 0 && spec.channelformat(0) == OIIO::TypeDesc::HALF;
    for (const auto& extra : spec.extra_attribs)
        if (extra.type() == OIIO::TypeDesc::STRING) out.notes[extra.name().string()] = extra.get_string();
    return out;
}

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

OIIO::ImageSpec specFor(const Picture& picture, const WriteOptions& options, int channels) {
    const bool exr = options.depth == PixelDepth::Half || options.depth == PixelDepth::Float;
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
    spec.attribute("ovrix:colorSpace", options.screen.empty() ? options.space : options.screen);
    if (const std::vector<uint8_t> profile = iccProfileOf(options.screen); !profile.empty())
        spec.attribute("ICCProfile", OIIO::TypeDesc(OIIO::TypeDesc::UINT8, int(profile.size())),
                       profile.data());
    for (const auto& [name, text] : options.notes) spec.attribute(name, text);
    return spec;
}

[[noreturn]] void failWriting(const std::string& name, const std::string& why) {
    logDetail(name, why);
    throw Error("could not be written", name, "Free some space on the disk, or save elsewhere");
}

void writeImageFile(const std::filesystem::path& path, const std::string& name, const Picture& picture,
                    const WriteOptions& options, int channels, std::span<const float> pixels) {
    auto out = OIIO::ImageOutput::create(path.string());
    if (!out) failWriting(name, OIIO::geterror());
    if (!out->open(path.string(), specFor(picture, options, channels))) failWriting(name, out->geterror());
    if (!out->write_image(OIIO::TypeDesc::FLOAT, pixels.data())) failWriting(name, out->geterror());
    if (!out->close()) failWriting(name, out->geterror());
}

void writeImageRows(const std::filesystem::path& path, const std::string& name, int height,
                    const WriteOptions& options, const std::function<Picture(int)>& rows) {
    std::unique_ptr<OIIO::ImageOutput> out;
    for (int y = 0; y < height;) {
        const Picture some = rows(y);
        const auto channels = int(some.channels.size());
        if (!out) {
            Picture head{some.width, height, {}};
            for (const Channel& c : some.channels) head.channels.push_back({c.name, {}, c.full});
            out = OIIO::ImageOutput::create(path.string());
            if (!out) failWriting(name, OIIO::geterror());
            if (!out->open(path.string(), specFor(head, options, channels)))
                failWriting(name, out->geterror());
        }
        // A row at a time: numbers in the order of pixels take as much again as the planes.
        std::vector<float> row(size_t(some.width) * size_t(channels));
        for (int j = 0; j < some.height && y < height; ++j, ++y) {
            const size_t from = size_t(j) * size_t(some.width);
            for (size_t x = 0; x < size_t(some.width); ++x)
                for (size_t c = 0; c < size_t(channels); ++c)
                    row[x * size_t(channels) + c] = some.channels[c].values[from + x];
            if (!out->write_scanline(y, 0, OIIO::TypeDesc::FLOAT, row.data()))
                failWriting(name, out->geterror());
        }
    }
    if (out && !out->close()) failWriting(name, out->geterror());
}

}  // namespace

}  // namespace ovrix::io

extern "C" {
extern const ovrix::io::ImageLibrary ovrixImages;
const ovrix::io::ImageLibrary ovrixImages = {
    ovrix::io::readImageFile, ovrix::io::writeImageFile, ovrix::io::writeImageRows, ovrix::io::readLayersFile,
    ovrix::io::sizeOfImage,   ovrix::io::tileImage,      ovrix::io::openTiled,      ovrix::io::setTileMemory};
}
