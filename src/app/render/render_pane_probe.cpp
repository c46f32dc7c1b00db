// What the render pane tells of a pixel, and what it focuses on there.
#include <QLabel>

#include "app/render/render_pane.h"
#include "app/render/sequence_player.h"
#include "deliver/pictures/preflight.h"
#include "deliver/pictures/render_file.h"
#include "document/edits/aim.h"
#include "eval/camera_options.h"
#include "eval/pick/element_pick.h"
#include "render/finish/steps/finish_steps.h"

namespace ovrix::app {

/// What the film has there, a pass each line.
static QString passesAt(const Film& film, size_t pixel) {
    QStringList lines{QString("%1 samples").arg(film.samples(pixel))};
    for (const PassInfo& info : passTable()) {
        if (!film.has(info.pass) || info.gather == Gather::Cover || info.pass == Pass::Half) continue;
        QStringList numbers;
        if (info.number) numbers << QString::number(film.number(info.pass, pixel));
        for (size_t c = 0; !info.number && c < channelsOf(info.pass); ++c)
            numbers << QString::number(double(film.value(info.pass, pixel, c)), 'g', 4);
        lines << QString("%1: %2").arg(info.title, numbers.join("  "));
    }
    for (size_t f = 0; f < film.layout().fields.size(); ++f) {
        const FieldPlane& field = film.layout().fields[f];
        QStringList numbers;
        for (size_t c = 0; c < field.channels(); ++c)
            numbers << QString::number(double(film.fieldMean(f, pixel)[int(c)]), 'g', 4);
        lines << QString("%1: %2").arg(QString::fromStdString(field.name), numbers.join("  "));
    }
    for (size_t g = 0; g < film.groups().size(); ++g) {
        const V3f light = film.light(pixel, int(g));
        lines << QString("%1: %2  %3  %4")
                     .arg(QString::fromStdString(groupTitle(film.groups(), g)))
                     .arg(double(light.x), 0, 'g', 4)
                     .arg(double(light.y), 0, 'g', 4)
                     .arg(double(light.z), 0, 'g', 4);
    }
    return lines.join("\n");
}

void RenderPane::probe(int x, int y) {
    if (player_->isOpen()) return probe_->setText(" ");  // it shows no film
    const auto [film, clean, job, factors] = worker_.rendered();
    if (!film || QSize(film->width(), film->height()) != picture_->filmSize() || x < 0 || y < 0 ||
        x >= film->width() || y >= film->height())
        return;
    const size_t pixel = size_t(y) * size_t(film->width()) + size_t(x);
    const int group = worker_.shownView(*film).group;
    const V3f c =
        clean && worker_.denoising() && group == kAllLights ? (*clean)[pixel] : film->light(pixel, group);
    const uint32_t object = film->number(Pass::Object, pixel), layer = film->number(Pass::Layer, pixel);
    QString text = QString("%1,%2  %3 %4 %5")
                       .arg(x)
                       .arg(y)
                       .arg(double(c.x), 0, 'f', 3)
                       .arg(double(c.y), 0, 'f', 3)
                       .arg(double(c.z), 0, 'f', 3);
    if (job && object) {
        const auto name = layer && job->layerNames.count(layer) ? job->layerNames.at(layer)
                          : job->objectNames.count(object)      ? job->objectNames.at(object)
                                                                : std::string();
        text += QString("  %1 m  %2")
                    .arg(double(film->value(Pass::Depth, pixel)), 0, 'f', 2)
                    .arg(QString::fromStdString(name));
    }
    probe_->setText(text);
    probe_->setToolTip(passesAt(*film, pixel));
}

void RenderPane::focusAt(int x, int y, bool follow) {
    const auto [film, clean, job, factors] = worker_.rendered();
    if (!film || !job || x >= film->width() || y >= film->height()) return;
    const size_t pixel = film->indexOf(x, y);
    const float depth = film->value(Pass::Depth, pixel);
    const uint32_t object = film->number(Pass::Object, pixel), layer = film->number(Pass::Layer, pixel);
    if (depth <= 0) return controller_.say("Nothing stands there to focus on", true);
    const auto seenNode = job->nodeIds.find(layer ? layer : object);
    if (focusFinish(depth, follow && seenNode != job->nodeIds.end() ? seenNode->second : std::string()))
        return;
    const Camera seen = job->cameraFor(film->width(), film->height());
    const V3f place = seen.placeAt((float(x) + 0.5f) / float(film->width()),
                                   (float(y) + 0.5f) / float(film->height()), depth);
    const double frame = controller_.clock().frame();
    const auto id = job->nodeIds.find(layer ? layer : object);
    if (follow && id != job->nodeIds.end() && controller_.document().find(id->second))
        return layer ? focusOnElement(id->second, place) : focusOn(id->second, {});
    controller_.edit("Focus there", [&](const Document& d) { return withFocusAt(d, place, frame); });
    const auto camera = sceneCamera(controller_.document(), frame);
    if (!camera) return;
    const QString at = QString("Sharp at %1 m").arg(double(camera->focus), 0, 'f', 2);
    controller_.say(camera->fstop > 0 ? at : at + "; at an f-stop of 0 all is sharp");
}

bool RenderPane::focusFinish(float distance, const std::string& node) {
    const Node* finish = controller_.document().settings("finish");
    if (!finish) return false;
    for (const Step& step : finish->steps) {
        if (step.type != depthOfFieldStep().id || !step.on) continue;
        controller_.edit("Focus there", [&](const Document& d) {
            const Document out = withValue(d, {finish->id, step.id, "focus_on"}, node);
            return withValue(out, {finish->id, step.id, "focus"}, double(distance));
        });
        controller_.say(node.empty() ? QString("The finish is sharp at %1 m").arg(double(distance), 0, 'f', 2)
                                     : QString("The finish is sharp on it, wherever it goes"));
        return true;
    }
    return false;
}

void RenderPane::whiteAt(int x, int y) {
    const auto [film, clean, job, factors] = worker_.rendered();
    const Node* finish = controller_.document().settings("finish");
    if (!film || !finish) return;
    constexpr int kReach = 2;  // one pixel alone has its grain
    V3f sum(0.0f);
    for (int j = std::max(0, y - kReach); j <= std::min(film->height() - 1, y + kReach); ++j)
        for (int i = std::max(0, x - kReach); i <= std::min(film->width() - 1, x + kReach); ++i)
            sum += clean ? (*clean)[film->indexOf(i, j)] : film->light(film->indexOf(i, j));
    if (!(std::min({sum.x, sum.y, sum.z}) > 0))
        return controller_.say("It is too dark there to tell its colour", true);
    const WhiteBalance balance = balanceOf(sum);
    controller_.edit("White balance", [&](const Document& d) { return withWhiteBalance(d, balance); });
    controller_.say(QString("What is lit at %1 K is white now").arg(std::lround(balance.temperature)));
}

void RenderPane::focusOn(const std::string& node, const std::string& element) {
    const double frame = controller_.clock().frame();
    controller_.edit("Focus on it", [&](const Document& d) { return withFocusOn(d, node, element, frame); });
    const Node* on = controller_.document().find(node);
    if (!on) return;
    const QString name = QString::fromStdString(on->name);
    controller_.say(element.empty() ? "Sharp wherever " + name + " goes"
                                    : "Sharp wherever this one of " + name + " goes");
}

/// On the one that stands there.
void RenderPane::focusOnElement(const std::string& layer, const V3f& place) {
    const SceneContext scene = controller_.scene();
    const EvalOptions options{controller_.clock().frame(), Purpose::Render, true};
    controller_.runOnWorker(
        this,
        [this, scene, layer, options, place](Progress& progress) {
            return elementNear(controller_.evaluator(), scene, layer, options, place, progress);
        },
        [this, layer](const std::optional<uint64_t>& element) {
            if (!element) return controller_.say("That is one piece: click without Shift", true);
            if (controller_.document().find(layer)) focusOn(layer, std::to_string(*element));
        });
}

void RenderPane::noteCut(double share) {
    std::vector<Check> checks;
    const Node* settings = controller_.document().settings("render");
    if (const std::string text = cutText(share); !text.empty() && settings)
        checks.push_back({.severity = Severity::Warning,
                          .text = text + ": it is lost, and the pass Cut light has it",
                          .node = settings->id,
                          .step = {},
                          .fixTitle = "Cut nothing",
                          .fix = [path = settings->id + "/" + kRender.limit.id()](const Document& d) {
                              return withText(d, path, "0");
                          }});
    controller_.setRenderChecks(std::move(checks));
}

}  // namespace ovrix::app
