#include "io/video/video_writer.h"

#include <fmt/format.h>

#include "base/error.h"
#include "io/process/library.h"
#include "io/video/video_library.h"

namespace ovrix::io {

std::unique_ptr<VideoWriter> openVideo(const std::filesystem::path& path, const std::string& name,
                                       const VideoOptions& o) {
    constexpr int kMostSide = 16384;  // of the codec
    if (o.width < 1 || o.height < 1 || o.width > kMostSide || o.height > kMostSide)
        throw Error(fmt::format("a video of {} x {} cannot be written", o.width, o.height), name,
                    fmt::format("Use sides of 1 to {} pixels", kMostSide));
    if (!(o.rate >= 1.0 && o.rate <= 1000.0))
        throw Error(fmt::format("a video of {} frames a second cannot be written", o.rate), name,
                    "Set a frame rate of 1 to 1000");
    static const auto& library =
        *static_cast<const VideoLibrary*>(fromLibrary("libovrix_video.so", "ovrixVideo"));
    return library.open(path, name, o);
}

}  // namespace ovrix::io
