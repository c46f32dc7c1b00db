// Videos, a frame after another.
#pragma once
#include <cstdint>
#include <filesystem>
#include <memory>
#include <span>
#include <string>
#include <vector>

namespace ovrix::io {

enum class VideoCodec { H264, H265, Av1, ProRes, Ffv1 };

struct VideoOptions {
    int width = 0, height = 0;  ///< of each frame
    double rate = 24.0;         ///< frames a second
    VideoCodec codec = VideoCodec::H264;
    bool alpha = false;  ///< keeps it, where the codec can: ProRes and FFV1
};

/// Names of codecs, as the shell has them: "h264", "h265", "av1", "prores", "ffv1".
const std::vector<std::string>& videoCodecNames();
/// Throws Error for a name that is none of them.
VideoCodec videoCodec(const std::string& name);
/// What a file of that ending takes when nothing is said: .mkv FFV1, all others H.264.
VideoCodec usualCodec(const std::filesystem::path& path);

/// One video that is being written; it is whole after finish().
class VideoWriter {
  public:
    virtual ~VideoWriter() = default;
    /// @param pixels  0xAARRGGBB, rows from the top, as a screen takes them (sRGB). Throws Error.
    void add(std::span<const uint32_t> pixels);
    /// @param pixels  red, green, blue and alpha of 16 bits each
    virtual void addDeep(std::span<const uint16_t> pixels) = 0;
    /// Throws Error, where nothing was added too.
    virtual void finish() = 0;
};

/// H.264, H.265 and AV1 have 8 bits, near to lossless to the eye; ProRes 4444 has 10 or 12 of them and alpha;
/// FFV1 loses nothing of 16 bits. Colours by ITU-R BT.709. Sides that are odd get one more row or column like
/// the last, where the codec takes colour by squares of pixels. Throws Error where the codec is not here, or
/// the kind of file does not take it. Writes at @p path itself: see writeAtomically(). @p name stands in
/// messages. Throws Error.
std::unique_ptr<VideoWriter> openVideo(const std::filesystem::path& path, const std::string& name,
                                       const VideoOptions& options);

}  // namespace ovrix::io
