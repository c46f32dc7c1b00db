// Steps whose elements come from a file, or from one file a frame.
#pragma once
#include "ops/step.h"
#include "params/param_table.h"

namespace ovrix::ops {

/// Which files of a sequence are shown in a frame.
struct FileFrame {
    std::string file;    ///< empty where nothing is shown
    std::string later;   ///< the next frame's, where it is there and the frame asked for lies between both
    float fraction = 0;  ///< of the way to it
    bool light = false;  ///< of the light sequence, which is shown whole
};

/// What such a step asks for.
struct FileFrameParams {
    /// @param help  of the file
    FileFrameParams(ParamTable& table, std::string help);
    Handle<std::string> file, light;
    Handle<double> offset;
    Handle<std::string> atEnd;
};

/// A missing frame shows the one before it, and is noted. @p ask  what to choose where no file is. Throws
/// Error.
FileFrame fileFrame(const StepInput& in, const FileFrameParams& params, const std::string& ask);

/// Whether another file is shown in Draft: see StepType::followsDraft.
bool hasLight(const ParamMap& values, const FileFrameParams& params);

}  // namespace ovrix::ops
