#include "render/finish/steps/finish_steps.h"

#include <algorithm>

#include "base/parallel.h"
#include "render/finish/steps/painted_mask.h"

namespace ovrix::render {

using namespace specs;

PictureMask::PictureMask(ParamTable& table)
    : amount(table.add(
          drivable(unitNumber("amount", "Amount", 1, "How much of it counts; a field says where")))),
      things(table.add(detailOf("amount", "Only on",
                                refs("things", "Only on", "object or layer or material",
                                     "Counts on these alone; on all where none is chosen")))),
      distance(
          table.add(detailOf("amount", "Distance",
                             range("distance", "Distance", Range{0, 0}, "m", 0, 1e6, 0, 20,
                                   "Counts more and more between these distances from the camera; 0 to 0 "
                                   "is everywhere")))),
      painted(table.add(detailOf("amount", "Painted",
                                 {.id = "painted",
                                  .title = "Painted",
                                  .type = ParamType::Strokes,
                                  .initial = PictureStrokes{},
                                  .help = "Counts where it is painted on the picture; everywhere where "
                                          "nothing is painted"}))),
      invert(table.add(detailOf("amount", "Elsewhere",
                                flag("invert", "Elsewhere", false, "Counts where it else would not")))) {}

namespace {

const struct MaskTable : ParamTable { PictureMask mask{*this}; } kMask;

/// What fields are asked at: a pixel is a place on what is seen in it.
struct PixelSamples {
    std::vector<V3f> position, normal, eye;
    std::vector<V2f> uv;
    std::vector<uint64_t> id;
    Samples samples;
};

PixelSamples samplesOf(const PictureWork& work) {
    PixelSamples s{work.positions(), work.vectors(Pass::Normal), {}, {}, {}, Samples(work.count())};
    s.eye.resize(work.count()), s.uv.resize(work.count()), s.id.resize(work.count());
    const bool hasUv = !work.setting.passes.planes(Pass::Uv).empty();
    const std::vector<V3f> uv = hasUv ? work.vectors(Pass::Uv) : std::vector<V3f>();
    for (int y = 0; y < work.height; ++y)
        for (int x = 0; x < work.width; ++x) {
            const size_t i = work.indexOf(x, y);
            s.eye[i] = (work.setting.camera.position - s.position[i]).normalized();
            if (s.normal[i] != V3f(0.0f)) s.normal[i].normalize();
            const V2f place = work.placeOf(x, y);
            s.uv[i] = hasUv ? V2f(uv[i].x, uv[i].y) : V2f(place.x, 1 - place.y);
            s.id[i] = i;
        }
    s.samples.with(channel::position, s.position)
        .with(channel::normal, s.normal)
        .with(channel::eye, s.eye)
        .with(channel::uv, s.uv)
        .with(channel::id, s.id);
    return s;
}

void requireFinite(std::vector<V3f>& light) {
    parallelFor(light.size(), Progress::none(), [&](size_t i) {
        if (!isFinite(light[i])) light[i] = V3f(0.0f);
    });
}

}  // namespace

std::vector<float> maskOf(const PictureWork& work) {
    const ResolvedParams& p = work.params;
    if (!p.has(kMask.mask.amount)) return {};  // the frame has no places of its own
    const Varying amount = p[kMask.mask.amount];
    const Range distance = p[kMask.mask.distance];
    const Refs& chosen = p[kMask.mask.things];
    const bool byThings =
                   std::any_of(chosen.begin(), chosen.end(), [](const auto&id) { return !id.empty(); }),
               byDistance = distance.max > 0, invert = p[kMask.mask.invert];
    const PictureStrokes& strokes = p[kMask.mask.painted];
    const bool byPaint = !strokes.list.empty();
    if (!byThings && !byDistance && !byPaint && amount.constant() && amount.high == 1.0f && !invert)
        return {};
    std::vector<float> where(work.count(), 1.0f);
    if (byThings) where = work.matte(chosen);
    if (byDistance) {
        const std::vector<float> away = work.depth();
        const float from = float(distance.min), over = std::max(1e-6f, float(distance.max - distance.min));
        for (size_t i = 0; i < where.size(); ++i)
            where[i] *= away[i] > 0 ? std::clamp((away[i] - from) / over, 0.0f, 1.0f) : 1.0f;
    }
    if (byPaint) {
        const std::vector<float> paint = paintedMask(work, strokes);
        for (size_t i = 0; i < where.size(); ++i) where[i] *= paint[i];
    }
    if (invert)
        for (float& w : where) w = 1.0f - w;
    const std::vector<float> much = amount.constant() ? std::vector<float>(work.count(), amount.high)
                                                      : amount.over(samplesOf(work).samples, work.progress);
    for (size_t i = 0; i < where.size(); ++i) where[i] *= std::clamp(much[i], 0.0f, 1.0f);
    return where;
}

void finishBy(const StepType& step, PictureWork& work) {
    const std::vector<V3f> before = work.light;
    const std::vector<float> alpha = work.alpha;
    const PictureWindow window = work.window;
    const int width = work.width, height = work.height;
    try {
        requireFinite(work.light);
        const std::vector<float> mask = maskOf(work);
        step.finish(work);
        requireFinite(work.light);
        if (mask.empty() || work.light.size() != before.size()) return;
        for (size_t i = 0; i < mask.size(); ++i)
            work.light[i] = before[i] + (work.light[i] - before[i]) * mask[i];
        requireFinite(work.light);
    } catch (...) {
        work.light = before, work.alpha = alpha, work.window = window;
        work.width = width, work.height = height;
        throw;
    }
}

StepType pictureStep(std::string id, std::string title, std::string help, const ParamTable& table,
                     std::function<void(PictureWork&)> finish) {
    StepType step;
    step.id = std::move(id), step.title = std::move(title), step.help = std::move(help);
    step.phase = Phase::Look;
    step.takes = step.gives = GeometryKind::Picture;
    step.params = table.specs();
    step.finish = std::move(finish);
    return step;
}

std::vector<StepType> finishSteps() {
    return {lightGroupStep(), exposureStep(), whiteBalanceStep(), levelsStep(),     curvesStep(),
            hueStep(),        gradeStep(),    depthOfFieldStep(), motionBlurStep(), distanceFogStep(),
            relightStep(),    glowStep(),     vignetteStep(),     fringeStep(),     distortionStep(),
            sharpenStep(),    grainStep(),    overlayStep(),      cropStep()};
}

}  // namespace ovrix::render
