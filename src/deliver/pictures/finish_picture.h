// Finishing: the scene's steps on pictures, run over a render.
#pragma once
#include "deliver/picture_setup.h"
#include "eval/evaluator.h"
#include "render/finish/picture_work.h"

namespace ovrix::deliver {

/// A render as finishing takes it. Refers to its passes.
struct PictureToFinish {
    const PicturePasses& passes;
    std::vector<V3f> light;  ///< of the scene, rows from the top, as it was rendered
    std::vector<float> alpha;
    CameraOptions camera;
    double frame = 1;
    float exposure = 0;  ///< EV: what the steps see as white
};

struct FinishedPicture {
    int width = 0, height = 0;
    std::vector<V3f> light;  ///< of the scene still: the exposure is to come
    std::vector<float> alpha;
    PictureWindow window;           ///< what of the render it shows
    std::vector<StepReport> steps;  ///< one for each of the scene's
};

/// Runs the steps that are on. One that fails changes nothing, and says why in its report; the same bits on
/// any number of threads. Throws Cancelled.
/// @param draft  quicker and less fine, while numbers change
FinishedPicture finishPicture(const SceneContext& scene, PictureToFinish picture, Evaluator& evaluator,
                              bool draft, Progress& progress);

/// A film as finishing takes it: its light, or the one that was denoised. Refers to @p passes.
/// @param factors  see lightsOf()
PictureToFinish toFinish(const Film& film, const std::vector<V3f>* clean, const PicturePasses& passes,
                         const RenderJob& job, double frame, const std::vector<float>* factors = nullptr);

}  // namespace ovrix::deliver
