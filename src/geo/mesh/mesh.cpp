#include "geo/mesh/mesh.h"

#include <fmt/format.h>

#include <algorithm>
#include <numeric>
#include <tuple>

#include "base/hash.h"
#include "base/parallel.h"

namespace ovrix::geo {

void Mesh::addFace(std::span<const uint32_t> pointIndices) {
    cornerPoint.insert(cornerPoint.end(), pointIndices.begin(), pointIndices.end());
    faceStart.push_back(uint32_t(cornerPoint.size()));
}

void Mesh::addFace(std::initializer_list<uint32_t> pointIndices) {
    addFace(std::span<const uint32_t>(pointIndices.begin(), pointIndices.size()));
}

namespace {

/// Where the corners of a mesh stand. An attribute is looked up by its name, which is too much for every
/// corner.
class Corners {
  public:
    explicit Corners(const Mesh& mesh) : position_(mesh.positions()), point_(mesh.cornerPoint) {}
    const V3f& operator[](uint32_t corner) const { return position_[point_[corner]]; }

  private:
    std::span<const V3f> position_;
    std::span<const uint32_t> point_;
};

/// Newell's normal: right for faces that are not flat or not convex; its length is twice the area.
V3f faceNormal(const Corners& at, uint32_t begin, uint32_t end) {
    V3f sum(0.0f);
    for (uint32_t c = begin; c < end; ++c) {
        const V3f &a = at[c], &b = at[c + 1 < end ? c + 1 : begin];
        sum += V3f((a.y - b.y) * (a.z + b.z), (a.z - b.z) * (a.x + b.x), (a.x - b.x) * (a.y + b.y));
    }
    return sum;
}

float cross2(const V2f& a, const V2f& b, const V2f& c) { return (b - a).cross(c - a); }

bool insideTriangle(const V2f& p, const V2f& a, const V2f& b, const V2f& c) {
    return cross2(a, b, p) >= 0 && cross2(b, c, p) >= 0 && cross2(c, a, p) >= 0;
}

/// Splits a polygon by cutting ears; the rest becomes a fan when no ear is left (a self-crossing face).
class EarCutter {
  public:
    EarCutter(const Corners& at, uint32_t begin, uint32_t end) {
        V3f n = faceNormal(at, begin, end), t, b;
        if (n.length() == 0.0f) n = V3f(0, 1, 0);
        basis(n.normalized(), t, b);
        for (uint32_t c = begin; c < end; ++c) {
            const V3f& p = at[c];
            flat_.push_back(V2f(p.dot(t), p.dot(b)));
            left_.push_back(c - begin);
        }
        first_ = begin;
    }

    template <class Emit>
    void cut(const Emit& emit) {
        while (left_.size() > 3) {
            const size_t ear = findEar();
            emitAt(ear, emit);
            left_.erase(left_.begin() + std::ptrdiff_t(ear));
        }
        emitAt(1, emit);
    }

  private:
    size_t findEar() const {
        const size_t n = left_.size();
        for (size_t i = 1; i <= n; ++i)
            if (isEar(i % n)) return i % n;
        return 1;
    }
    bool isEar(size_t i) const {
        const size_t n = left_.size();
        const uint32_t before = left_[(i + n - 1) % n], here = left_[i], after = left_[(i + 1) % n];
        const V2f &a = flat_[before], &b = flat_[here], &c = flat_[after];
        if (cross2(a, b, c) <= 0) return false;
        for (uint32_t other : left_)
            if (other != before && other != here && other != after && insideTriangle(flat_[other], a, b, c))
                return false;
        return true;
    }
    template <class Emit>
    void emitAt(size_t i, const Emit& emit) const {
        const size_t n = left_.size();
        emit(Triangle{first_ + left_[(i + n - 1) % n], first_ + left_[i], first_ + left_[(i + 1) % n]});
    }

    std::vector<V2f> flat_;
    std::vector<uint32_t> left_;
    uint32_t first_ = 0;
};

/// Whether cutting a quad from its first to its third corner is what the ear cutter would do: most quads are
/// so, and need no lists.
bool splitsAtOnce(const Corners& at, uint32_t begin) {
    V3f n = faceNormal(at, begin, begin + 4), t, b;
    if (n.length() == 0.0f) return false;
    basis(n.normalized(), t, b);
    V2f p[4];
    for (uint32_t k = 0; k < 4; ++k) p[k] = V2f(at[begin + k].dot(t), at[begin + k].dot(b));
    return cross2(p[0], p[1], p[2]) > 0 && !insideTriangle(p[3], p[0], p[1], p[2]);
}

}  // namespace

void Mesh::makeTriangles() {
    const Corners at(*this);
    triangles_.clear();
    triangleFace_.clear();
    triangles_.reserve(cornerPoint.size() > 2 * faceCount() ? cornerPoint.size() - 2 * faceCount() : 0);
    for (size_t f = 0; f < faceCount(); ++f) {
        const uint32_t begin = faceStart[f], end = faceStart[f + 1];
        const auto emit = [&](const Triangle& t) {
            triangles_.push_back(t);
            triangleFace_.push_back(uint32_t(f));
        };
        if (end - begin == 3) emit({begin, begin + 1, begin + 2});
        if (end - begin == 4 && splitsAtOnce(at, begin)) {
            emit({begin, begin + 1, begin + 2});
            emit({begin, begin + 2, begin + 3});
        } else if (end - begin > 3) {
            EarCutter(at, begin, end).cut(emit);
        }
    }
    bool same = triangles_.size() == faceCount();
    for (size_t t = 0; same && t < triangleFace_.size(); ++t) same = triangleFace_[t] == t;
    if (same) triangleFace_ = {};
}

void Mesh::finish() {
    const auto p = positions();
    for (size_t i = 0; i < p.size(); ++i)
        if (!isFinite(p[i])) throw Error(fmt::format("the position of point {} is not a number", i));
    for (size_t c = 0; c < cornerPoint.size(); ++c)
        if (cornerPoint[c] >= p.size())
            throw Error(fmt::format("a face refers to point {} of {}", cornerPoint[c] + 1, p.size()));
    if (corners.empty()) corners.resize(cornerPoint.size());
    if (faces.empty()) faces.resize(faceCount());
    if (corners.size() != cornerPoint.size() || faces.size() != faceCount())
        throw Error("the mesh's attributes do not match its faces");
    if (const uint64_t topology = topologyOf(*this); topology != cutFaces_) {
        makeTriangles();
        cutFaces_ = topology;
    }
    if (normals().empty()) computeNormals(*this, 40.0f);
    bounds_ = Box3f();
    for (const V3f& q : p) bounds_.extendBy(q);
}

bool Mesh::cutAs(const Mesh& other) {
    if (faceStart != other.faceStart || cornerPoint != other.cornerPoint) return false;
    triangles_ = other.triangles_, triangleFace_ = other.triangleFace_;
    return true;
}

void Mesh::takeTriangles(std::vector<Triangle> triangles, std::vector<uint32_t> faceOf) {
    triangles_ = std::move(triangles), triangleFace_ = std::move(faceOf);
    cutFaces_ = topologyOf(*this);
}

uint64_t topologyOf(const Mesh& mesh) {
    const auto bytes = [](const auto& list) {
        return std::string_view(reinterpret_cast<const char*>(list.data()), list.size() * sizeof(list[0]));
    };
    return Hasher().add(bytes(mesh.faceStart)).add(bytes(mesh.cornerPoint)).value();
}

size_t Mesh::bytes() const {
    return points.bytes() + corners.bytes() + faces.bytes() + faceStart.size() * 4 + cornerPoint.size() * 4 +
           triangles_.size() * sizeof(Triangle) + triangleFace_.size() * 4;
}

namespace {

struct CornerList {  // corners around each point, in compressed rows
    std::vector<uint32_t> start, corner;
    explicit CornerList(const Mesh& mesh)
        : start(mesh.points.size() + 1, 0), corner(mesh.cornerPoint.size()) {
        for (uint32_t p : mesh.cornerPoint) ++start[p + 1];
        for (size_t i = 1; i < start.size(); ++i) start[i] += start[i - 1];
        std::vector<uint32_t> next(start.begin(), start.end() - 1);
        for (uint32_t c = 0; c < mesh.cornerPoint.size(); ++c) corner[next[mesh.cornerPoint[c]]++] = c;
    }
};

float cornerAngle(const Corners& at, uint32_t begin, uint32_t end, uint32_t c) {
    const V3f& p = at[c];
    const V3f a = at[c > begin ? c - 1 : end - 1] - p;
    const V3f b = at[c + 1 < end ? c + 1 : begin] - p;
    const float scale = a.length() * b.length();
    return scale > 0.0f ? std::acos(std::clamp(a.dot(b) / scale, -1.0f, 1.0f)) : 0.0f;
}

}  // namespace

void computeNormals(Mesh& mesh, float creaseDegrees) {
    std::vector<V3f> flat(mesh.faceCount());
    std::vector<float> angle(mesh.cornerPoint.size());
    std::vector<uint32_t> face(mesh.cornerPoint.size());
    const Corners at(mesh);
    parallelFor(mesh.faceCount(), Progress::none(), [&](size_t f) {
        const uint32_t begin = mesh.faceStart[f], end = mesh.faceStart[f + 1];
        flat[f] = faceNormal(at, begin, end).normalized();
        for (uint32_t c = begin; c < end; ++c) {
            angle[c] = cornerAngle(at, begin, end, c);
            face[c] = uint32_t(f);
        }
    });
    const CornerList around(mesh);
    const float limit = std::cos(radians(creaseDegrees));
    auto normal = mesh.corners.add<V3f>("N");
    parallelFor(mesh.cornerPoint.size(), Progress::none(), [&](size_t c) {
        const V3f own = flat[face[c]];
        const uint32_t p = mesh.cornerPoint[c];
        V3f sum(0.0f);
        for (uint32_t i = around.start[p]; i < around.start[p + 1]; ++i) {
            const uint32_t other = around.corner[i];
            if (flat[face[other]].dot(own) >= limit) sum += flat[face[other]] * angle[other];
        }
        normal[c] = sum.length() > 0.0f ? sum.normalized() : (own.length() > 0.0f ? own : V3f(0, 1, 0));
    });
}

void reverseFaces(Mesh& mesh) {
    const auto turn = [&](auto values) {
        if (values.empty()) return;
        for (size_t f = 0; f < mesh.faceCount(); ++f)
            std::reverse(values.begin() + mesh.faceStart[f], values.begin() + mesh.faceStart[f + 1]);
    };
    turn(std::span<uint32_t>(mesh.cornerPoint));
    if (mesh.corners.has("N")) turn(mesh.corners.add<V3f>("N"));
    if (mesh.corners.has("uv")) turn(mesh.corners.add<V2f>("uv"));
}

MeshPtr transformed(const Mesh& mesh, const M44f& matrix) {
    auto out = std::make_shared<Mesh>(mesh);
    const M44f inverse = matrix.inverse();
    const bool mirrors = matrix.determinant() < 0.0f;
    auto p = out->points.add<V3f>("P");
    parallelFor(p.size(), Progress::none(), [&](size_t i) { matrix.multVecMatrix(V3f(p[i]), p[i]); });
    auto n = out->corners.add<V3f>("N");
    const M44f forNormals = inverse.transposed();
    parallelFor(n.size(), Progress::none(), [&](size_t i) {
        V3f moved;
        forNormals.multDirMatrix(n[i], moved);
        n[i] = moved.length() > 0.0f ? moved.normalized() : V3f(0, 1, 0);
    });
    if (mirrors) reverseFaces(*out);
    out->finish();
    return out;
}

namespace {

struct EdgeUse {
    uint64_t key;
    bool forward;
    bool operator<(const EdgeUse& o) const { return key != o.key ? key < o.key : forward < o.forward; }
};

bool isDegenerate(const Mesh& mesh, const Corners& at, uint32_t begin, uint32_t end) {
    if (end - begin < 3) return true;
    for (uint32_t c = begin; c < end; ++c)
        for (uint32_t d = c + 1; d < end; ++d)
            if (mesh.cornerPoint[c] == mesh.cornerPoint[d]) return true;
    return !(faceNormal(at, begin, end).length() > 0.0f);
}

}  // namespace

MeshReport inspect(const Mesh& mesh) {
    const Corners at(mesh);
    MeshReport report;
    std::vector<EdgeUse> edges;
    edges.reserve(mesh.cornerPoint.size());
    for (size_t f = 0; f < mesh.faceCount(); ++f) {
        const uint32_t begin = mesh.faceStart[f], end = mesh.faceStart[f + 1];
        if (isDegenerate(mesh, at, begin, end)) {
            ++report.degenerateFaces;
            continue;
        }
        for (uint32_t c = begin; c < end; ++c) {
            const uint32_t a = mesh.cornerPoint[c], b = mesh.cornerPoint[c + 1 < end ? c + 1 : begin];
            edges.push_back({uint64_t(std::min(a, b)) << 32 | std::max(a, b), a < b});
        }
    }
    parallelSort(edges);
    for (size_t i = 0; i < edges.size();) {
        size_t j = i;
        size_t forward = 0;
        for (; j < edges.size() && edges[j].key == edges[i].key; ++j) forward += edges[j].forward;
        if (j - i == 1) ++report.openEdges;
        if (j - i > 2) ++report.nonManifoldEdges;
        if (j - i == 2 && forward != 1) ++report.flippedEdges;
        i = j;
    }
    return report;
}

bool isClosed(const Mesh& mesh) {
    const MeshReport report = inspect(mesh);
    return report.openEdges == 0 && report.nonManifoldEdges == 0 && !mesh.triangles().empty();
}

std::vector<uint32_t> orderByPlace(std::span<const V3f> p) {
    std::vector<uint32_t> order(p.size());
    std::iota(order.begin(), order.end(), 0u);
    const auto key = [&](uint32_t i) { return std::tuple(p[i].x, p[i].y, p[i].z, i); };
    std::sort(order.begin(), order.end(), [&](uint32_t a, uint32_t b) { return key(a) < key(b); });
    return order;
}

}  // namespace ovrix::geo
