#include "geo/primitives.h"

#include "base/noise.h"

namespace ovrix {

namespace {

/// A grid whose columns (and, for a torus, rows) close on themselves, and whose end rows may be single
/// points.
struct GridShape {
    int columns, rows;
    bool closeColumns = false, closeRows = false, poles = false;
    int pointColumns() const { return closeColumns ? columns : columns + 1; }
    int pointRows() const { return closeRows ? rows : rows + 1; }
    uint32_t point(int i, int j) const {
        i %= pointColumns();
        j %= pointRows();
        if (!poles) return uint32_t(j * pointColumns() + i);
        if (j == 0) return 0;
        if (j == rows) return uint32_t(1 + (rows - 1) * pointColumns());
        return uint32_t(1 + (j - 1) * pointColumns() + i);
    }
    size_t pointCount() const {
        return poles ? size_t(rows - 1) * size_t(pointColumns()) + 2
                     : size_t(pointColumns()) * size_t(pointRows());
    }
};

MeshPtr makeGridMesh(const GridShape& grid, const std::function<V3f(float, float)>& place) {
    auto mesh = std::make_shared<Mesh>();
    mesh->points.resize(grid.pointCount());
    auto p = mesh->points.add<V3f>("P");
    for (int j = 0; j < grid.pointRows(); ++j)
        for (int i = 0; i < grid.pointColumns(); ++i)
            p[grid.point(i, j)] = place(float(i) / float(grid.columns), float(j) / float(grid.rows));
    std::vector<V2f> uv;
    const auto corner = [&](std::vector<uint32_t>& face, int i, int j, float u) {
        face.push_back(grid.point(i, j));
        uv.push_back(V2f(u / float(grid.columns), float(j) / float(grid.rows)));
    };
    std::vector<uint32_t> face;
    for (int j = 0; j < grid.rows; ++j)
        for (int i = 0; i < grid.columns; ++i) {
            face.clear();
            const bool bottom = grid.poles && j == 0, top = grid.poles && j == grid.rows - 1;
            const float u = float(i), middle = u + 0.5f;
            corner(face, i, j, bottom ? middle : u);
            if (!bottom) corner(face, i + 1, j, u + 1);
            corner(face, i + 1, j + 1, top ? middle : u + 1);
            if (!top) corner(face, i, j + 1, u);
            mesh->addFace(face);
        }
    mesh->corners.set("uv", std::move(uv));
    mesh->finish();
    return mesh;
}

int clampDivisions(int n, int least) { return std::clamp(n, least, 2048); }

}  // namespace

MeshPtr makeGrid(int columns, int rows, const std::function<V3f(float, float)>& place) {
    return makeGridMesh({clampDivisions(columns, 1), clampDivisions(rows, 1)}, place);
}

MeshPtr makePlane(float size, int divisions) {
    return makeGrid(divisions, divisions,
                    [size](float u, float v) { return V3f((u - 0.5f) * size, 0, (0.5f - v) * size); });
}

MeshPtr makeSphere(float radius, int segments) {
    const int around = clampDivisions(segments, 3);
    const GridShape grid{around, std::max(2, around / 2), true, false, true};
    return makeGridMesh(grid, [radius](float u, float v) {
        const float theta = kPi * v, phi = -2.0f * kPi * u;
        return V3f(std::sin(theta) * std::cos(phi), -std::cos(theta), std::sin(theta) * std::sin(phi)) *
               radius;
    });
}

MeshPtr makeTorus(float radius, float tube, int segments) {
    const int around = clampDivisions(segments, 3);
    const GridShape grid{around, std::max(3, around / 2), true, true, false};
    return makeGridMesh(grid, [radius, tube](float u, float v) {
        const float phi = -2.0f * kPi * u, psi = 2.0f * kPi * v;
        const float r = radius + tube * std::cos(psi);
        return V3f(r * std::cos(phi), tube * std::sin(psi), r * std::sin(phi));
    });
}

MeshPtr makeTerrain(const TerrainOptions& o) {
    return makeGrid(o.divisions, o.divisions, [&o](float u, float v) {
        const float x = (u - 0.5f) * o.size, z = (0.5f - v) * o.size;
        const V3f p = V3f(x, 0, z) / std::max(o.featureSize, 1e-4f);
        const float soft = fractalNoise(p, o.seed, {6, 0.5f, 2.0f, NoiseKind::Soft});
        const float sharp = fractalNoise(p, o.seed + 7, {6, 0.5f, 2.0f, NoiseKind::Ridged});
        return V3f(x, o.height * lerp(soft, sharp, o.ridges), z);
    });
}

}  // namespace ovrix
