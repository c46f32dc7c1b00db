#include "geo/mesh/sides.h"

#include "base/parallel.h"

namespace ovrix::geo {

MeshEdges::MeshEdges(const Mesh& mesh) {
    const auto& triangles = mesh.triangles();
    struct Side {
        uint64_t edge;  // both points, the lower one first
        uint32_t at;    // 3 * triangle + edge
        bool operator<(const Side& o) const { return edge != o.edge ? edge < o.edge : at < o.at; }
    };
    std::vector<Side> sides;
    sides.reserve(3 * triangles.size());
    begin_.assign(mesh.points.size() + 1, 0);
    for (size_t t = 0; t < triangles.size(); ++t)
        for (size_t e = 0; e < 3; ++e) {
            const uint32_t a = mesh.cornerPoint[triangles[t][e]],
                           b = mesh.cornerPoint[triangles[t][(e + 1) % 3]];
            sides.push_back({uint64_t(std::min(a, b)) << 32 | std::max(a, b), uint32_t(3 * t + e)});
            ++begin_[a + 1];
        }
    for (size_t i = 1; i < begin_.size(); ++i) begin_[i] += begin_[i - 1];
    query_.resize(3 * triangles.size());
    std::vector<uint32_t> next(begin_.begin(), begin_.end() - 1);
    for (size_t t = 0; t < triangles.size(); ++t)
        for (const uint32_t corner : triangles[t]) query_[next[mesh.cornerPoint[corner]]++] = uint32_t(t);
    // Whoever waits for these must not take up, meanwhile, work that waits for them too.
    parallelSort(sides);
    across_.assign(3 * triangles.size(), kNone);
    for (size_t i = 0; i < sides.size();) {
        size_t end = i + 1;
        while (end < sides.size() && sides[end].edge == sides[i].edge) ++end;
        if (end - i == 2)
            across_[sides[i].at] = sides[i + 1].at / 3, across_[sides[i + 1].at] = sides[i].at / 3;
        i = end;
    }
}

}  // namespace ovrix::geo
