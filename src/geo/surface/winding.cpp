#include "geo/surface/winding.h"

#include <algorithm>

namespace ovrix::geo {

namespace {

/// Of a triangle as it is seen from a place: Van Oosterom and Strackee, "The Solid Angle of a Plane
/// Triangle", IEEE Trans. Biomed. Eng. 30(2), 1983. In double: near the plane small differences decide.
double solidAngle(const std::array<V3f, 3>& corners, const V3f& place) {
    const V3d a(corners[0] - place), b(corners[1] - place), c(corners[2] - place);
    const double la = a.length(), lb = b.length(), lc = c.length();
    const double above = a.dot(b.cross(c));
    const double below = la * lb * lc + a.dot(b) * lc + b.dot(c) * la + c.dot(a) * lb;
    return 2.0 * std::atan2(above, below);
}

V3f middleOf(const std::array<V3f, 3>& t) { return (t[0] + t[1] + t[2]) / 3.0f; }

}  // namespace

WindingNumber::WindingNumber(const Mesh& mesh) {
    const auto positions = mesh.positions();
    corners_.reserve(mesh.triangles().size());
    for (const Triangle& t : mesh.triangles())
        corners_.push_back({positions[mesh.cornerPoint[t[0]]], positions[mesh.cornerPoint[t[1]]],
                            positions[mesh.cornerPoint[t[2]]]});
    if (!corners_.empty()) build(0, uint32_t(corners_.size()));
    findRims(mesh);
}

/// Edges that more triangles run along one way than the other, as many together as make few of all.
void WindingNumber::findRims(const Mesh& mesh) {
    constexpr size_t kMost = 512;
    struct Edge {
        uint32_t a, b;
        int way;
    };
    std::vector<Edge> edges;
    edges.reserve(mesh.triangles().size() * 3);
    for (const Triangle& t : mesh.triangles())
        for (size_t k = 0; k < 3; ++k) {
            const uint32_t a = mesh.cornerPoint[t[k]], b = mesh.cornerPoint[t[(k + 1) % 3]];
            if (a != b) edges.push_back(a < b ? Edge{a, b, 1} : Edge{b, a, -1});
        }
    std::sort(edges.begin(), edges.end(),
              [](const Edge& p, const Edge& q) { return std::pair(p.a, p.b) < std::pair(q.a, q.b); });
    std::vector<Edge> open;
    for (size_t i = 0; i < edges.size();) {
        Edge sum = edges[i];
        for (++i; i < edges.size() && edges[i].a == sum.a && edges[i].b == sum.b; ++i)
            sum.way += edges[i].way;
        if (sum.way != 0) open.push_back(sum);
    }
    const auto positions = mesh.positions();
    const size_t each = (open.size() + kMost - 1) / kMost;
    for (size_t begin = 0; begin < open.size(); begin += each) {
        Box3f box;
        Rim rim{V3f(0.0f), 0.0f, 0.0f};
        const size_t end = std::min(open.size(), begin + each);
        for (size_t i = begin; i < end; ++i) {
            const V3f a = positions[open[i].a], b = positions[open[i].b];
            box.extendBy(a), box.extendBy(b);
            rim.length += (b - a).length() * float(std::abs(open[i].way));
        }
        rim.middle = box.center(), rim.radius = box.size().length() * 0.5f;
        rims_.push_back(rim);
    }
}

float WindingNumber::changeWithin(const V3f& place, float reach) const {
    float slope = 0.0f;
    for (const Rim& rim : rims_) {
        const float near = (rim.middle - place).length() - rim.radius - reach;
        if (!(near > 0.0f)) return std::numeric_limits<float>::infinity();
        slope += rim.length / (near * near);
    }
    return reach * slope / (4.0f * kPi);
}

void WindingNumber::build(uint32_t first, uint32_t count) {
    constexpr uint32_t kLeaf = 8;
    const size_t own = nodes_.size();
    nodes_.emplace_back();
    V3d middle(0.0), dipole(0.0), plain(0.0);
    double area = 0.0;
    Box3f box;
    for (uint32_t i = first; i < first + count; ++i) {
        const auto& t = corners_[i];
        const V3d twice = V3d(t[1] - t[0]).cross(V3d(t[2] - t[0]));
        const double half = 0.5 * twice.length();
        middle += V3d(middleOf(t)) * half, plain += V3d(middleOf(t));
        dipole += twice * 0.5, area += half;
        box.extendBy(middleOf(t));
    }
    Node node{V3f(area > 0.0 ? middle / area : plain / double(count)), V3f(dipole), 0.0f, first, count, 0};
    for (uint32_t i = first; i < first + count; ++i)
        for (const V3f& corner : corners_[i])
            node.radius = std::max(node.radius, (corner - node.middle).length());
    if (count > kLeaf) {
        const int axis = int(box.majorAxis());
        const auto begin = corners_.begin() + std::ptrdiff_t(first), half = begin + std::ptrdiff_t(count / 2);
        std::nth_element(begin, half, begin + std::ptrdiff_t(count),
                         [&](const auto& a, const auto& b) { return middleOf(a)[axis] < middleOf(b)[axis]; });
        build(first, count / 2);
        build(first + count / 2, count - count / 2);
    }
    node.next = uint32_t(nodes_.size());
    nodes_[own] = node;
}

float WindingNumber::at(const V3f& place) const {
    constexpr float kFar = 3.0f;  // radii from which a part counts as a dipole
    double sum = 0.0;
    for (uint32_t n = 0; n < nodes_.size();) {
        const Node& node = nodes_[n];
        const V3f to = node.middle - place;
        const float distance = to.length();
        if (distance > kFar * node.radius) {
            sum += double(to.dot(node.dipole)) / (double(distance) * double(distance) * double(distance));
            n = node.next;
        } else if (node.next == n + 1) {
            for (uint32_t i = node.first; i < node.first + node.count; ++i)
                sum += solidAngle(corners_[i], place);
            ++n;
        } else {
            ++n;
        }
    }
    return float(sum / (4.0 * double(kPi)));
}

}  // namespace ovrix::geo
