// What sources that know OpenImageIO share.
#pragma once
#include <OpenImageIO/imageio.h>

#include <span>

#include "io/image/image_library.h"

namespace ovrix::io {

/// A file that can be read as an image of a size that is one; else it throws Error, naming it.
struct OpenedImage {
    std::unique_ptr<OIIO::ImageInput> in;
    OIIO::ImageSpec spec;
    explicit OpenedImage(const std::filesystem::path& path);
    /// Throws Error where reading it, smaller by a whole number, would take more than @p most bytes.
    void requireMemory(const std::filesystem::path& path, size_t most, int by) const;
    [[noreturn]] void failDamaged(const std::filesystem::path& path) const;
};

/// Rows of an image, some at a time: as RGBA, linear, means over squares of @p by pixels.
class Rows {
  public:
    Rows(OIIO::ImageInput& in, const std::string& space, int by);
    int width() const { return std::max(1, spec_.width / by_); }
    int height() const { return std::max(1, spec_.height / by_); }
    /// Row @p y of the smaller picture; empty when the file is damaged there.
    std::span<const float> row(int y);

  private:
    bool load(int first);
    OIIO::ImageInput& in_;
    const OIIO::ImageSpec spec_;
    const std::string& space_;
    int by_, channels_, ahead_ = 64, begin_ = 0, end_ = 0;
    std::vector<float> rgba_, out_;
};

/// See ImageLibrary.
std::pair<int, int> sizeOfImage(const std::filesystem::path& path);
void tileImage(const std::filesystem::path& path, const std::string& space,
               const std::filesystem::path& target, size_t most, Progress& progress);
std::shared_ptr<const Texture> openTiled(const std::filesystem::path& file);
void setTileMemory(size_t bytes);

}  // namespace ovrix::io
