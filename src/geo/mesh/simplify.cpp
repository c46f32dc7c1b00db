#include "geo/mesh/simplify.h"

#include <meshoptimizer.h>

namespace ovrix::geo {

std::vector<uint32_t> simplifiedCorners(const Mesh& mesh, size_t targetTriangles) {
    std::vector<uint32_t> corners;
    std::vector<unsigned> points;
    for (const Triangle& t : mesh.triangles())
        for (uint32_t c : t) {
            corners.push_back(c);
            points.push_back(mesh.cornerPoint[c]);
        }
    if (mesh.triangles().size() <= targetTriangles) return corners;
    std::vector<unsigned> coarse(points.size());
    const auto p = mesh.positions();
    float error = 0;
    coarse.resize(meshopt_simplifySloppy(coarse.data(), points.data(), points.size(), &p[0].x, p.size(),
                                         sizeof(V3f), targetTriangles * 3, 1.0f, &error));
    std::vector<uint32_t> cornerOf(p.size(), 0);  // any corner of a point stands for it
    for (uint32_t c = 0; c < mesh.cornerPoint.size(); ++c) cornerOf[mesh.cornerPoint[c]] = c;
    std::vector<uint32_t> out;
    out.reserve(coarse.size());
    for (unsigned q : coarse) out.push_back(cornerOf[q]);
    return out;
}

std::vector<uint32_t> coarseCorners(const Mesh& mesh) {
    const size_t triangles = mesh.triangles().size();
    return simplifiedCorners(
        mesh, triangles > 20000 ? triangles / 6 : std::min<size_t>(triangles, 60 + triangles / 12));
}

}  // namespace ovrix::geo
