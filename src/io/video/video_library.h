// What the library of videos does, which lies apart: see fromLibrary(). For video_writer.cpp alone.
#pragma once
#include <string>

#include "io/video/video_writer.h"

namespace ovrix::io {

struct VideoLibrary {
    std::unique_ptr<VideoWriter> (*open)(const std::filesystem::path& path, const std::string& name,
                                         const VideoOptions& options);
};

}  // namespace ovrix::io
