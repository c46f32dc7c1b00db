#include "io/video/video_writer.h"

#include <fmt/format.h>

#include "base/error.h"
#include "base/files.h"
#include "io/process/library.h"
#include "io/video/video_library.h"

namespace ovrix::io {

const std::vector<std::string>& videoCodecNames() {
    static const std::vector<std::string> names{"h264", "h265", "av1", "prores", "ffv1"};
    return names;
}

VideoCodec videoCodec(const std::string& name) {
    const auto& names = videoCodecNames();
    const auto at = std::find(names.begin(), names.end(), name);
    if (at == names.end())
        throw Error("there is no codec \"" + name + "\"", {},
                    fmt::format("Use one of: {}", fmt::join(names, ", ")));
    return VideoCodec(at - names.begin());
}

VideoCodec usualCodec(const std::filesystem::path& path) {
    return endingOf(path) == ".mkv" ? VideoCodec::Ffv1 : VideoCodec::H264;
}

void VideoWriter::add(std::span<const uint32_t> pixels) {
    std::vector<uint16_t> deep(pixels.size() * 4);
    for (size_t i = 0; i < pixels.size(); ++i)
        for (size_t k = 0; k < 4; ++k)
            deep[4 * i + k] = uint16_t(257u * (pixels[i] >> (k == 3 ? 24 : 16 - 8 * int(k)) & 255u));
    addDeep(deep);
}

std::unique_ptr<VideoWriter> openVideo(const std::filesystem::path& path, const std::string& name,
                                       const VideoOptions& o) {
    constexpr int kMostSide = 16384;  // of the codec
    if (o.width < 1 || o.height < 1 || o.width > kMostSide || o.height > kMostSide)
        throw Error(fmt::format("a video of {} x {} cannot be written", o.width, o.height), name,
                    fmt::format("Use sides of 1 to {} pixels", kMostSide));
    if (!(o.rate >= 1.0 && o.rate <= 1000.0))
        throw Error(fmt::format("a video of {} frames a second cannot be written", o.rate), name,
                    "Set a frame rate of 1 to 1000");
    const std::string ending = endingOf(name);
    const bool mp4 = ending == ".mp4";
    if (mp4 && (o.codec == VideoCodec::ProRes || o.codec == VideoCodec::Ffv1))
        throw Error("an MP4 file does not take " + videoCodecNames()[size_t(o.codec)], name,
                    o.codec == VideoCodec::ProRes ? "Name it .mov" : "Name it .mkv");
    static const auto& library =
        *static_cast<const VideoLibrary*>(fromLibrary("libovrix_video.so", "ovrixVideo"));
    return library.open(path, name, o);
}

}  // namespace ovrix::io
