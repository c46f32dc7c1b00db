// What the library of images does, which lies apart: see fromLibrary(). For image_io.cpp alone.
#pragma once
#include <span>

#include "io/image/image_io.h"

namespace ovrix::io {

struct ImageLibrary {
    /// See readImage(), of a file that can be read.
    std::shared_ptr<const Image> (*read)(const std::filesystem::path& path, const std::string& space,
                                         size_t most);
    /// Writes pixels in the order of the picture's rows, @p channels numbers each, as they are. @p name
    /// stands in messages.
    void (*write)(const std::filesystem::path& path, const std::string& name, const Picture& picture,
                  const WriteOptions& options, int channels, std::span<const float> pixels);
};

}  // namespace ovrix::io
