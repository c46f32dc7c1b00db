// How one point of a cloud turns light.
#pragma once
#include <optional>

#include "render/scene/cloud.h"
#include "render/shade/fibre.h"

namespace ovrix::render {

/// For one point and the way to the eye. Refers to the cloud; for one thread.
class CloudScatter {
  public:
    /// @param toEye  unit
    CloudScatter(const Cloud& cloud, size_t row, const V3f& toEye);
    /// What goes on to the eye of light from there, per steradian: its integral over all directions is the
    /// point's colour, or less of faces, which turn their back to some.
    /// @param toLight  unit  @param softened  of lobes, how much of their direction is left, 0 to 1
    V3f value(const V3f& toLight, float softened = 1.0f) const;
    /// Whether softening changes anything.
    bool bundles() const { return cloud_.look().scatter == CloudMaterial::Scatter::Lobes; }

  private:
    V3f facing(const V3f& toLight) const;
    const Cloud& cloud_;
    size_t row_;
    V3f eye_, axis_, albedo_;
    V3f y_{0, 0, 0}, z_{0, 0, 0};  // of a strand's frame: x is its axis, z looks to the eye
    std::optional<Fibre> fibre_;
};

}  // namespace ovrix::render
