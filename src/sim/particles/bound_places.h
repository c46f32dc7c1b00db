// Places on a surface that particles keep for themselves.
#pragma once
#include "sim/particle_parts.h"

namespace ovrix::sim {

/// A place of its own for each id on a surface. They are chosen once, on the surface at the layer's rest
/// frame, and go with it from there: a surface that deforms takes them along, and no change of an area
/// redraws them. Where the faces are others than at rest, the nearest to where the place was at rest. Thread
/// safe.
class BoundPlaces {
  public:
    /// @param param  names the surface; @p what  does the part lack where there is none. Throws
    /// NothingToActOn.
    BoundPlaces(const PartContext& c, const Handle<std::string>& param, const Handle<int64_t>& seed,
                const char* what);
    V3f placeOf(uint64_t id) const;

  private:
    SurfacePtr rest_, now_;
    uint64_t seed_;
    bool same_;
};

}  // namespace ovrix::sim
