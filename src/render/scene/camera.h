// A thin-lens camera.
#pragma once
#include <vector>

#include "base/vec.h"

namespace ovrix::render {

struct CameraOptions {
    V3f position{0, 0, 5}, target{0, 0, 0};
    float roll = 0.0f;    ///< radians
    float focal = 35.0f;  ///< millimetres on a film 36 mm wide
    float fstop = 0.0f;   ///< 0 for a pinhole
    float focus = 0.0f;   ///< metres; 0 for the target's distance
    bool operator==(const CameraOptions&) const = default;
};

struct Ray {
    V3f origin, direction;  ///< direction is a unit vector
    float time = 0.0f;      ///< 0 when the shutter opens, 1 when it closes
};

class Camera {
  public:
    Camera() : Camera(CameraOptions(), 1.0f) {}
    /// @param aspect  width by height of the picture
    Camera(const CameraOptions& options, float aspect);
    /// One that moves: @p steps are at even times while the shutter is open, at least one. All but ray() is
    /// of the last.
    Camera(const std::vector<CameraOptions>& steps, float aspect);
    /// The ray through (x, y) of the picture, both 0 to 1, y down; u, v in [0, 1) choose a point on the lens,
    /// @p time from 0 to 1 when the shutter was open.
    Ray ray(float x, float y, float u, float v, float time = 0.0f) const;
    bool moving() const { return !moves_.empty(); }
    const V3f& position() const { return position_; }
    const V3f& forward() const { return forward_; }
    const V3f& right() const { return right_; }
    const V3f& up() const { return up_; }
    /// Half the picture's width and height at distance 1.
    float halfWidth() const { return halfWidth_; }
    float halfHeight() const { return halfHeight_; }

  private:
    Ray still(float x, float y, float u, float v) const;

    std::vector<Camera> moves_;  ///< at the steps; empty for one that stands still
    V3f position_, forward_, right_, up_;
    float halfWidth_ = 0.5f, halfHeight_ = 0.5f, lens_ = 0.0f, focus_ = 1.0f;
};

}  // namespace ovrix::render
