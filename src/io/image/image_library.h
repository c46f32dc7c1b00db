// What the library of images does, which lies apart: see fromLibrary(). For image_io.cpp alone.
#pragma once
#include <span>

#include "io/image/layered_picture.h"

namespace ovrix::io {

struct ImageLibrary {
    /// See readImage(), of a file that can be read.
    std::shared_ptr<const Image> (*read)(const std::filesystem::path& path, const std::string& space,
                                         size_t most);
    /// Writes pixels in the order of the picture's rows, @p channels numbers each, as they are. @p name
    /// stands in messages.
    void (*write)(const std::filesystem::path& path, const std::string& name, const Picture& picture,
                  const WriteOptions& options, int channels, std::span<const float> pixels);
    /// The same, of rows that come one after another until there are @p height: @p rows gives those from one
    /// on, with all channels.
    void (*writeRows)(const std::filesystem::path& path, const std::string& name, int height,
                      const WriteOptions& options, const std::function<Picture(int)>& rows);
    /// See readLayers(), of a file that can be read.
    LayeredPicture (*readLayers)(const std::filesystem::path& path, size_t most);
    /// Its pixels across and down.
    std::pair<int, int> (*sizeOf)(const std::filesystem::path& path);
    /// Writes a file of tiles in all sizes, in linear light, for openTiled(). @p most bytes may be taken.
    /// Throws Error and Cancelled, and leaves what there is of the target.
    void (*tile)(const std::filesystem::path& path, const std::string& space,
                 const std::filesystem::path& target, size_t most, Progress& progress);
    /// Reads tiles when they are asked for, and lets those go that were not for long.
    std::shared_ptr<const Texture> (*openTiled)(const std::filesystem::path& file);
    /// That tiles of all textures may take.
    void (*setTileMemory)(size_t bytes);
};

}  // namespace ovrix::io
