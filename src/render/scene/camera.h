// A thin-lens camera.
#pragma once
#include <optional>
#include <vector>

#include "base/vec.h"

namespace ovrix::render {

struct CameraOptions {
    V3f position{0, 0, 5}, target{0, 0, 0};
    float roll = 0.0f;       ///< radians
    float focal = 35.0f;     ///< millimetres
    float fstop = 0.0f;      ///< 0 for a pinhole
    float focus = 0.0f;      ///< metres; 0 for the target's distance
    float film = 36.0f;      ///< millimetres that it is wide
    V2f shift{0, 0};         ///< of the film's middle to the right and up, in film widths
    int blades = 0;          ///< of the iris; under 3 it is a circle
    float bladeTurn = 0.0f;  ///< radians
    float roundness = 0.0f;  ///< of the blades' edges: 0 straight, 1 a circle
    float squeeze = 1.0f;    ///< of what is out of focus: so many times as high as wide
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
    /// The place behind (x, y) of the picture at a depth along the line of sight; of the last step.
    V3f placeAt(float x, float y, float depth) const { return position_ + throughAt(x, y) * depth; }
    /// Where a place is in the picture, both 0 to 1, y down, at a time while the shutter is open; nothing
    /// where it lies behind the eye.
    std::optional<V2f> project(const V3f& place, float time) const;
    /// The same, seen through a point of the lens as ray() chooses it; x, y and metres along the line of
    /// sight.
    std::optional<V3f> through(const V3f& place, float u, float v, float time) const;
    bool hasLens() const { return lens_ > 0.0f; }
    /// The same for all places at once: to (x w, y w, w, w) of row vectors, y up; of the last step.
    M44f projection() const;
    bool moving() const { return !moves_.empty(); }
    const V3f& position() const { return position_; }
    const V3f& forward() const { return forward_; }
    const V3f& right() const { return right_; }
    const V3f& up() const { return up_; }
    /// How far the picture's middle lies to the right and above the line of sight, at distance 1.
    const V2f& shift() const { return shift_; }
    /// Half the picture's width and height at distance 1.
    float halfWidth() const { return halfWidth_; }
    float halfHeight() const { return halfHeight_; }
    /// Metres along the line of sight that are sharp.
    float focus() const { return focus_; }

  private:
    Ray still(float x, float y, float u, float v) const;
    std::optional<V2f> project(const V3f& place) const;
    std::optional<V3f> through(const V3f& place, float u, float v) const;
    V2f onIris(float u, float v) const;
    V3f throughAt(float x, float y) const;

    std::vector<Camera> moves_;  ///< at the steps; empty for one that stands still
    V3f position_, forward_, right_, up_;
    float halfWidth_ = 0.5f, halfHeight_ = 0.5f, lens_ = 0.0f, focus_ = 1.0f;
    V2f shift_{0, 0};
    int blades_ = 0;
    float bladeTurn_ = 0.0f, roundness_ = 0.0f, squeeze_ = 1.0f;
};

}  // namespace ovrix::render
