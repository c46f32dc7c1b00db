#include "document/types/settings.h"

#include "document/model/params.h"
#include "render/film/pass.h"

namespace ovrix::document {

using namespace specs;

RenderParams::RenderParams()
    : camera(add(specs::ref("camera", "Camera", "camera", "Rendered through this one"))),
      width(add(specs::whole("width", "Width", 1280, 1, 32768, 320, 3840, "Pixels across"))),
      height(add(specs::whole("height", "Height", 720, 1, 32768, 180, 2160, "Pixels down"))),
      samples(add(specs::whole("samples", "Samples", 64, 1, 1048576, 1, 1024,
                               "Passes over the picture: more is cleaner"))),
      noise(add(specs::number(
          "noise", "Noise", 0, "", 0, 1, 0, 0.05,
          "Where the picture has less than this, as seen from 0 to 1, it is not worked on further; "
          "0 gives all of it all samples"))),
      leastSamples(add(shownIf(specs::whole("least_samples", "At least", 16, 2, 1048576, 4, 256,
                                            "Samples that every place has before its noise is looked at"),
                               "noise!=0"))),
      bounces(add(specs::whole("bounces", "Bounces", 16, 0, 64, 0, 16,
                               "How often light may be reflected on its way"))),
      fireflies(add(specs::flag("even_fireflies", "Even fireflies", true,
                                "Spreads bright dots that single passes left over what they lie on; nothing "
                                "is lost, and they go as samples come. Takes 96 bytes a pixel"))),
      limit(
          add(specs::number("limit", "Firefly limit", 0, "", 0, 1e9, 0, 50,
                            "Cuts bright dots of indirect light and of fibres, and their light is lost: the "
                            "pass Cut light has it; 0 cuts nothing"))),
      roughen(add(
          specs::unitNumber("regularisation", "Regularisation", 0.25,
                            "How rough shines are at least to what sees them by way of a matt "
                            "surface, twice that by way of a fibre: no dots from lamps in mirrors; 0 leaves "
                            "them as they are"))),
      filter(
          add(specs::choice("filter", "Pixel filter", "Blackman-Harris", {"box", "tent", "Blackman-Harris"},
                            "How light around a pixel's middle counts: box is hard, tent soft, the third "
                            "smooth and sharp"))),
      filterWidth(add(specs::number("filter_width", "Filter width", 3, "px", 0, 16, 1, 4,
                                    "Pixels that it reaches over"))),
      thinStrands(add(specs::unitNumber(
          "thin_strands", "Thin strands", 0.7,
          "Strands thinner than this fraction of a pixel are drawn as wide and let as much through; 0 "
          "draws them as they are"))),
      shareFibreLight(
          add(specs::flag("share_fibre_light", "Share light", true,
                          "Strands that lie close together share the light that comes to them from "
                          "others: much less grain. Off follows each path by itself"))),
      passes(add(specs::choices("passes", "Passes", passChoices(),
                                "What a render keeps beside light, alpha, albedo, normal, depth and ids; "
                                "those of fibres come where fibres are seen"))),
      occlusionReach(add(specs::number("occlusion_reach", "Occlusion", 0.3, "m", 1e-6, 1e6, 0.01, 5,
                                       "How near things must be to count in the pass Occlusion"))),
      shutter(
          add(specs::unitNumber("shutter", "Shutter", 0,
                                "Fraction of a frame that it is open, up to the frame: blurs what moves"))),
      shutterSteps(add(shownIf(specs::whole("shutter_steps", "Motion steps", 3, 2, 32, 2, 8,
                                            "Times at which what moves is looked at: more bend"),
                               "shutter!=0"))),
      shutterCurve(add(shownIf(specs::profile("shutter_curve", "Shutter curve", {{0, 1}, {1, 1}},
                                              "How much light it lets through from opening (left) to "
                                              "closing: rounded is soft, falling leaves trails"),
                               "shutter!=0"))),
      transparent(
          add(specs::flag("transparent", "Transparent", false, "Leaves alpha 0 where nothing stands"))),
      seed(add(specs::whole("seed", "Seed", 0, 0, 4294967295.0, 0, 100, "Another number, other grain"))) {}

SceneParams::SceneParams()
    : rate(add(specs::number("rate", "Frames a second", 24, "1/s", 1, 1000, 12, 60,
                             "How fast the frames follow"))),
      first(add(specs::whole("first", "First frame", 1, -1e6, 1e6, 0, 250, "Where the animation begins"))),
      last(add(specs::whole("last", "Last frame", 96, -1e6, 1e6, 1, 500, "Where it ends"))),
      loopFrom(
          add(specs::whole("loop_from", "Plays from", 0, -1e6, 1e6, 0, 250, "Where playing begins again"))),
      loopTo(add(specs::whole("loop_to", "Plays to", 0, -1e6, 1e6, 0, 250,
                              "Where it goes back; all is played when it lies first"))),
      preroll(add(specs::whole("preroll", "Pre-roll", 0, 0, 1e5, 0, 120,
                               "Frames that simulations run before the first one, to settle"))),
      play(add(specs::choice("play", "Plays", "in real time", {"in real time", "every frame"},
                             "Leaves out frames to keep time, or shows each as soon as it is there"))),
      simMemory(add(specs::number("sim_memory", "Frame cache", 2, "GB", 0.05, 4096, 0.5, 32,
                                  "Memory for simulated frames; more than that is worked out again"))),
      draft(add(specs::number("draft", "Draft share", 0.1, "", 0.001, 1, 0.01, 1,
                              "Fraction of each layer that Draft shows"))),
      memory(add(specs::number("memory", "Memory limit", 8, "GB", 0.05, 4096, 0.5, 64,
                               "A layer that would take more is refused with the figure"))) {}

const RenderParams kRender;
const SceneParams kScene;

NodeType renderSettingsType() {
    return {
        .id = "render",
        .title = "Render",
        .category = Category::Settings,
        .help = "The picture and how long to work on it",
        .params = kRender.specs(),
    };
}

NodeType sceneSettingsType() {
    return {
        .id = "scene",
        .title = "Scene",
        .category = Category::Settings,
        .help = "What holds for the whole scene",
        .params = kScene.specs(),
    };
}

}  // namespace ovrix::document
