// Pictures of many channels, read as they are.
#pragma once
#include "io/image/image_io.h"

namespace ovrix::io {

struct LayeredPicture {
    Picture picture;
    std::map<std::string, std::string> notes;  ///< text attributes
    bool half = false;                         ///< whether the colour has 16 bits
    /// Null where there is none of that name.
    const Channel* find(const std::string& name) const;
    /// Three channels of a layer, that of the picture itself where it has no name; empty where it has not
    /// all.
    std::vector<V3f> vectors(const std::string& layer, const char* names = "RGB") const;
};

/// All channels of an image, with no change of colour. Throws Error, naming the file, where it is damaged,
/// none, or takes more than @p most bytes.
LayeredPicture readLayers(const std::filesystem::path& path, size_t most);

}  // namespace ovrix::io
