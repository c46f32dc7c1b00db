// Videos, a frame after another.
#pragma once
#include <cstdint>
#include <filesystem>
#include <memory>
#include <span>

namespace ovrix::io {

struct VideoOptions {
    int width = 0, height = 0;  ///< of each frame
    double rate = 24.0;         ///< frames a second
};

/// One video that is being written; it is whole after finish().
class VideoWriter {
  public:
    virtual ~VideoWriter() = default;
    /// @param pixels  0xAARRGGBB, rows from the top, as a screen takes them (sRGB). Throws Error.
    virtual void add(std::span<const uint32_t> pixels) = 0;
    /// Throws Error, where nothing was added too.
    virtual void finish() = 0;
};

/// H.264 in an MP4 or QuickTime file, near to lossless to the eye; colours by ITU-R BT.709. Sides that are
/// odd get one more row or column like the last, which the codec takes. Writes at @p path itself: see
/// writeAtomically(). @p name stands in messages. Throws Error.
std::unique_ptr<VideoWriter> openVideo(const std::filesystem::path& path, const std::string& name,
                                       const VideoOptions& options);

}  // namespace ovrix::io
