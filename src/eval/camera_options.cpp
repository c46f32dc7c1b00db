#include "eval/camera_options.h"

namespace ovrix::eval {

CameraOptions cameraOptions(const Document& document, const std::string& id, double frame) {
    const auto number = [&](const char* p) { return float(std::get<double>(document.value(id, p, frame))); };
    CameraOptions c;
    c.position = V3f(std::get<V3d>(document.value(id, "position", frame)));
    c.target = V3f(std::get<V3d>(document.value(id, "target", frame)));
    c.roll = radians(number("roll"));
    c.focal = number("focal");
    c.fstop = number("fstop");
    c.focus = number("focus");
    return c;
}

}  // namespace ovrix::eval
