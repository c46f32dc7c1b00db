// What a render will be like, from a small one: before hours are spent on it.
#pragma once
#include "deliver/render_scene_builder.h"

namespace ovrix::deliver {

struct Preflight {
    double seconds = 0;    ///< that all samples of one picture take, about
    double filmBytes = 0;  ///< of memory that the film takes
    double fileBytes = 0;  ///< that one file takes at most; 0 for none that is known
    double cut = 0;        ///< the part of the light that the firefly limit takes
    /// What would make the render useless: nothing of the scene is seen, all is black, no room on the disk.
    std::vector<std::string> problems;
};

/// Renders two passes of 160 pixels across, or less, and counts up. Throws Cancelled.
/// @param out  the file that it is for; empty for none
/// @param frames  that are to come
Preflight lookAhead(const RenderJob& job, const std::filesystem::path& out, int frames, Progress& progress);

/// What is said where the firefly limit takes that part of a picture's light; empty where that is next to
/// nothing.
std::string cutText(double share);

/// Of that many frames: time, memory and room on the disk, and what the firefly limit takes; a line each.
std::string aheadText(const Preflight& found, int frames);

/// "40 s", "12 min", "3 h 20 min".
std::string durationText(double seconds);

}  // namespace ovrix::deliver
