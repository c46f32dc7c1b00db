#include "deliver/pictures/finish_picture.h"

#include <chrono>

#include "base/error.h"
#include "document/model/step_registry.h"
#include "eval/evaluator_query.h"
#include "eval/recipe_run.h"
#include "render/finish/steps/finish_steps.h"

namespace ovrix::deliver {

namespace {

/// The steps of one scene at work on one picture.
class Finishing {
  public:
    Finishing(const SceneContext& scene, const PictureToFinish& picture, Evaluator& evaluator, bool draft,
              Progress& progress)
        : document_(scene.document),
          query_(evaluator, scene, {picture.frame, Purpose::Render, true}, progress),
          progress_(progress),
          setting_{.passes = picture.passes,
                   .camera = picture.camera,
                   .frame = picture.frame,
                   .gain = std::exp2(picture.exposure),
                   .images = &query_,
                   .nameOf =
                       [this](const std::string& id) {
                           const Node* node = document_.find(id);
                           return node ? node->name : id;
                       },
                   .draft = draft} {
        context_.frame = picture.frame;
        context_.rate = document_.rate();
        context_.images = &query_;
        context_.query = &query_;
        context_.progress = &progress;
    }

    StepReport run(const Step& step, FinishedPicture& picture) {
        StepReport report;
        report.step = step.id;
        if (!step.on) return report;
        const auto start = std::chrono::steady_clock::now();
        try {
            const StepType& type = typeOfStep(step);
            if (!type.finish) throw Error("\"" + type.title + "\" is no step on pictures");
            apply(type, step, picture, report);
        } catch (const Error& e) {
            report.error = e.where().empty() ? e.problem() : e.where() + ": " + e.problem();
            report.remedy = e.remedy();
        }
        report.milliseconds = millisecondsSince(start);
        return report;
    }

  private:
    void apply(const StepType& type, const Step& step, FinishedPicture& picture, StepReport& report) {
        const ResolvedParams params(type.params, step.params, context_);
        std::vector<std::string> notes;
        PictureWork work{.width = picture.width,
                         .height = picture.height,
                         .light = std::move(picture.light),
                         .alpha = std::move(picture.alpha),
                         .window = picture.window,
                         .setting = setting_,
                         .params = params,
                         .progress = progress_,
                         .notes = notes};
        const auto back = [&] {
            picture.width = work.width, picture.height = work.height;
            picture.light = std::move(work.light), picture.alpha = std::move(work.alpha);
            picture.window = work.window;
        };
        try {
            finishBy(type, work);
        } catch (const Error&) {
            back();
            throw;
        }
        back();
        for (const std::string& note : notes) report.note += (report.note.empty() ? "" : "; ") + note;
    }

    const Document& document_;
    Evaluator::Query query_;
    Progress& progress_;
    PictureSetting setting_;
    FieldContext context_;
};

}  // namespace

FinishedPicture finishPicture(const SceneContext& scene, PictureToFinish picture, Evaluator& evaluator,
                              bool draft, Progress& progress) {
    const int width = picture.passes.width(), height = picture.passes.height();
    FinishedPicture out{width,
                        height,
                        std::move(picture.light),
                        std::move(picture.alpha),
                        {0, 0, double(width), double(height)},
                        {}};
    const Node* node = scene.document.settings("finish");
    if (!node || node->steps.empty() || out.light.empty()) return out;
    const float gain = std::exp2(picture.exposure);
    for (V3f& c : out.light) c *= gain;
    Finishing finishing(scene, picture, evaluator, draft, progress);
    for (const Step& step : node->steps) out.steps.push_back(finishing.run(step, out));
    for (V3f& c : out.light) c /= gain;
    return out;
}

PictureToFinish toFinish(const Film& film, const std::vector<V3f>* clean, const PicturePasses& passes,
                         const RenderJob& job, double frame, const std::vector<float>* factors) {
    return {passes,
            clean ? *clean : lightsOf(film, kAllLights, factors),
            film.plane(Pass::Alpha),
            job.cameras.back(),
            frame,
            job.finish.exposure};
}

}  // namespace ovrix::deliver
