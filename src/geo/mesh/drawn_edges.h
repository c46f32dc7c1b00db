// The edges of a mesh that contours draw.
#pragma once
#include "base/progress.h"
#include "geo/mesh/mesh.h"

namespace ovrix::geo {

/// Which edges they are.
struct DrawnEdges {
    float crease = kPi;  ///< radians, 0 to pi: where faces turn by more; pi for nowhere
    bool open = false;   ///< where one face alone is
    /// A number of each slot: edges between faces whose slots have different ones. What lies beyond counts as
    /// the last; empty for none.
    std::vector<int32_t> kinds = {};
    bool any() const { return crease < kPi || open || kinds.size() > 1; }
    bool operator==(const DrawnEdges&) const = default;
};

/// They as pairs of ends in the mesh's own space, each edge once.
struct DrawnLines {
    std::vector<V3f> ends;
    size_t inner =
        0;  ///< so many ends come first, of edges that several faces share; then those of open ones
};

/// Points in one place count as one, so that a file's seams are edges like others.
/// Time goes as sorting its edges. Thread safe. Throws Cancelled.
DrawnLines drawnEdges(const Mesh& mesh, const DrawnEdges& which, Progress& progress);

}  // namespace ovrix::geo
