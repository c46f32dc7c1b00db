#include "deliver/pictures/screen_file.h"

#include <algorithm>
#include <cmath>

#include "base/files.h"
#include "deliver/pictures/file_passes.h"

namespace ovrix::deliver {

ScreenPicture screenOfFile(const std::filesystem::path& path, size_t most, const FinishOptions& finish) {
    const LayeredPicture file = readLayers(path, most);
    ScreenPicture out{file.picture.width, file.picture.height, {}};
    const std::vector<V3f> light = lightOf(file, path.string());
    if (endingOf(path) == ".exr") {
        toScreen(light, finish, out.pixels);
        return out;
    }
    const auto byte = [](float x) { return uint32_t(std::lround(255.0f * std::clamp(x, 0.0f, 1.0f))); };
    out.pixels.reserve(light.size());
    for (const V3f& c : light)
        out.pixels.push_back(0xFF000000u | byte(c.x) << 16 | byte(c.y) << 8 | byte(c.z));
    return out;
}

}  // namespace ovrix::deliver
