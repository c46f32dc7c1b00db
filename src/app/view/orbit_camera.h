// The view's own camera: turns around a point.
#pragma once
#include "render/scene/camera.h"

namespace ovrix::app {

class OrbitCamera {
  public:
    V3f target{0, 0, 0};
    float yaw = 0.6f, pitch = 0.4f, distance = 5.0f, focal = 35.0f, roll = 0.0f, film = 36.0f;
    V2f shift{0, 0};  // of a scene camera that is looked through

    void orbit(float dx, float dy) {
        yaw -= dx;
        pitch = std::clamp(pitch + dy, -1.55f, 1.55f);
    }
    /// Moves with the picture: by shares of its width.
    void pan(float dx, float dy) {
        const Camera c(options(), 1.0f);
        target += (c.right() * -dx + c.up() * dy) * (2.0f * c.halfWidth() * distance);
    }
    void zoom(float factor) { distance = std::clamp(distance * factor, 1e-4f, 1e6f); }
    void frame(const Box3f& box, float aspect) {
        if (box.isEmpty()) return;
        target = box.center();
        const float radius = std::max(1e-3f, 0.5f * box.size().length());
        const float half = std::atan(0.5f * film / focal / std::max(1.0f, aspect));
        distance = radius / std::sin(std::max(0.05f, half)) * 0.9f;
    }
    V3f position() const {
        return target +
               V3f(std::cos(pitch) * std::sin(yaw), std::sin(pitch), std::cos(pitch) * std::cos(yaw)) *
                   distance;
    }
    CameraOptions options() const {
        return {.position = position(),
                .target = target,
                .roll = roll,
                .focal = focal,
                .film = film,
                .shift = shift};
    }
    /// Takes the place of a scene camera.
    void follow(const CameraOptions& c) {
        const V3f d = c.position - c.target;
        distance = std::max(1e-4f, d.length());
        target = c.target;
        yaw = std::atan2(d.x, d.z);
        pitch = std::asin(std::clamp(d.y / distance, -1.0f, 1.0f));
        focal = c.focal;
        film = c.film;
        shift = c.shift;
        roll = c.roll;
    }
    bool operator==(const OrbitCamera&) const = default;
};

}  // namespace ovrix::app
