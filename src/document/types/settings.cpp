#include "document/types/settings.h"

#include "params/specs.h"

namespace ovrix::document {

using namespace specs;

NodeType renderSettingsType() {
    return {
        .id = "render",
        .title = "Render",
        .category = Category::Settings,
        .help = "The picture and how long to work on it",
        .params =
            Specs{
                ref("camera", "Camera", "camera", "Rendered through this one"),
                whole("width", "Width", 1280, 1, 32768, 320, 3840, "Pixels across"),
                whole("height", "Height", 720, 1, 32768, 180, 2160, "Pixels down"),
                whole("samples", "Samples", 64, 1, 1048576, 1, 1024,
                      "Passes over the picture: more is cleaner"),
                whole("bounces", "Bounces", 6, 0, 64, 0, 16, "How often light may be reflected on its way"),
                number("limit", "Firefly limit", 10, "", 0, 1e9, 0, 50,
                       "Cuts bright dots of indirect light and of fibres; 0 cuts nothing"),
                unitNumber(
                    "thin_strands", "Thin strands", 0.7,
                    "Strands thinner than this part of a pixel are drawn as wide and let as much through; 0 "
                    "draws them as they are"),
                unitNumber("shutter", "Shutter", 0,
                           "Part of a frame that it is open, up to the frame: blurs what moves"),
                shownIf(whole("shutter_steps", "Motion steps", 3, 2, 32, 2, 8,
                              "Times at which what moves is looked at: more bend"),
                        "shutter!=0"),
                choice("tone", "Tone", "soft", {"soft", "plain"},
                       "soft rolls bright light off like film, plain cuts it at white"),
                flag("transparent", "Transparent", false, "Leaves alpha 0 where nothing stands"),
                whole("seed", "Seed", 0, 0, 4294967295.0, 0, 100, "Another number, other grain")},
    };
}

NodeType sceneSettingsType() {
    return {
        .id = "scene",
        .title = "Scene",
        .category = Category::Settings,
        .help = "What holds for the whole scene",
        .params =
            Specs{number("rate", "Frames a second", 24, "1/s", 1, 1000, 12, 60, "How fast the frames follow"),
                  whole("first", "First frame", 1, -1e6, 1e6, 0, 250, "Where the animation begins"),
                  whole("last", "Last frame", 96, -1e6, 1e6, 1, 500, "Where it ends"),
                  whole("loop_from", "Plays from", 0, -1e6, 1e6, 0, 250, "Where playing begins again"),
                  whole("loop_to", "Plays to", 0, -1e6, 1e6, 0, 250,
                        "Where it goes back; all is played when it lies first"),
                  whole("preroll", "Pre-roll", 0, 0, 1e5, 0, 120,
                        "Frames that simulations run before the first one, to settle"),
                  choice("play", "Plays", "in real time", {"in real time", "every frame"},
                         "Leaves out frames to keep time, or shows each as soon as it is there"),
                  number("sim_memory", "Frame cache", 2, "GB", 0.05, 4096, 0.5, 32,
                         "Memory for simulated frames; more than that is worked out again"),
                  number("draft", "Draft share", 0.1, "", 0.001, 1, 0.01, 1,
                         "Part of each layer that Draft shows"),
                  number("memory", "Memory limit", 8, "GB", 0.05, 4096, 0.5, 64,
                         "A layer that would take more is refused with the figure")},
    };
}

}  // namespace ovrix::document
