#include "geo/mesh/drawn_edges.h"

#include <algorithm>
#include <tuple>

namespace ovrix::geo {

namespace {

/// Of each point the first that lies where it does.
std::vector<uint32_t> firstInPlace(std::span<const V3f> p, Progress& progress) {
    const std::vector<uint32_t> order = orderByPlace(p);
    std::vector<uint32_t> first(p.size());
    progress.check();
    for (size_t i = 0; i < order.size(); ++i)
        first[order[i]] = i > 0 && p[order[i]] == p[order[i - 1]] ? first[order[i - 1]] : order[i];
    return first;
}

struct Edge {
    uint32_t from, to, triangle;
    bool turned;  ///< its triangle goes along it from the greater point to the lesser
    bool operator<(const Edge& o) const {
        return std::tie(from, to, triangle) < std::tie(o.from, o.to, o.triangle);
    }
};

std::vector<Edge> edgesOf(const Mesh& mesh, Progress& progress) {
    const std::vector<uint32_t> place = firstInPlace(mesh.positions(), progress);
    const auto& triangles = mesh.triangles();
    std::vector<Edge> edges;
    edges.reserve(triangles.size() * 3);
    for (size_t t = 0; t < triangles.size(); ++t)
        for (size_t k = 0; k < 3; ++k) {
            const uint32_t a = place[mesh.cornerPoint[triangles[t][k]]],
                           b = place[mesh.cornerPoint[triangles[t][(k + 1) % 3]]];
            if (a != b) edges.push_back({std::min(a, b), std::max(a, b), uint32_t(t), a > b});
        }
    progress.check();
    std::sort(edges.begin(), edges.end());
    progress.check();
    return edges;
}

/// Unit, or 0 where it has no area.
V3f normalOf(const Mesh& mesh, uint32_t triangle) {
    const Triangle& t = mesh.triangles()[triangle];
    const V3f a = mesh.cornerPosition(t[0]);
    const V3f n = (mesh.cornerPosition(t[1]) - a).cross(mesh.cornerPosition(t[2]) - a);
    const float length = n.length();
    return length > 0.0f ? n / length : V3f(0.0f);
}

/// What a mesh shows at an edge that two faces share, or one alone has.
class EdgeTest {
  public:
    EdgeTest(const Mesh& mesh, const DrawnEdges& which)
        : mesh_(mesh), which_(which), slots_(mesh.slots()), limit_(std::cos(which.crease)) {}
    bool drawn(std::span<const Edge> faces) const {
        if (faces.size() == 1) return which_.open;
        return std::any_of(faces.begin() + 1, faces.end(), [&](const Edge& other) {
            return turns(faces[0], other) || kindOf(faces[0]) != kindOf(other);
        });
    }

  private:
    bool turns(const Edge& a, const Edge& b) const {
        if (!(which_.crease < kPi)) return false;
        const V3f m = normalOf(mesh_, a.triangle), n = normalOf(mesh_, b.triangle);
        // Two triangles that go along it the same way are wound against each other.
        const float cosine = m.dot(n) * (a.turned == b.turned ? -1.0f : 1.0f);
        return m != V3f(0.0f) && n != V3f(0.0f) && cosine < limit_;
    }
    int32_t kindOf(const Edge& e) const {
        if (which_.kinds.empty()) return 0;
        const size_t slot = slots_.empty() ? 0 : size_t(slots_[mesh_.triangleFace(e.triangle)]);
        return which_.kinds[std::min(slot, which_.kinds.size() - 1)];
    }

    const Mesh& mesh_;
    const DrawnEdges& which_;
    std::span<const int32_t> slots_;
    float limit_;
};

}  // namespace

DrawnLines drawnEdges(const Mesh& mesh, const DrawnEdges& which, Progress& progress) {
    if (!which.any()) return {};
    const std::vector<Edge> edges = edgesOf(mesh, progress);
    const EdgeTest test(mesh, which);
    DrawnLines out;
    std::vector<V3f> open;
    for (size_t i = 0, end = 0; i < edges.size(); i = end) {
        while (end < edges.size() && edges[end].from == edges[i].from && edges[end].to == edges[i].to) ++end;
        if (!test.drawn(std::span(edges).subspan(i, end - i))) continue;
        std::vector<V3f>& lines = end - i == 1 ? open : out.ends;
        lines.insert(lines.end(), {mesh.positions()[edges[i].from], mesh.positions()[edges[i].to]});
    }
    out.inner = out.ends.size();
    out.ends.insert(out.ends.end(), open.begin(), open.end());
    return out;
}

}  // namespace ovrix::geo
