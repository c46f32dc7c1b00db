#include "sim/strands/strand_spacing.h"

#include <optional>
#include <unordered_map>

#include "base/parallel.h"
#include "geo/cubic.h"

namespace ovrix::sim {

namespace {

/// Closest places of two pieces, as parts of each. Ericson, "Real-Time Collision Detection", 2005,
/// section 5.1.9.
void closestOfPieces(const V3f& p1, const V3f& d1, const V3f& p2, const V3f& d2, float& s, float& t) {
    const V3f r = p1 - p2;
    const float a = d1.dot(d1), e = d2.dot(d2), f = d2.dot(r), c = d1.dot(r), b = d1.dot(d2);
    const float denominator = a * e - b * b;
    s = denominator > 1e-20f ? std::clamp((b * f - c * e) / denominator, 0.0f, 1.0f) : 0.0f;
    t = e > 0 ? (b * s + f) / e : 0.0f;
    if (t < 0) t = 0, s = a > 0 ? std::clamp(-c / a, 0.0f, 1.0f) : 0.0f;
    if (t > 1) t = 1, s = a > 0 ? std::clamp((b - c) / a, 0.0f, 1.0f) : 0.0f;
}

/// The earliest part of their common way at which two straight pieces pass through each other; negative for
/// none. Their four ends lie in a plane then, which is a cubic in time: Provot, "Collision and Self-Collision
/// Handling in Cloth Model Dedicated to Design Garments", Graphics Interface 1997. Writes the places on both.
float crossing(const V3f* p0, const V3f* p1, const V3f* q0, const V3f* q1, float& s, float& t) {
    const auto rel = [](const V3f& a, const V3f& o) { return V3d(a - o); };
    // Relative to the first end of the first piece, at both ends of the way.
    const V3d d0 = rel(p0[1], p0[0]), d1 = rel(p1[1], p1[0]), e0 = rel(q0[1], q0[0]), e1 = rel(q1[1], q1[0]);
    const V3d w0 = rel(q0[0], p0[0]), w1 = rel(q1[0], p1[0]);
    const V3d dd = d1 - d0, de = e1 - e0, dw = w1 - w0;
    const V3d n0 = d0.cross(e0), n1 = d0.cross(de) + dd.cross(e0), n2 = dd.cross(de);
    const Cubic f{w0.dot(n0), dw.dot(n0) + w0.dot(n1), dw.dot(n1) + w0.dot(n2), dw.dot(n2)};
    double roots[4];
    const int count = f.roots(roots);
    for (int i = 0; i < count; ++i) {
        const float at = float(roots[i]);
        const V3f d(d0 + dd * roots[i]), e(e0 + de * roots[i]), w(w0 + dw * roots[i]);
        closestOfPieces(V3f(0.0f), d, w, e, s, t);
        const float scale = d.length() + e.length();
        if ((d * s - w - e * t).length() < 1e-4f * scale) return at;
    }
    return -1.0f;
}

/// From each piece to its strand and its first point.
struct Pieces {
    std::vector<uint32_t> strand, first;
    explicit Pieces(const StrandSet& set) {
        for (size_t s = 0; s < set.size(); ++s)
            for (uint32_t k = set.start[s]; k + 1 < set.start[s + 1]; ++k)
                strand.push_back(uint32_t(s)), first.push_back(k);
    }
    size_t size() const { return first.size(); }
};

/// How far two pieces come towards each other at most, each from its place at the start to that at the end:
/// the ways of their ends are compared, so what goes together goes nowhere.
float comesBy(const V3f* a0, const V3f* a1, const V3f* b0, const V3f* b1) {
    float most = 0;
    for (int i = 0; i < 2; ++i)
        for (int j = 0; j < 2; ++j) most = std::max(most, ((a1[i] - a0[i]) - (b1[j] - b0[j])).length2());
    return std::sqrt(most);
}

/// How points moved in the mean. Without it a coat that falls, or is carried along, is one at rest.
V3f meanMotion(std::span<const V3f> start, std::span<const V3f> p) {
    V3d sum(0.0);
    size_t count = 0;
    for (size_t i = 0; i < p.size(); ++i)
        if (isFinite(p[i]) && isFinite(start[i])) sum += V3d(p[i] - start[i]), ++count;
    return V3f(sum / double(std::max<size_t>(1, count)));
}

/// Whether all came by @p mean, but for less than that.
bool cameBy(const V3f& mean, std::span<const V3f> start, std::span<const V3f> p, float far) {
    const float far2 = far * far;
    for (size_t i = 0; i < p.size(); ++i)
        if (!((p[i] - start[i] - mean).length2() < far2)) return false;
    return true;
}

/// Whether all that could come together now is in the list.
bool holds(const StrandNeighbours& near, std::span<const V3f> p, size_t pieces, float thickness) {
    if (near.looked.size() != p.size() || near.begin.size() != pieces + 1 || near.thickness != thickness)
        return false;
    return cameBy(meanMotion(near.looked, p), near.looked, p, 0.5f * near.slack);  // each may come half of it
}

/// A part of what a piece passes over in a substep: no place of it is farther from the middle than half and
/// way.
struct Placed {
    V3f middle;
    float half, motion;  ///< of its length, and of how far it goes
    uint32_t piece, strand;
};

/// The value that a tenth of all is above; 0 for none.
float tenthAbove(std::vector<float> values) {
    std::erase_if(values, [](float x) { return !std::isfinite(x); });
    if (values.empty()) return 0.0f;
    const auto at = values.begin() + std::ptrdiff_t((values.size() - 1) * 9 / 10);
    std::nth_element(values.begin(), at, values.end());
    return *at;
}

/// Pieces as parts of about one size: a long one among short ones, or a quick one among slow ones, is
/// several.
/// @p cell  gets the size of a cell such that parts that may meet lie in one, or in two side by side
std::vector<Placed> partsOf(const Pieces& pieces, std::span<const V3f> start, std::span<const V3f> p,
                            float slack, float& cell) {
    const size_t n = pieces.size();
    std::vector<float> half(n), motion(n);
    for (size_t i = 0; i < n; ++i) {
        const uint32_t k = pieces.first[i];
        half[i] = 0.5f * std::max((p[k + 1] - p[k]).length(), (start[k + 1] - start[k]).length());
        motion[i] = 0.5f * std::max((p[k] - start[k]).length(), (p[k + 1] - start[k + 1]).length());
    }
    constexpr float kParts = 256;  // of one at most
    float longest = 0, farthest = 0;
    for (size_t i = 0; i < n; ++i)
        if (std::isfinite(half[i] + motion[i]))
            longest = std::max(longest, half[i]), farthest = std::max(farthest, motion[i]);
    const float most = std::max({tenthAbove(half), longest / kParts, 1e-9f});
    const float mostMotion = std::max({tenthAbove(motion), farthest / kParts, 1e-9f});
    cell = 2.0f * (most + mostMotion) + slack;
    std::vector<Placed> all;
    all.reserve(n);
    for (size_t i = 0; i < n; ++i) {
        if (!std::isfinite(half[i] + motion[i])) continue;
        const uint32_t k = pieces.first[i];
        const int along = std::max(1, int(std::ceil(half[i] / most * 0.9999f)));
        const int times = std::max(1, int(std::ceil(motion[i] / mostMotion * 0.9999f)));
        for (int u = 0; u < along; ++u)
            for (int t = 0; t < times; ++t) {
                const float at = (float(u) + 0.5f) / float(along), when = (float(t) + 0.5f) / float(times);
                const V3f a = start[k] + (p[k] - start[k]) * when,
                          b = start[k + 1] + (p[k + 1] - start[k + 1]) * when;
                all.push_back({a + (b - a) * at, half[i] / float(along), motion[i] / float(times),
                               uint32_t(i), pieces.strand[i]});
            }
    }
    return all;
}

/// Pieces by the cells of an even grid that their middles lie in.
class Cells {
  public:
    Cells(const std::vector<Placed>& all, float size) : perMetre_(1.0f / size) {
        order_.reserve(all.size());
        for (size_t i = 0; i < all.size(); ++i)
            if (isFinite(all[i].middle) && all[i].middle.length() * perMetre_ < 1e6f)
                order_.emplace_back(key(cellOf(all[i].middle)), uint32_t(i));
        parallelSort(order_);
        sorted_.reserve(order_.size());  // they are read again and again: side by side
        for (const auto& [cell, i] : order_) sorted_.push_back(all[i]);
        for (size_t i = 0; i < order_.size(); ++i)
            if (i == 0 || order_[i].first != order_[i - 1].first)
                first_.emplace(order_[i].first, uint32_t(first_.size())), begin_.push_back(uint32_t(i));
        begin_.push_back(uint32_t(order_.size()));
    }
    size_t count() const { return begin_.size() - 1; }
    /// The pieces of a cell, in rising order.
    std::span<const Placed> at(size_t cell) const {
        return {sorted_.data() + begin_[cell], begin_[cell + 1] - begin_[cell]};
    }
    /// Cells around one that come after it, so that all are met once by all.
    template <class Body>
    void after(size_t cell, const Body& body) const {
        const V3i c = cellOfKey(order_[begin_[cell]].first);
        for (int k = 14; k < 27; ++k) {
            const auto it = first_.find(key(c + V3i(k / 9 - 1, k / 3 % 3 - 1, k % 3 - 1)));
            if (it != first_.end()) body(it->second);
        }
    }

  private:
    V3i cellOf(const V3f& p) const {
        return {int(std::floor(p.x * perMetre_)), int(std::floor(p.y * perMetre_)),
                int(std::floor(p.z * perMetre_))};
    }
    static uint64_t key(const V3i& c) {
        const auto part = [](int x) { return uint64_t(x + (1 << 20)) & 0x1FFFFF; };
        return part(c.x) << 42 | part(c.y) << 21 | part(c.z);
    }
    static V3i cellOfKey(uint64_t k) {
        const auto part = [](uint64_t x) { return int(x & 0x1FFFFF) - (1 << 20); };
        return {part(k >> 42), part(k >> 21), part(k)};
    }
    float perMetre_;
    std::vector<std::pair<uint64_t, uint32_t>> order_;
    std::vector<Placed> sorted_;
    std::vector<uint32_t> begin_;
    std::unordered_map<uint64_t, uint32_t> first_;
};

/// @param start  where the points were at the beginning of the substep: pieces that pass each other on the
/// way are near, however fast they go
/// @param rounds  of moves after which the list shall hold still
void findNear(const Pieces& pieces, std::span<const V3f> start0, std::span<const V3f> p, float thickness,
              int rounds, StrandNeighbours& near, Progress& progress) {
    const V3f mean = meanMotion(start0, p);
    std::vector<V3f> start(start0.begin(), start0.end());
    for (V3f& s : start) s += mean;
    const size_t n = pieces.size();
    near.looked.assign(p.begin(), p.end());
    // What goes farther than that in each substep is looked through in each: then there is no use in seeing
    // far.
    const bool still = cameBy(mean, start0, p, thickness);
    near.thickness = thickness, near.slack = still ? 2.0f * thickness : rounds > 1 ? thickness : 0.0f;
    const float slack = thickness + near.slack;
    float cell = 0;
    const std::vector<Placed> all = partsOf(pieces, start, p, slack, cell);
    const Cells cells(all, cell);
    using PiecePairs = std::vector<std::pair<uint32_t, uint32_t>>;
    const auto meet = [&](const Placed& x, const Placed& y, PiecePairs& met) {
        const float most = x.half + x.motion + y.half + y.motion + slack;
        if (!((x.middle - y.middle).length2() < most * most) || x.strand == y.strand) return;
        const uint32_t i = pieces.first[x.piece], k = pieces.first[y.piece];
        const V3f &a = p[i], &b = p[k], d = p[i + 1] - a, e = p[k + 1] - b;
        const float reach = slack + comesBy(&start[i], &p[i], &start[k], &p[k]);
        const float apart = reach + 0.5f * (d.length() + e.length());
        if (!((a + 0.5f * d - b - 0.5f * e).length2() < apart * apart)) return;
        float s, t;
        closestOfPieces(a, d, b, e, s, t);
        if ((a + d * s - b - e * t).length2() < reach * reach)
            met.emplace_back(std::min(x.piece, y.piece), std::max(x.piece, y.piece));
    };
    std::vector<PiecePairs> found(cells.count());
    const auto meetOfCell = [&](size_t c) {
        const auto own = cells.at(c);
        for (size_t x = 0; x < own.size(); ++x)
            for (size_t y = x + 1; y < own.size(); ++y) meet(own[x], own[y], found[c]);
        cells.after(c, [&](size_t other) {
            for (const Placed& y : cells.at(other))
                for (const Placed& x : own) meet(x, y, found[c]);
        });
    };
    parallelRanges(cells.count(), 64, progress, [&](size_t begin, size_t end) {
        for (size_t c = begin; c < end; ++c) meetOfCell(c);
    });
    std::vector<std::pair<uint32_t, uint32_t>> pairs;
    for (auto& own : found) pairs.insert(pairs.end(), own.begin(), own.end());
    if (all.size() > n) {  // parts of the same two may have met more than once
        parallelSort(pairs);
        pairs.erase(std::unique(pairs.begin(), pairs.end()), pairs.end());
    }
    near.begin.assign(n + 1, 0);
    for (const auto& [i, k] : pairs) ++near.begin[i + 1], ++near.begin[k + 1];
    for (size_t i = 0; i < n; ++i) near.begin[i + 1] += near.begin[i];
    near.others.resize(near.begin[n]);
    std::vector<uint32_t> next(near.begin.begin(), near.begin.end() - 1);
    for (const auto& [i, k] : pairs) near.others[next[i]++] = k, near.others[next[k]++] = i;
    parallelFor(n, progress, [&](size_t i) {
        std::sort(near.others.begin() + near.begin[i], near.others.begin() + near.begin[i + 1]);
    });
}

/// How far one piece has to go from another in all, and where on it: since they are too near, or passed
/// through each other on the way. Nothing when neither.
struct Pushed {
    V3f by;
    float s;
};
std::optional<Pushed> pushedBy(const V3f* a0, const V3f* a1, const V3f* b0, const V3f* b1, float thickness) {
    float s, t;
    closestOfPieces(a0[0], a0[1] - a0[0], b0[0], b0[1] - b0[0], s, t);
    const V3f before = a0[0] + (a0[1] - a0[0]) * s - b0[0] - (b0[1] - b0[0]) * t;
    const float gap = before.length();
    if (gap > 1e-9f && comesBy(a0, a1, b0, b1) >= gap && crossing(a0, a1, b0, b1, s, t) >= 0) {
        const V3f n = before / gap;
        const float off = (a1[0] + (a1[1] - a1[0]) * s - b1[0] - (b1[1] - b1[0]) * t).dot(n);
        if (off < thickness) return Pushed{n * (thickness - off), s};
    }
    closestOfPieces(a1[0], a1[1] - a1[0], b1[0], b1[1] - b1[0], s, t);
    const V3f apart = a1[0] + (a1[1] - a1[0]) * s - b1[0] - (b1[1] - b1[0]) * t;
    const float distance = apart.length();
    if (!(distance < thickness) || !(distance > 1e-9f)) return std::nullopt;
    return Pushed{apart * ((thickness - distance) / distance), s};
}

/// How the ends of a piece are pushed by those that are near.
void pushes(const Pieces& pieces, std::span<const V3f> start, std::span<const V3f> p, float thickness,
            std::span<const uint32_t> near, size_t i, V3f& moveA, V3f& moveB) {
    const uint32_t own = pieces.first[i];
    int met = 0;
    for (uint32_t k : near) {
        const uint32_t other = pieces.first[k];
        const auto pushed = pushedBy(&start[own], &p[own], &start[other], &p[other], thickness);
        if (!pushed) continue;
        const float s = pushed->s, norm = (1 - s) * (1 - s) + s * s;
        moveA += pushed->by * (0.5f * (1 - s) / norm), moveB += pushed->by * (0.5f * s / norm);
        ++met;
    }
    if (met > 2) moveA *= 2.0f / float(met), moveB *= 2.0f / float(met);
}

}  // namespace

void spaceStrands(const StrandSet& set, std::span<const V3f> start, std::span<V3f> p, float thickness,
                  int rounds, StrandNeighbours& near, Progress& progress) {
    const Pieces pieces(set);
    if (pieces.size() == 0) return;
    std::vector<V3f> moveA(pieces.size()), moveB(pieces.size());
    for (int round = 0; round < rounds; ++round) {
        if (!holds(near, p, pieces.size(), thickness))
            findNear(pieces, start, p, thickness, rounds, near, progress);
        parallelRanges(pieces.size(), 512, progress, [&](size_t begin, size_t end) {
            for (size_t i = begin; i < end; ++i) {
                moveA[i] = moveB[i] = V3f(0.0f);
                const std::span others(near.others.data() + near.begin[i], near.begin[i + 1] - near.begin[i]);
                if (!others.empty()) pushes(pieces, start, p, thickness, others, i, moveA[i], moveB[i]);
            }
        });
        for (size_t i = 0; i < pieces.size(); ++i) {  // in the order of pieces: the same sums always
            const uint32_t first = pieces.first[i], s = pieces.strand[i];
            if (first != set.start[s]) p[first] += 0.5f * moveA[i];
            p[first + 1] += first + 2 < set.start[s + 1] ? 0.5f * moveB[i] : moveB[i];
        }
    }
}

}  // namespace ovrix::sim
