#include "deliver/picture_setup.h"

#include <bit>

#include "base/error.h"
#include "deliver/shutter.h"
#include "document/model/values.h"
#include "io/image/color_config.h"
#include "render/finish/steps/finish_steps.h"

namespace ovrix::deliver {

void setPicture(const Document& document, const JobOptions& o, RenderJob& job) {
    const auto value = [&](const auto& handle) { return document.renderSetting(handle, o.frame); };
    const std::string camera = o.camera.empty() ? value(kRender.camera) : o.camera;
    if (!cameraOf(document, camera, o.frame))
        throw Error("the render has no camera", camera, "Choose a camera in the render settings");
    const float exposure = float(document.value(camera, kCamera.exposure, o.frame));
    // What is too bright is so in the picture: the limit follows its exposure.
    const float limit = float(value(kRender.limit)) / std::exp2(exposure);
    const auto passes = uint32_t(std::clamp<int64_t>(value(kRender.samples), 1, 65536));
    job.options = {.bounces = int(value(kRender.bounces)),
                   .limit = limit,
                   .roughen = float(value(kRender.roughen)),
                   .clearBackground = value(kRender.transparent),
                   .seed = uint32_t(value(kRender.seed)),
                   .log2Passes = uint32_t(std::bit_width(passes) - 1),
                   .filter = PixelFilter(kRender.filter.choice(value(kRender.filter)),
                                         float(value(kRender.filterWidth))),
                   .shareFibreLight = value(kRender.shareFibreLight),
                   .occlusionReach = float(value(kRender.occlusionReach))};
    if (value(kRender.shutter) > 0.0)
        job.options.shutter = shutterPlaces(value(kRender.shutterCurve));
    else if (motionFrames(document, o.frame) > 0.0)
        job.options.shutter = {1.0f};  // it moves, and is seen as it is at the end
    job.width = int(value(kRender.width));
    job.height = int(value(kRender.height));
    job.samples = int(value(kRender.samples));
    for (const double frame : shutterFrames(document, o.frame))
        job.cameras.push_back(*cameraOf(document, camera, frame));
    if (std::all_of(job.cameras.begin(), job.cameras.end(),
                    [&](const CameraOptions& c) { return c == job.cameras.back(); }))
        job.cameras.resize(1);
    job.finish.exposure = exposure;
    job.goal = {.noise = float(value(kRender.noise)),
                .least = uint32_t(value(kRender.leastSamples)),
                .exposure = std::exp2(exposure)};
}

bool hasFinish(const Document& document) {
    const Node* node = document.settings("finish");
    return node && std::any_of(node->steps.begin(), node->steps.end(), [](const Step& s) { return s.on; });
}

bool balancesLights(const Document& document) {
    const Node* node = document.settings("finish");
    return node && std::any_of(node->steps.begin(), node->steps.end(),
                               [](const Step& s) { return s.on && s.type == lightGroupStep().id; });
}

FinishOptions finishOptions(const SceneContext& scene, double frame, float exposure,
                            std::vector<std::string>& problems) {
    const auto value = [&](const auto& handle) { return scene.document.finishSetting(handle, frame); };
    FinishOptions out;
    out.exposure = exposure;
    const std::string response = value(kFinish.response);
    if (response == "plain") out.response = {};
    if (response == "soft" || response == "punchy") {
        out.response = response == "soft" ? kSoft : kPunchy;
        FilmResponse& r = out.response;
        r.contrast *= float(value(kFinish.contrast));
        r.toe = std::min(1.0f, r.toe * float(value(kFinish.toe)));
        r.shoulder = std::min(0.95f, r.shoulder * float(value(kFinish.shoulder)));
        r.desaturation = std::min(1.0f, r.desaturation * float(value(kFinish.desaturation)));
    }
    try {
        if (response == "configuration") {
            out.display = io::ColorConfig::open(scene.resolve(value(kFinish.configuration)))
                              ->view(value(kFinish.display), value(kFinish.view));
            out.asItIs = true;
            out.screen = value(kFinish.display) + " " + value(kFinish.view);
        } else {
            out.display = io::screenTransform(value(kFinish.screen));
            out.screen = value(kFinish.screen);
        }
    } catch (const Error& e) {
        problems.push_back(std::string("Finish: ") + e.what());
    }
    return out;
}

std::vector<NodePtr> fieldPasses(const Document& document) {
    std::vector<NodePtr> out;
    for (const NodePtr& node : document.nodes(Category::Pass))
        if (node->rendered) out.push_back(node);
    return out;
}

static std::vector<FieldPlane> fieldPlanes(const Document& document, double frame) {
    std::vector<FieldPlane> out;
    for (const NodePtr& node : fieldPasses(document))
        out.push_back({node->name, document.value(node->id, kFieldPass.kind, frame) == "colour"});
    return out;
}

FilmLayout layoutOf(const Document& document, double frame, const RenderJob& job, bool fibres,
                    std::vector<std::string> groups) {
    Refs choices = document.renderSetting(kRender.passes, frame);
    if (fibres) choices.emplace_back("fibre");
    if (job.options.limit > 0.0f) choices.emplace_back("cut");
    return {.passes = passesChosen(choices),
            .groups = std::move(groups),
            .exposure = int(std::lround(std::clamp(job.finish.exposure, -200.0f, 200.0f))),
            .bins = document.renderSetting(kRender.fireflies, frame),
            .fields = fieldPlanes(document, frame)};
}

double likelyFilmBytes(const Document& document, double frame) {
    LightGroups groups;
    bool fibres = false;
    for (const NodePtr& node : document.nodes()) {
        const NodeType* type = findNodeType(node->type);
        fibres |= type && type->forStrands;
        for (const char* id : {"group", "emission_group"})  // of lights, and of materials
            if (const ParamSpec* spec = findSpec(specsOf(*node), id); spec && spec->type == ParamType::Text)
                groups.numberOf(std::get<std::string>(document.value(node->id, id, frame)));
    }
    RenderJob job;
    job.options.limit = float(document.renderSetting(kRender.limit, frame));
    const double pixels = double(document.renderSetting(kRender.width, frame)) *
                          double(document.renderSetting(kRender.height, frame));
    return pixels * layoutOf(document, frame, job, fibres, groups.names()).bytesOfPixel();
}

void setSurroundings(const SceneContext& scene, const JobOptions& o, ImageCache& images, RenderJob& job) {
    const auto value = [&](const auto& handle) { return scene.document.surroundings(handle, o.frame); };
    const std::string kind = value(kSurroundings.background);
    Backdrop& backdrop = job.options.backdrop;
    backdrop.white = 1.0f / std::exp2(job.finish.exposure);
    if (kind == "colour") {
        backdrop.kind = Backdrop::Kind::Color;
        backdrop.color = V3f(value(kSurroundings.color)) * backdrop.white;
    }
    if (kind != "image") return;
    backdrop.kind = Backdrop::Kind::Image;
    backdrop.whole = value(kSurroundings.fit) == "fit";
    const std::string file = value(kSurroundings.file);
    if (file.empty()) {
        job.problems.push_back("The background is an image, and has no file: choose one in Surroundings");
        return;
    }
    try {
        backdrop.image = images.image(scene.resolve(file), value(kSurroundings.space));
    } catch (const Error& e) {
        job.problems.push_back(std::string("Background: ") + e.what());
    }
}

Fog fogOf(const Document& document, double frame) {
    const auto value = [&](const auto& handle) { return document.surroundings(handle, frame); };
    const double visibility = value(kSurroundings.visibility);
    Fog fog;
    if (visibility > 0.0) fog.density = float(std::log(20.0) / visibility);
    fog.base = float(value(kSurroundings.fogBase));
    fog.falloff = float(value(kSurroundings.fogHeight));
    const Color color = value(kSurroundings.fogColor);
    for (int k = 0; k < 3; ++k) fog.color[k] = std::clamp(color[k], 0.0f, 1.0f);
    fog.forward = float(value(kSurroundings.fogForward));
    return fog;
}

}  // namespace ovrix::deliver
