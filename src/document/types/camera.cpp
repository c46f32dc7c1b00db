#include "document/types/camera.h"

#include "document/model/params.h"
#include "render/scene/camera.h"

namespace ovrix::document {

using namespace specs;

CameraParams::CameraParams()
    : position(add(specs::vector("position", "Position", V3d(3, 2, 4), "m", 10, "Where it stands"))),
      target(add(specs::vector("target", "Looks at", V3d(0, 0, 0), "m", 10,
                               "The point in the middle of the picture"))),
      roll(add(
          specs::number("roll", "Roll", 0, "deg", -3600, 3600, -45, 45, "Turned around the line of sight"))),
      focal(add(specs::number("focal", "Focal length", 35, "mm", 1, 5000, 12, 200,
                              "Long brings what is far near, short sees wide"))),
      film(add(specs::number("film_width", "Film width", 36, "mm", 0.1, 1000, 8, 70,
                             "Of the film or sensor: the same lens sees more on a wider one"))),
      fstop(add(specs::number("fstop", "f-stop", 0, "", 0, 1000, 0, 22,
                              "Depth of field: small numbers blur more; 0 keeps all sharp"))),
      focus(add(specs::number("focus", "Focus at", 0, "m", 0, 1e6, 0, 20,
                              "Sharp at this distance; 0 focuses on what it looks at"))),
      focusOn(add(specs::ref("focus_on", "Focus on", "object or layer",
                             "Stays sharp wherever it goes; the distance counts where none is chosen"))),
      focusElement(
          add(shownIf(specs::text("focus_element", "Focus element", "",
                                  "The id of one of the layer's elements, which stays sharp wherever it "
                                  "goes: Shift and a click in the render chooses it"),
                      "focus_on.kind=layer"))),
      blades(add(shownIf(specs::whole("blades", "Blades", 0, 0, 32, 0, 11,
                                      "Of the iris, whose form bright dots out of focus take; 0 is round"),
                         "fstop!=0"))),
      bladeTurn(add(shownIf(
          specs::number("blade_rotation", "Blade rotation", 0, "deg", -3600, 3600, 0, 90, "Turns the iris"),
          "blades!=0"))),
      roundness(add(shownIf(specs::unitNumber("blade_roundness", "Blade roundness", 0.3,
                                              "0 blades have straight edges, 1 they make a circle"),
                            "blades!=0"))),
      squeeze(add(shownIf(specs::number("squeeze", "Squeeze", 1, "", 0.1, 10, 1, 2,
                                        "Anamorphic: what is out of focus is so many times as high as wide"),
                          "fstop!=0"))),
      shiftX(
          add(specs::number("shift_x", "Shift across", 0, "", -10, 10, -0.5, 0.5,
                            "Moves the film to the right, in film widths: frames anew, and turns nothing"))),
      shiftY(add(specs::number("shift_y", "Shift up", 0, "", -10, 10, -0.5, 0.5,
                               "Moves the film up, in film widths: walls stay upright in a high picture"))),
      exposure(add(specs::number("exposure", "Exposure", 0, "EV", -30, 30, -6, 6,
                                 "Each step doubles the brightness of the picture"))) {}

const CameraParams kCamera;

static CameraOptions camera(const ResolvedParams& p) {
    return {.position = p[kCamera.position],
            .target = p[kCamera.target],
            .roll = radians(float(p[kCamera.roll])),
            .focal = float(p[kCamera.focal]),
            .fstop = float(p[kCamera.fstop]),
            .focus = float(p[kCamera.focus]),
            .film = float(p[kCamera.film]),
            .shift = V2f(float(p[kCamera.shiftX]), float(p[kCamera.shiftY])),
            .blades = int(p[kCamera.blades]),
            .bladeTurn = radians(float(p[kCamera.bladeTurn])),
            .roundness = float(p[kCamera.roundness]),
            .squeeze = float(p[kCamera.squeeze])};
}

/// The frame that it sees, a little before it, and lines there from its eye.
static std::vector<std::vector<V3f>> sight(const OutlineInput& in) {
    const Camera c(camera(in.params), in.aspect);
    std::vector<V3f> frame;
    std::vector<std::vector<V3f>> lines;
    for (const auto& [x, y] : {std::pair{-1, -1}, {1, -1}, {1, 1}, {-1, 1}}) {
        const V3f corner = c.forward() + c.right() * (c.shift().x + c.halfWidth() * float(x)) +
                           c.up() * (c.shift().y + c.halfHeight() * float(y));
        frame.push_back(c.position() + corner * in.reach);
        lines.push_back({c.position(), frame.back()});
    }
    frame.push_back(frame.front());
    lines.push_back(frame);
    return lines;
}

static std::string problem(const ResolvedParams& p) {
    if ((p[kCamera.target] - p[kCamera.position]).length() > 1e-9f) return {};
    return "stands where it looks, so which way it looks is anyone's guess: move one of both";
}

NodeType cameraType() {
    return {.id = "camera",
            .title = "Camera",
            .category = Category::Camera,
            .help = "What the render sees through",
            .params = kCamera.specs(),
            .camera = camera,
            .outline = sight,
            .sign = "camera",
            .problem = problem,
            .brief = kCamera.focal.id()};
}

}  // namespace ovrix::document
