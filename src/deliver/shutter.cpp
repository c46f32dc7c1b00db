#include "deliver/shutter.h"

namespace ovrix::deliver {

std::vector<double> shutterFrames(const Document& document, double frame) {
    const double open = document.renderSetting(kRender.shutter, frame);
    const auto steps = document.renderSetting(kRender.shutterSteps, frame);
    if (!(open > 0)) return {frame};
    std::vector<double> frames;
    for (int64_t k = 0; k < steps; ++k)
        frames.push_back(frame - open * (1.0 - double(k) / double(steps - 1)));
    return frames;
}

}  // namespace ovrix::deliver
