#include "geo/mesh/tessellate.h"

#include <numeric>
#include <unordered_map>

namespace ovrix::geo {

std::vector<V3f> Tessellation::positions(std::span<const V3f> first) const {
    std::vector<V3f> out(first.begin(), first.begin() + ptrdiff_t(firstPoints));
    out.reserve(pointCount());
    for (const auto& [a, b] : between) out.push_back((out[a] + out[b]) * 0.5f);
    return out;
}

namespace {

/// For each point the one that stands for it.
std::vector<uint32_t> joined(const Mesh& mesh) {
    constexpr size_t kTried = 8;    // thousands of points in one place are no seam
    constexpr float kAway = -0.9f;  // cosine: sharp edges are seams, the two sides of a sheet are none
    const auto p = mesh.positions();
    std::vector<V3f> normal(p.size(), V3f(0.0f));
    for (size_t c = 0; c < mesh.cornerPoint.size(); ++c) normal[mesh.cornerPoint[c]] += mesh.normals()[c];
    for (V3f& n : normal) n.normalize();
    const std::vector<uint32_t> order = orderByPlace(p);
    std::vector<uint32_t> out(p.size());
    std::iota(out.begin(), out.end(), 0u);
    for (size_t begin = 0, end = 0; begin < order.size(); begin = end) {
        while (end < order.size() && p[order[end]] == p[order[begin]]) ++end;
        for (size_t i = begin + 1; i < end; ++i)
            for (size_t j = begin; j < std::min(i, begin + kTried); ++j)
                if (normal[order[i]].dot(normal[order[j]]) > kAway) {
                    out[order[i]] = out[order[j]];
                    break;
                }
    }
    return out;
}

constexpr uint32_t kWhole = UINT32_MAX;
constexpr int kRounds = 24;  // each halves the edges: enough for a plain of 100 km in centimetres

/// A piece: its points, and where they lie on the triangle that it is cut from.
struct Piece {
    std::array<uint32_t, 3> point;
    std::array<V2f, 3> bary;
};

class Cutter {
  public:
    Cutter(const Mesh& mesh, float edge) : edge2_(double(edge) * double(edge)) {
        const auto p = mesh.positions();
        position_.assign(p.begin(), p.end());
        made_.firstPoints = p.size();
        const std::vector<uint32_t> point = joined(mesh);
        for (uint32_t t = 0; t < mesh.triangles().size(); ++t) {
            const Triangle& own = mesh.triangles()[t];
            made_.corners.push_back({point[mesh.cornerPoint[own[0]]], point[mesh.cornerPoint[own[1]]],
                                     point[mesh.cornerPoint[own[2]]]});
            made_.triangle.push_back(t);
            made_.bary.push_back({V2f(0, 0), V2f(1, 0), V2f(0, 1)});
        }
    }
    /// Whether anything was cut.
    bool round(const std::function<void(size_t)>& require, Progress& progress) {
        middle_.clear();
        size_t count = made_.corners.size();
        for (const auto& c : made_.corners)
            for (size_t k = 0; k < 3; ++k) count += isLong(c[k], c[(k + 1) % 3]);
        if (count == made_.corners.size()) return false;
        require(count);
        Tessellation next;
        next.corners.reserve(count), next.triangle.reserve(count), next.bary.reserve(count);
        for (size_t t = 0; t < made_.corners.size(); ++t) {
            if (t % 65536 == 0) progress.check();
            cut(made_.triangle[t], {made_.corners[t], made_.bary[t]}, next);
        }
        made_.corners = std::move(next.corners), made_.triangle = std::move(next.triangle);
        made_.bary = std::move(next.bary);
        return true;
    }
    Tessellation take() { return std::move(made_); }

  private:
    bool isLong(uint32_t a, uint32_t b) const {
        return a != b && double((position_[a] - position_[b]).length2()) > edge2_;
    }
    /// The point in the middle of an edge; kWhole for one that is short enough.
    uint32_t middle(uint32_t a, uint32_t b) {
        if (!isLong(a, b)) return kWhole;
        const auto [it, fresh] =
            middle_.try_emplace(uint64_t(std::min(a, b)) << 32 | std::max(a, b), uint32_t(position_.size()));
        if (fresh) {
            position_.push_back((position_[a] + position_[b]) * 0.5f);
            made_.between.push_back({std::min(a, b), std::max(a, b)});
        }
        return it->second;
    }
    static void put(uint32_t triangle, const Piece& piece, Tessellation& to) {
        to.corners.push_back(piece.point), to.triangle.push_back(triangle), to.bary.push_back(piece.bary);
    }
    void cut(uint32_t triangle, const Piece& whole, Tessellation& to) {
        const auto& p = whole.point;
        std::array<uint32_t, 3> half;
        std::array<V2f, 3> at;
        int cuts = 0;
        for (size_t k = 0; k < 3; ++k) {
            half[k] = middle(p[k], p[(k + 1) % 3]);
            at[k] = (whole.bary[k] + whole.bary[(k + 1) % 3]) * 0.5f;
            cuts += half[k] != kWhole;
        }
        const auto piece = [&](std::initializer_list<size_t> corners) {  // 0 to 2 corners, 3 to 5 middles
            Piece out;
            size_t i = 0;
            for (const size_t c : corners) {
                out.point[i] = c < 3 ? p[c] : half[c - 3];
                out.bary[i++] = c < 3 ? whole.bary[c] : at[c - 3];
            }
            put(triangle, out, to);
        };
        if (cuts == 0) return put(triangle, whole, to);
        if (cuts == 3) return piece({0, 3, 5}), piece({3, 1, 4}), piece({5, 4, 2}), piece({3, 4, 5});
        size_t k = 0;  // the edge that is cut; of two that are, the first of them, the other comes next
        while (half[k] == kWhole || (cuts == 2 && half[(k + 1) % 3] == kWhole)) ++k;
        const size_t a = k, b = (k + 1) % 3, c = (k + 2) % 3;
        if (cuts == 1) return piece({a, 3 + a, c}), piece({3 + a, b, c});
        piece({3 + a, b, 3 + b});
        // What is left has four sides: along the shorter of its diagonals, the first where both are alike.
        const float one = (position_[half[a]] - position_[p[c]]).length2(),
                    other = (position_[p[a]] - position_[half[b]]).length2();
        if (one <= other)
            piece({a, 3 + a, c}), piece({3 + a, 3 + b, c});
        else
            piece({a, 3 + a, 3 + b}), piece({a, 3 + b, c});
    }

    double edge2_;
    std::vector<V3f> position_;
    std::unordered_map<uint64_t, uint32_t> middle_;  // of edges that are cut in this round
    Tessellation made_;
};

}  // namespace

Tessellation tessellate(const Mesh& mesh, float edge, const std::function<void(size_t)>& require,
                        Progress& progress) {
    Cutter cutter(mesh, std::max(edge, 1e-9f));
    for (int round = 0; round < kRounds && cutter.round(require, progress); ++round)
        ;
    return cutter.take();
}

}  // namespace ovrix::geo
