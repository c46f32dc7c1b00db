// Pictures of finishes, for the library.
#pragma once
#include "base/progress.h"
#include "document/library/finish_file.h"

namespace ovrix::deliver {

/// A small scene with depth, a lamp that is seen and dark corners, finished so.
Document finishSample(const PartsFile& finish);
/// Renders and finishes it, 240 by 160 pixels, and writes it as PNG. Throws Error or Cancelled.
void writeFinishPicture(const PartsFile& finish, const std::filesystem::path& path, Progress& progress);

}  // namespace ovrix::deliver
