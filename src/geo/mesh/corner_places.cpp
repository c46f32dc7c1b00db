#include "geo/mesh/corner_places.h"

namespace ovrix::geo {

CornerPlaces::CornerPlaces(const Mesh& mesh)
    : position(mesh.cornerPoint.size()),
      id(position.size()),
      triangle(position.size(), 0),
      bary(position.size(), V2f(0.0f)) {
    for (size_t c = 0; c < position.size(); ++c) {
        position[c] = mesh.cornerPosition(uint32_t(c));
        id[c] = mesh.cornerPoint[c];
    }
    for (size_t t = 0; t < mesh.triangles().size(); ++t)
        for (size_t k = 0; k < 3; ++k) {
            triangle[mesh.triangles()[t][k]] = int32_t(t);
            bary[mesh.triangles()[t][k]] = V2f(float(k == 1), float(k == 2));
        }
}

}  // namespace ovrix::geo
