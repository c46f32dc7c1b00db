// Steps on pictures: each changes the light of a finished render, where its mask says.
#pragma once
#include "ops/step.h"
#include "params/param_table.h"
#include "render/finish/picture_work.h"

namespace ovrix::render {

/// Where a step on a picture works: what all of them have, under the same ids.
struct PictureMask {
    explicit PictureMask(ParamTable& table);
    Handle<field::Varying> amount;
    Handle<Refs> things;
    Handle<Range> distance;
    Handle<PictureStrokes> painted;
    Handle<bool> invert;
};

/// How much of a step counts in each pixel, 0 to 1; empty where it is 1 in all. Throws Error where it needs a
/// pass that is not there.
std::vector<float> maskOf(const PictureWork& work);

/// Runs one step where its mask says. What is not finite counts as 0 before and after it. The work stays as
/// it was where it throws Error or Cancelled.
void finishBy(const StepType& step, PictureWork& work);

// Of light alone.
StepType lightGroupStep();
StepType exposureStep();
StepType whiteBalanceStep();
StepType levelsStep();
StepType curvesStep();
StepType hueStep();
StepType gradeStep();
// Of what stands where.
StepType depthOfFieldStep();
StepType motionBlurStep();
StepType distanceFogStep();
StepType relightStep();
// Of the lens and the film.
StepType glowStep();
StepType vignetteStep();
StepType fringeStep();
StepType distortionStep();
StepType sharpenStep();
StepType grainStep();
// Of the frame.
StepType overlayStep();
StepType cropStep();

/// All of them, in the order of menus.
std::vector<StepType> finishSteps();

/// A step on pictures, of which the rest is to be said.
StepType pictureStep(std::string id, std::string title, std::string help, const ParamTable& table,
                     std::function<void(PictureWork&)> finish);

/// What makes a colour of the picture a neutral grey: the heat of the light that it would be white in, and
/// how many stops of green it has less than that. Black is white at 6500 K.
struct WhiteBalance {
    double temperature = 6500, tint = 0;
};
WhiteBalance balanceOf(const V3f& light);
/// The light of a picture that was lit by that, as if it was lit by white. Von Kries' rule in the cones'
/// space of Lam, "Metamerism and colour constancy", 1985.
V3f balanced(const V3f& light, const WhiteBalance& balance);

}  // namespace ovrix::render
