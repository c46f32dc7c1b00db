// How a light sees what it lights: a picture of the ways from it.
#pragma once
#include <optional>

#include "base/vec.h"

namespace ovrix::render {

/// From afar along parallel ways, from a place through a window, or, where it stands close by, all around by
/// folding an octahedron flat (Engelhardt and Dachsbacher, "Octahedron Environment Maps", VMV 2008).
/// Immutable and thread safe.
class LightView {
  public:
    /// @param way   unit, towards the light @p from the middle of what it lights
    /// @param distance  metres to it from there; infinite for a far light
    /// @param bounds    of what it lights
    /// @param size      pixels across
    LightView(const V3f& way, float distance, const Box3f& bounds, int size);

    int size() const { return size_; }
    float near() const { return near_; }
    float far() const { return far_; }
    struct Place {
        int x, y;
        float depth;  ///< along the way from the light, as near() and far() are
        float area;   ///< m2 that the pixel covers there, across the way
    };
    /// Nothing where it is not seen.
    std::optional<Place> place(const V3f& p) const;
    /// The way of light through a pixel.
    /// @param u, v  where in it, 0 to 1
    struct Way {
        V3f origin, direction;  ///< unit
        float depth;            ///< of the origin
    };
    Way wayOf(int x, int y, float u, float v) const;
    bool isFar() const { return kind_ == Kind::Far; }

  private:
    enum class Kind { Far, Window, Around } kind_;
    V3f origin_, x_, y_, z_;  // z: from the light
    int size_;
    float half_ = 1.0f;  // of the window: metres, or at distance 1
    float near_ = 0.0f, far_ = 1.0f;
};

}  // namespace ovrix::render
