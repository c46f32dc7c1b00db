#include "geo/mesh/primitives.h"

#include "base/noise.h"
#include "base/random.h"

namespace ovrix::geo {

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

MeshPtr makeGridMesh(const GridShape& grid, const std::function<V3f(float, float)>& position) {
    auto mesh = std::make_shared<Mesh>();
    mesh->points.resize(grid.pointCount());
    auto p = mesh->points.add<V3f>("P");
    for (int j = 0; j < grid.pointRows(); ++j)
        for (int i = 0; i < grid.pointColumns(); ++i)
            p[grid.point(i, j)] = position(float(i) / float(grid.columns), float(j) / float(grid.rows));
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

MeshPtr makeGrid(int columns, int rows, const std::function<V3f(float, float)>& position) {
    return makeGridMesh({clampDivisions(columns, 1), clampDivisions(rows, 1)}, position);
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

namespace {

/// How one blade of a tuft differs from the others.
struct BladeOwn {
    V3f root{0, 0, 0};
    float heading = 0, size = 1, bend = 1;
    int cell = 0;
};

void addBlade(Mesh& mesh, std::vector<V3f>& points, std::vector<V2f>& uv, const BladeOptions& o,
              const BladeOwn& own, uint32_t seed) {
    const int segments = std::clamp(o.segments, 1, 256);
    const uint32_t first = uint32_t(points.size());
    const float step = o.height * own.size / float(segments);
    const V2f cell(1.0f / float(o.columns), 1.0f / float(o.rows));
    const auto row = own.cell / o.columns;
    const V2f corner(float(own.cell % o.columns) * cell.x, 1.0f - float(row + 1) * cell.y);
    V3f at = own.root;
    for (int k = 0; k <= segments; ++k) {
        const float t = float(k) / float(segments);
        const float lean = o.bend * own.bend * t + o.curl * t * t * t;
        const float sway = o.wave * gradientNoise(V3f(0.37f, 2.0f * t, 0.71f), seed);
        const float turn = own.heading + o.twist * t + sway;
        // Forward, along and across of the blade at t.
        const V3f ahead(std::sin(turn), 0, std::cos(turn)), across(std::cos(turn), 0, -std::sin(turn));
        const V3f along = ahead * std::sin(lean) + V3f(0, 1, 0) * std::cos(lean);
        const V3f face = across.cross(along);
        const float half = 0.5f * o.width * own.size * o.profile.at(t);
        for (int side = -1; side <= 1; ++side)
            points.push_back(at + across * (half * float(side)) - face * (o.fold * half * float(side != 0)));
        if (k < segments) at += along * step;
    }
    const auto texture = [&](int k, int side) {
        return V2f(corner.x + cell.x * (0.5f + 0.5f * float(side)),
                   corner.y + cell.y * float(k) / float(segments));
    };
    for (int k = 0; k < segments; ++k)
        for (int side = -1; side < 1; ++side) {
            const uint32_t a = first + uint32_t(3 * k + side + 1);
            mesh.addFace({a, a + 1, a + 4, a + 3});
            uv.insert(uv.end(), {texture(k, side), texture(k, side + 1), texture(k + 1, side + 1),
                                 texture(k + 1, side)});
        }
}

}  // namespace

MeshPtr makeBlades(const BladeOptions& given) {
    BladeOptions o = given;
    o.columns = std::max(1, o.columns), o.rows = std::max(1, o.rows);
    auto mesh = std::make_shared<Mesh>();
    std::vector<V3f> points;
    std::vector<V2f> uv;
    const int count = std::clamp(o.blades, 1, 512), pictures = o.columns * o.rows;
    std::erase_if(o.cells, [&](int cell) { return cell < 0 || cell >= pictures; });
    for (int i = 0; i < count; ++i) {
        const Random4 r = random4(o.seed, uint64_t(i), Stream::Place);
        BladeOwn own;
        own.cell = o.cells.empty() ? i % pictures : o.cells[size_t(i) % o.cells.size()];
        if (count > 1) {
            const float angle = 2.0f * kPi * r[0], away = std::sqrt(r[1]);
            own.root = V3f(std::sin(angle), 0, std::cos(angle)) * (o.spread * away);
            own.heading = angle + (r[2] - 0.5f) * 1.2f;
            own.size = 1.0f - 0.45f * r[3] * (0.4f + 0.6f * away);
            own.bend = 0.3f + 0.9f * away + 0.4f * (r[2] - 0.5f);
        }
        addBlade(*mesh, points, uv, o, own, o.seed + uint32_t(i) * 31u);
    }
    mesh->points.set("P", std::move(points));
    mesh->corners.set("uv", std::move(uv));
    mesh->finish();
    return mesh;
}

}  // namespace ovrix::geo
