#include "geo/mesh/curvature.h"

#include <algorithm>

namespace ovrix::geo {

namespace {

using V3 = V3d;

/// What one triangle adds: its corners' cotangent-weighted edges and its part of the mixed areas.
void addTriangle(const std::array<V3, 3>& p, const std::array<uint32_t, 3>& at, std::vector<V3>& bend,
                 std::vector<double>& area) {
    const double twice = (p[1] - p[0]).cross(p[2] - p[0]).length();
    if (!(twice > 0.0)) return;
    std::array<double, 3> cotangent;
    int obtuse = -1;
    for (int i = 0; i < 3; ++i) {
        const V3 a = p[size_t((i + 1) % 3)] - p[size_t(i)], b = p[size_t((i + 2) % 3)] - p[size_t(i)];
        cotangent[size_t(i)] = a.dot(b) / twice;
        if (a.dot(b) < 0.0) obtuse = i;
    }
    for (int i = 0; i < 3; ++i) {
        const size_t k = size_t(i), j = size_t((i + 1) % 3), l = size_t((i + 2) % 3);
        const V3 edge = p[j] - p[l];  // opposite to corner i
        bend[at[j]] += edge * cotangent[k];
        bend[at[l]] -= edge * cotangent[k];
        if (obtuse >= 0)
            area[at[k]] += twice * (i == obtuse ? 0.25 : 0.125);
        else
            area[at[k]] +=
                ((p[j] - p[k]).length2() * cotangent[l] + (p[l] - p[k]).length2() * cotangent[j]) / 8;
    }
}

uint64_t edgeKey(uint32_t a, uint32_t b) { return uint64_t(std::min(a, b)) << 32 | std::max(a, b); }

}  // namespace

std::vector<uint8_t> openPoints(const Mesh& mesh) {
    std::vector<uint64_t> edges;
    edges.reserve(mesh.triangles().size() * 3);
    for (const Triangle& t : mesh.triangles())
        for (size_t k = 0; k < 3; ++k)
            edges.push_back(edgeKey(mesh.cornerPoint[t[k]], mesh.cornerPoint[t[(k + 1) % 3]]));
    std::sort(edges.begin(), edges.end());
    std::vector<uint8_t> open(mesh.positions().size(), 0);
    for (size_t i = 0; i < edges.size();) {
        size_t end = i;
        while (end < edges.size() && edges[end] == edges[i]) ++end;
        if (end == i + 1) open[edges[i] >> 32] = open[uint32_t(edges[i])] = 1;
        i = end;
    }
    return open;
}

std::vector<float> meanCurvature(const Mesh& mesh) {
    const auto p = mesh.positions();
    std::vector<V3> bend(p.size(), V3(0.0)), normal(p.size(), V3(0.0));
    std::vector<double> area(p.size(), 0.0);
    for (const Triangle& t : mesh.triangles()) {
        std::array<V3, 3> q;
        std::array<uint32_t, 3> at;
        for (size_t k = 0; k < 3; ++k) q[k] = V3(p[at[k] = mesh.cornerPoint[t[k]]]);
        addTriangle(q, at, bend, area);
        for (uint32_t a : at) normal[a] += (q[1] - q[0]).cross(q[2] - q[0]);
    }
    const std::vector<uint8_t> open = openPoints(mesh);
    std::vector<float> out(p.size(), 0.0f);
    for (size_t i = 0; i < p.size(); ++i) {
        if (open[i] || !(area[i] > 0.0)) continue;
        const double h = bend[i].length() / (4.0 * area[i]);  // |K| / 2 with K the sum over 2 A
        if (std::isfinite(h)) out[i] = float(bend[i].dot(normal[i]) >= 0.0 ? h : -h);
    }
    return out;
}

void smoothOverPoints(const Mesh& mesh, int rounds, std::vector<float>& values) {
    std::vector<float> sum(values.size()), weight(values.size());
    for (int round = 0; round < rounds; ++round) {
        for (size_t i = 0; i < values.size(); ++i) sum[i] = values[i], weight[i] = 1.0f;
        for (const Triangle& t : mesh.triangles())
            for (size_t k = 0; k < 3; ++k) {
                const uint32_t a = mesh.cornerPoint[t[k]], b = mesh.cornerPoint[t[(k + 1) % 3]];
                sum[a] += 0.5f * values[b], weight[a] += 0.5f;  // an edge of two triangles counts once
                sum[b] += 0.5f * values[a], weight[b] += 0.5f;
            }
        for (size_t i = 0; i < values.size(); ++i) values[i] = sum[i] / weight[i];
    }
}

}  // namespace ovrix::geo
