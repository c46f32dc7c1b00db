#include "geo/points/merge.h"

#include "base/parallel.h"

namespace ovrix::geo {

namespace {

const Mesh* meshOf(const std::vector<MeshPtr>& prototypes, int32_t which) {
    return which >= 0 && size_t(which) < prototypes.size() ? prototypes[size_t(which)].get() : nullptr;
}

/// Where each copy's points, corners and faces begin in the whole.
struct Starts {
    std::vector<size_t> point, corner, face, triangle;
    Starts(const Copies& copies, const std::vector<MeshPtr>& prototypes) {
        size_t points = 0, corners = 0, faces = 0, triangles = 0;
        const auto add = [&] {
            point.push_back(points), corner.push_back(corners), face.push_back(faces);
            triangle.push_back(triangles);
        };
        for (int32_t which : copies.attributes.find<int32_t>("prototype")) {
            add();
            const Mesh* m = meshOf(prototypes, which);
            if (!m) continue;
            points += m->points.size(), corners += m->cornerPoint.size(), faces += m->faceCount();
            triangles += m->triangles().size();
        }
        add();
    }
};

}  // namespace

double mergedBytes(const Copies& copies, const std::vector<MeshPtr>& prototypes) {
    double bytes = 0;
    for (int32_t which : copies.attributes.find<int32_t>("prototype"))
        if (const Mesh* m = meshOf(prototypes, which)) bytes += double(m->bytes());
    return bytes;
}

MeshPtr mergedCopies(const Copies& copies, const std::vector<MeshPtr>& prototypes, bool slotPerPrototype) {
    const Starts starts(copies, prototypes);
    if (starts.corner.back() > UINT32_MAX)
        throw Error("the copies are too many for one mesh", {}, "Lower their count");
    const auto which = copies.attributes.find<int32_t>("prototype");
    bool uv = true;
    for (const MeshPtr& m : prototypes) uv = uv && (!m || !m->uvs().empty());
    auto out = std::make_shared<Mesh>();
    out->points.set("P", std::vector<V3f>(starts.point.back()));
    out->corners.set("N", std::vector<V3f>(starts.corner.back()));
    if (uv) out->corners.set("uv", std::vector<V2f>(starts.corner.back()));
    if (slotPerPrototype) {
        out->faces.set("slot", std::vector<int32_t>(starts.face.back()));
        out->slotNames = copies.prototypes;
    }
    out->cornerPoint.resize(starts.corner.back());
    out->faceStart.resize(starts.face.back() + 1);
    out->faceStart.back() = uint32_t(starts.corner.back());
    auto p = out->points.add<V3f>("P");
    auto n = out->corners.add<V3f>("N");
    auto outUv = uv ? out->corners.add<V2f>("uv") : std::span<V2f>();
    auto slot = slotPerPrototype ? out->faces.add<int32_t>("slot") : std::span<int32_t>();
    // Faces are cut as the prototypes' are, however a copy is turned.
    std::vector<Triangle> triangles(starts.triangle.back());
    std::vector<uint32_t> triangleFaces(starts.triangle.back());
    const ElementPlaces places(copies.attributes);
    parallelFor(which.size(), Progress::none(), [&](size_t i) {
        const Mesh* m = meshOf(prototypes, which[i]);
        if (!m) return;
        const M44f matrix = places.matrix(i);
        const M44f forNormals = matrix.inverse().transposed();
        for (size_t k = 0; k < m->points.size(); ++k)
            matrix.multVecMatrix(m->positions()[k], p[starts.point[i] + k]);
        for (size_t k = 0; k < m->cornerPoint.size(); ++k) {
            const size_t c = starts.corner[i] + k;
            out->cornerPoint[c] = m->cornerPoint[k] + uint32_t(starts.point[i]);
            V3f turned;
            forNormals.multDirMatrix(m->normals()[k], turned);
            n[c] = turned.length() > 0.0f ? turned.normalized() : V3f(0, 1, 0);
            if (uv) outUv[c] = m->uvs()[k];
        }
        for (size_t f = 0; f < m->faceCount(); ++f) {
            out->faceStart[starts.face[i] + f] = m->faceStart[f] + uint32_t(starts.corner[i]);
            if (slotPerPrototype) slot[starts.face[i] + f] = which[i];
        }
        for (size_t t = 0; t < m->triangles().size(); ++t) {
            for (size_t k = 0; k < 3; ++k)
                triangles[starts.triangle[i] + t][k] = m->triangles()[t][k] + uint32_t(starts.corner[i]);
            triangleFaces[starts.triangle[i] + t] = m->triangleFace(t) + uint32_t(starts.face[i]);
        }
    });
    out->takeTriangles(std::move(triangles), std::move(triangleFaces));
    out->finish();
    return out;
}

}  // namespace ovrix::geo
