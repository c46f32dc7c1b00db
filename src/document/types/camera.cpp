#include "document/types/camera.h"

#include "params/specs.h"

namespace ovrix::document {

using namespace specs;

NodeType cameraType() {
    return {
        .id = "camera",
        .title = "Camera",
        .category = Category::Camera,
        .help = "What the render sees through",
        .params =
            Specs{
                vector("position", "Position", V3d(3, 2, 4), "m", 10, "Where it stands"),
                vector("target", "Looks at", V3d(0, 0, 0), "m", 10, "The point in the middle of the picture"),
                number("roll", "Roll", 0, "deg", -3600, 3600, -45, 45, "Turned around the line of sight"),
                number("focal", "Focal length", 35, "mm", 1, 5000, 12, 200, "On a film 36 mm wide"),
                number("fstop", "f-stop", 0, "", 0, 1000, 0, 22,
                       "Depth of field: small numbers blur more; 0 keeps all sharp"),
                number("focus", "Focus distance", 0, "m", 0, 1e6, 0, 20,
                       "Sharp at this distance; 0 focuses on what it looks at"),
                number("exposure", "Exposure", 0, "EV", -30, 30, -6, 6,
                       "Each step doubles the brightness of the picture")},
        .brief = "focal"};
}

}  // namespace ovrix::document
