// A rectangle as a place sees it, drawn from evenly by solid angle.
#pragma once
#include "base/vec.h"

namespace ovrix::render {

/// Ureña, Fajardo and King, "An Area-Preserving Parametrization for Spherical Rectangles", EGSR 2013. In
/// double precision: its angle is a sum of arcs that nearly cancel where it is small.
class SphericalRectangle {
  public:
    /// @param corner, side1, side2  metres; the sides stand upright on one another
    SphericalRectangle(const V3f& from, const V3f& corner, const V3f& side1, const V3f& side2);
    /// Steradians; 0 in its plane. From about 1e-6 on it is right to a thousandth.
    double angle() const { return angle_; }
    /// The way from there to a point of it, even by solid angle. @p u, @p v  0 to 1
    V3f at(float u, float v) const;

  private:
    V3d x_, y_, z_;  ///< along the sides and towards the plane, unit
    double x0_, x1_, y0_, y1_, away_;
    double below_ = 0, above_ = 0, start_ = 0, angle_ = 0;
};

}  // namespace ovrix::render
