#include "document/types/surroundings.h"

#include "base/image.h"
#include "document/model/params.h"

namespace ovrix::document {

using namespace specs;

SurroundingsParams::SurroundingsParams()
    : background(add(specs::choice("background", "Background", "lights", {"lights", "colour", "image"},
                                   "What the camera sees behind all: what lights the scene, or a colour or a "
                                   "picture that lights nothing"))),
      color(add(shownIf(specs::color("background_color", "Colour", Color(0.8f), false,
                                     "As it is on the screen, whatever the exposure"),
                        "background=colour"))),
      file(add(shownIf(specs::file("backplate", "Backplate",
                                   "A picture that lies behind all, as wide or as high as the render"),
                       "background=image"))),
      space(add(shownIf(specs::choice("backplate_space", "Colour space", "sRGB", colorSpaceNames(),
                                      "The space that the file's numbers are in"),
                        "background=image"))),
      fit(add(shownIf(specs::choice("backplate_fit", "Laid", "fill", {"fill", "fit"},
                                    "Filling the picture, or whole within it"),
                      "background=image"))),
      visibility(add(specs::number("fog_visibility", "Visibility", 0, "m", 0, 1e6, 0, 500,
                                   "How far one sees in the fog at its base: a twentieth of what is there "
                                   "comes through so much of it; 0 is no fog"))),
      fogColor(add(shownIf(specs::color("fog_color", "Fog colour", Color(0.95f), false,
                                        "What it gives back of light that meets it"),
                           "fog_visibility!=0"))),
      fogBase(add(shownIf(specs::number("fog_base", "Fog base", 0, "m", -1e6, 1e6, -10, 10,
                                        "Height at which one sees so far"),
                          "fog_visibility!=0"))),
      fogHeight(add(shownIf(specs::number("fog_height", "Fog height", 15, "m", 1e-3, 1e6, 0.5, 100,
                                          "It thins to a third over so many metres up"),
                            "fog_visibility!=0"))),
      fogForward(add(shownIf(specs::number("fog_forward", "Fog forward", 0.6, "", -0.95, 0.95, -0.95, 0.95,
                                           "Glows about lights that shine towards the camera: 0 everywhere "
                                           "alike, 0.8 mist"),
                             "fog_visibility!=0"))) {}

const SurroundingsParams kSurroundings;

NodeType surroundingsType() {
    return {.id = "surroundings",
            .title = "Surroundings",
            .category = Category::Settings,
            .help = "What lies behind all, and fog between",
            .params = kSurroundings.specs()};
}

}  // namespace ovrix::document
