// Pictures in files as a screen shows them.
#pragma once
#include <filesystem>

#include "render/finish/finish.h"

namespace ovrix::deliver {

struct ScreenPicture {
    int width = 0, height = 0;
    std::vector<uint32_t> pixels;  ///< 0xAARRGGBB, rows from the top
};

/// An EXR by its light, which comes to the screen as @p finish says; others as they are. Throws Error where
/// it cannot be read, has no colour or takes more than @p most bytes.
ScreenPicture screenOfFile(const std::filesystem::path& path, size_t most, const FinishOptions& finish);

}  // namespace ovrix::deliver
