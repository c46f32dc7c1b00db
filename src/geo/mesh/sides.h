// Which side of a mesh a place lies on.
#pragma once
#include <algorithm>
#include <memory>
#include <span>
#include <vector>

#include "geo/mesh/mesh.h"

namespace ovrix::geo {

/// Which triangles of a mesh meet at its edges and points. Immutable and thread safe; 24 bytes a triangle.
class MeshEdges {
  public:
    explicit MeshEdges(const Mesh& mesh);
    static constexpr uint32_t kNone = UINT32_MAX;
    /// The triangle on the other side of an edge: 0 from the first to the second corner, 1 to the third, 2
    /// back to the first. kNone where the edge is open or has more than two triangles.
    uint32_t across(uint32_t triangle, int edge) const {
        return across_[3 * size_t(triangle) + size_t(edge)];
    }
    /// The triangles that have a point as a corner.
    std::span<const uint32_t> around(uint32_t point) const {
        return std::span(query_).subspan(begin_[point], begin_[point + 1] - begin_[point]);
    }

  private:
    std::vector<uint32_t> across_, query_, begin_;
};

/// Whether a place with these weights of the second and third corner lies on an edge, but for rounding, and
/// which corners have no part in it.
struct NoPart {
    bool of[3];
    int count;
    NoPart(float u, float v) : of{1.0f - u - v <= kOn, u <= kOn, v <= kOn} {
        count = int(of[0]) + int(of[1]) + int(of[2]);
    }
    static constexpr float kOn = 4e-7f;
};

/// Out of the mesh at a place of a triangle, not normalised: the triangle's own normal within it, the sum of
/// both on an edge, and at a corner that of all around, each weighted by its angle there. With it the side on
/// which a point lies of its closest place is right also at sharp edges, where no one triangle's normal tells
/// it. Baerentzen and Aanaes, "Signed Distance Computation Using the Angle Weighted Pseudonormal", IEEE TVCG
/// 11(3), 2005, doi:10.1109/TVCG.2005.49.
/// @param u, v  weights of the second and third corner, as the closest place has them
/// @param edgesOf  gives the MeshEdges, when they are asked for: places within a triangle need none
/// @param at  gives the place of a corner: at(corner of the mesh)
template <class EdgesOf, class CornerAt>
V3f pseudonormal(const Mesh& mesh, const EdgesOf& edgesOf, uint32_t triangle, float u, float v,
                 const CornerAt& at) {
    const auto normal = [&](uint32_t t) {
        const Triangle& k = mesh.triangles()[t];
        const V3f a = at(k[0]), n = (at(k[1]) - a).cross(at(k[2]) - a);
        const float length = n.length();
        return length > 0 ? n / length : V3f(0.0f);
    };
    const NoPart part(u, v);
    const bool(&none)[3] = part.of;
    if (part.count == 0) return normal(triangle);
    const MeshEdges& edges = edgesOf();
    if (part.count == 1) {
        const uint32_t other = edges.across(triangle, none[2] ? 0 : none[0] ? 1 : 2);
        return other == MeshEdges::kNone ? normal(triangle) : normal(triangle) + normal(other);
    }
    const int corner = !none[0] ? 0 : !none[1] ? 1 : 2;
    const uint32_t point = mesh.cornerPoint[mesh.triangles()[triangle][size_t(corner)]];
    V3f sum(0.0f);
    for (const uint32_t t : edges.around(point)) {
        const Triangle& k = mesh.triangles()[t];
        size_t c = 0;
        while (c < 2 && mesh.cornerPoint[k[c]] != point) ++c;
        const V3f here = at(k[c]), a = at(k[(c + 1) % 3]) - here, b = at(k[(c + 2) % 3]) - here;
        const float scale = a.length() * b.length();
        if (scale > 0) sum += normal(t) * std::acos(std::clamp(a.dot(b) / scale, -1.0f, 1.0f));
    }
    return sum;
}

}  // namespace ovrix::geo
