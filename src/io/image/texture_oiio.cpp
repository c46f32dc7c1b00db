// Textures through OpenImageIO's cache of tiles: written once as tiled pyramids, and read a tile at a time.
#include "base/vec.h"  // before the library names its types

#include <OpenImageIO/texture.h>
#include <unistd.h>

#include <cstdio>

#include "base/error.h"
#include "base/files.h"
#include "io/image/image_oiio.h"

namespace ovrix::io {

namespace {

constexpr int kTile = 64;

/// A file without a name that goes with whoever has it.
class Scratch {
  public:
    explicit Scratch(const std::filesystem::path& folder) {
        std::string name = (folder / "part.XXXXXX").string();
        const int file = mkstemp(name.data());
        if (file >= 0) unlink(name.c_str());
        file_ = file >= 0 ? fdopen(file, "w+b") : nullptr;
        if (!file_) throw Error("no file can be made there", folder.string(), "Free some space on the disk");
    }
    ~Scratch() { std::fclose(file_); }
    Scratch(const Scratch&) = delete;
    Scratch& operator=(const Scratch&) = delete;
    bool write(std::span<const float> row) {
        return std::fwrite(row.data(), sizeof(float), row.size(), file_) == row.size();
    }
    bool read(std::span<float> row) {
        return std::fread(row.data(), sizeof(float), row.size(), file_) == row.size();
    }
    void rewind() { std::rewind(file_); }

  private:
    std::FILE* file_;
};

/// Rows of one size of a picture. Each two make one of the next size.
struct Level {
    int width, height;
    std::unique_ptr<Scratch> rows = nullptr;  ///< none of the first, which goes straight to the file
    std::vector<float> waiting = {};          ///< the first of two
    int made = 0;
};

class Pyramid {
  public:
    Pyramid(const std::filesystem::path& file, int width, int height, bool full) : file_(file), full_(full) {
        levels_.push_back({width, height});
        while (width > 1 || height > 1) {
            width = std::max(1, width / 2), height = std::max(1, height / 2);
            levels_.push_back({width, height, std::make_unique<Scratch>(file.parent_path())});
        }
        out_ = OIIO::ImageOutput::create(file.string());
        if (!out_) fail(OIIO::geterror());
        OIIO::ImageSpec spec = specOf(levels_[0]);
        spec.attribute("textureformat", "Plain Texture");  // in all sizes
        spec.attribute("openexr:roundingmode", 0);         // downwards
        if (!out_->open(file.string(), spec)) fail(out_->geterror());
    }
    void add(std::span<const float> row) {
        put(levels_[0], row);
        halve(0, row);
    }
    void finish(Progress& progress) {
        flush();
        for (size_t i = 1; i < levels_.size(); ++i) {
            Level& level = levels_[i];
            if (!out_->open(file_.string(), specOf(level), OIIO::ImageOutput::AppendMIPLevel))
                fail(out_->geterror());
            level.rows->rewind();
            std::vector<float> row(size_t(level.width) * 4);
            written_ = 0;
            for (int y = 0; y < level.height; ++y) {
                if (y % kTile == 0) progress.check();
                if (!level.rows->read(row)) fail("scratch file");
                put(level, row);
            }
            flush();
        }
        if (!out_->close()) fail(out_->geterror());
    }

  private:
    [[noreturn]] void fail(const std::string& why) const {
        logDetail(file_.string(), why);
        throw Error("a texture could not be prepared", file_.parent_path().string(),
                    "Free some space on the disk");
    }
    OIIO::ImageSpec specOf(const Level& level) const {
        OIIO::ImageSpec spec(level.width, level.height, 4,
                             full_ ? OIIO::TypeDesc::FLOAT : OIIO::TypeDesc::HALF);
        spec.tile_width = spec.tile_height = kTile;
        spec.attribute("compression", "none");  // it is read again and again
        return spec;
    }
    /// A row of what the file is at: written a row of tiles at a time.
    void put(const Level& level, std::span<const float> row) {
        at_ = &level;
        strip_.insert(strip_.end(), row.begin(), row.end());
        if (strip_.size() == row.size() * kTile) flush();
    }
    void flush() {
        if (strip_.empty()) return;
        const int rows = int(strip_.size() / (size_t(at_->width) * 4));
        if (!out_->write_tiles(0, at_->width, written_, written_ + rows, 0, 1, OIIO::TypeDesc::FLOAT,
                               strip_.data()))
            fail(out_->geterror());
        written_ += rows;
        strip_.clear();
    }
    void halve(size_t index, std::span<const float> row) {
        if (index + 1 == levels_.size()) return;
        Level &level = levels_[index], &next = levels_[index + 1];
        if (next.made == next.height) return;  // the last of an odd number
        if (level.height > 1 && level.waiting.empty()) {
            level.waiting.assign(row.begin(), row.end());
            return;
        }
        const std::span<const float> other = level.height > 1 ? level.waiting : row;
        std::vector<float> mean(size_t(next.width) * 4);
        for (int x = 0; x < next.width; ++x)
            for (int c = 0; c < 4; ++c) {
                const size_t a = size_t(level.width > 1 ? 2 * x : 0) * 4 + size_t(c),
                             b = size_t(level.width > 1 ? 2 * x + 1 : 0) * 4 + size_t(c);
                mean[size_t(x) * 4 + size_t(c)] = 0.25f * (row[a] + row[b] + other[a] + other[b]);
            }
        level.waiting.clear();
        if (!next.rows->write(mean)) fail("scratch file");
        ++next.made;
        halve(index + 1, mean);
    }

    std::filesystem::path file_;
    bool full_;
    std::unique_ptr<OIIO::ImageOutput> out_;
    std::vector<Level> levels_;
    std::vector<float> strip_;
    const Level* at_ = nullptr;
    int written_ = 0;
};

/// One system for all, so that all share its memory.
OIIO::TextureSystem& textures() {
    static OIIO::TextureSystem* system = [] {
        auto* made = OIIO::TextureSystem::create(true);
        made->attribute("autotile", 0);
        made->attribute("accept_untiled", 0);
        made->attribute("max_open_files", 64);
        return made;
    }();
    return *system;
}

class TiledTexture : public Texture {
  public:
    explicit TiledTexture(const std::filesystem::path& file)
        : handle_(textures().get_texture_handle(OIIO::ustring(file.string()))) {
        const auto in = OIIO::ImageInput::open(file.string());
        if (!in || !handle_ || !textures().good(handle_)) {
            textures().invalidate(OIIO::ustring(file.string()), true);  // which else it keeps in mind
            throw Error("could not be read as a texture", file.string(),
                        "Take the file away: it is made again");
        }
        width_ = in->spec().width, height_ = in->spec().height;
    }
    Texel at(const V2f& uv, float width) const override {
        if (!std::isfinite(uv.x) || !std::isfinite(uv.y)) return {};
        OIIO::TextureOpt options;
        options.swrap = options.twrap = OIIO::TextureOpt::WrapPeriodic;
        options.mipmode = OIIO::TextureOpt::MipModeTrilinear;
        options.interpmode = OIIO::TextureOpt::InterpBilinear;
        options.fill = 0.0f;
        float texel[4] = {0, 0, 0, 0};
        const float w = width > 0.0f && std::isfinite(width) ? std::min(width, 1.0f) : 0.0f;
        // Its rows run downwards.
        const bool ok = textures().texture(handle_, nullptr, options, uv.x - std::floor(uv.x),
                                           1.0f - (uv.y - std::floor(uv.y)), w, 0.0f, 0.0f, w, 4, texel);
        if (!ok) {
            (void)textures().geterror();  // a file that went: seen as what is missing
            return kMissingTexel;
        }
        return {Color(texel[0], texel[1], texel[2]), texel[3]};
    }
    V2f within(const V2f& place, float width) const override {
        return withinEdges(place, width_, height_, width);
    }

  private:
    OIIO::TextureSystem::TextureHandle* handle_;
    int width_ = 0, height_ = 0;
};

}  // namespace

void tileImage(const std::filesystem::path& path, const std::string& space,
               const std::filesystem::path& target, size_t most, Progress& progress) {
    Progress::Task task(progress, "Preparing " + path.filename().string());
    const OpenedImage image(path);
    image.requireMemory(path, most, 1);
    Rows rows(*image.in, space, 1);
    Pyramid pyramid(target, rows.width(), rows.height(), image.spec.format.basesize() >= 4);
    std::vector<float> finite;
    for (int y = 0; y < rows.height(); ++y) {
        if (y % kTile == 0) task.report(float(y) / float(rows.height()));
        const std::span<const float> row = rows.row(y);
        if (row.empty()) image.failDamaged(path);
        finite.assign(row.begin(), row.end());
        for (float& x : finite)
            if (!std::isfinite(x)) x = 0.0f;
        pyramid.add(finite);
    }
    pyramid.finish(progress);
}

std::shared_ptr<const Texture> openTiled(const std::filesystem::path& file) {
    return std::make_shared<const TiledTexture>(file);
}

void setTileMemory(size_t bytes) {
    textures().attribute("max_memory_MB", float(double(bytes) / (1024.0 * 1024.0)));
}

std::pair<int, int> sizeOfImage(const std::filesystem::path& path) {
    const OpenedImage image(path);
    return {image.spec.width, image.spec.height};
}

}  // namespace ovrix::io
