#include "sim/strand_spacing.h"

#include <unordered_map>

#include "base/parallel.h"

namespace ovrix {

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

/// Whether all that could come together now is in the list.
bool holds(const StrandNeighbours& near, std::span<const V3f> p, size_t pieces, float thickness) {
    if (near.looked.size() != p.size() || near.begin.size() != pieces + 1 || near.thickness != thickness)
        return false;
    const float far = 0.25f * near.slack * near.slack;  // each may come half of it
    for (size_t i = 0; i < p.size(); ++i)
        if (!((p[i] - near.looked[i]).length2() < far)) return false;
    return true;
}

/// A piece among others: where it is, and what it is.
struct Placed {
    V3f middle;
    float half;  ///< of its length
    uint32_t piece, strand;
};

/// Pieces by the cells of an even grid that their middles lie in.
class Cells {
  public:
    Cells(const std::vector<Placed>& all, float size) : perMetre_(1.0f / size) {
        order_.reserve(all.size());
        for (const Placed& r : all)
            if (isFinite(r.middle) && r.middle.length() * perMetre_ < 1e6f)
                order_.emplace_back(key(cellOf(r.middle)), r.piece);
        std::sort(order_.begin(), order_.end());
        sorted_.reserve(order_.size());  // they are read again and again: side by side
        for (const auto& [cell, piece] : order_) sorted_.push_back(all[piece]);
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

void look(const Pieces& pieces, std::span<const V3f> p, float thickness, StrandNeighbours& near,
          Progress& progress) {
    const size_t n = pieces.size();
    near.looked.assign(p.begin(), p.end());
    near.thickness = thickness, near.slack = 2.0f * thickness;
    const float reach = thickness + near.slack;
    float longest = 0;
    std::vector<Placed> all(n);
    for (size_t i = 0; i < n; ++i) {
        const V3f a = p[pieces.first[i]], b = p[pieces.first[i] + 1];
        all[i] = {0.5f * (a + b), 0.5f * (b - a).length(), uint32_t(i), pieces.strand[i]};
        if (std::isfinite(all[i].half)) longest = std::max(longest, all[i].half);
    }
    const Cells cells(all, 2.0f * longest + reach);
    std::vector<std::vector<std::pair<uint32_t, uint32_t>>> found(cells.count());
    parallelRanges(cells.count(), 64, progress, [&](size_t begin, size_t end) {
        for (size_t c = begin; c < end; ++c) {
            const auto meet = [&](const Placed& x, const Placed& y) {
                const float most = x.half + y.half + reach;
                if (!((x.middle - y.middle).length2() < most * most) || x.strand == y.strand) return;
                const V3f a = p[pieces.first[x.piece]], d = p[pieces.first[x.piece] + 1] - a;
                const V3f b = p[pieces.first[y.piece]], e = p[pieces.first[y.piece] + 1] - b;
                float s, t;
                closestOfPieces(a, d, b, e, s, t);
                if ((a + d * s - b - e * t).length2() < reach * reach)
                    found[c].emplace_back(x.piece, y.piece);
            };
            const auto own = cells.at(c);
            for (size_t x = 0; x < own.size(); ++x)
                for (size_t y = x + 1; y < own.size(); ++y) meet(own[x], own[y]);
            cells.after(c, [&](size_t other) {
                for (const Placed& y : cells.at(other))
                    for (const Placed& x : own) meet(x, y);
            });
        }
    });
    near.begin.assign(n + 1, 0);
    for (const auto& pairs : found)
        for (const auto& [i, k] : pairs) ++near.begin[i + 1], ++near.begin[k + 1];
    for (size_t i = 0; i < n; ++i) near.begin[i + 1] += near.begin[i];
    near.others.resize(near.begin[n]);
    std::vector<uint32_t> next(near.begin.begin(), near.begin.end() - 1);
    for (const auto& pairs : found)
        for (const auto& [i, k] : pairs) near.others[next[i]++] = k, near.others[next[k]++] = i;
    parallelFor(n, progress, [&](size_t i) {
        std::sort(near.others.begin() + near.begin[i], near.others.begin() + near.begin[i + 1]);
    });
}

/// How the ends of a piece are pushed by those that are near.
void pushes(const Pieces& pieces, std::span<const V3f> p, float thickness, std::span<const uint32_t> near,
            size_t i, V3f& moveA, V3f& moveB) {
    const V3f a = p[pieces.first[i]], d = p[pieces.first[i] + 1] - a;
    int met = 0;
    for (uint32_t k : near) {
        const V3f b = p[pieces.first[k]], e = p[pieces.first[k] + 1] - b;
        float s, t;
        closestOfPieces(a, d, b, e, s, t);
        const V3f apart = a + d * s - b - e * t;
        const float distance = apart.length();
        if (!(distance < thickness) || !(distance > 1e-9f)) continue;
        const V3f push = apart * (0.5f * (thickness - distance) / distance);
        const float norm = (1 - s) * (1 - s) + s * s;
        moveA += push * ((1 - s) / norm), moveB += push * (s / norm);
        ++met;
    }
    if (met > 2) moveA *= 2.0f / float(met), moveB *= 2.0f / float(met);
}

}  // namespace

void spaceStrands(const StrandSet& set, std::span<V3f> p, float thickness, int rounds, StrandNeighbours& near,
                  Progress& progress) {
    const Pieces pieces(set);
    if (pieces.size() == 0) return;
    std::vector<V3f> moveA(pieces.size()), moveB(pieces.size());
    for (int round = 0; round < rounds; ++round) {
        if (!holds(near, p, pieces.size(), thickness)) look(pieces, p, thickness, near, progress);
        parallelRanges(pieces.size(), 512, progress, [&](size_t begin, size_t end) {
            for (size_t i = begin; i < end; ++i) {
                moveA[i] = moveB[i] = V3f(0.0f);
                const std::span others(near.others.data() + near.begin[i], near.begin[i + 1] - near.begin[i]);
                if (!others.empty()) pushes(pieces, p, thickness, others, i, moveA[i], moveB[i]);
            }
        });
        for (size_t i = 0; i < pieces.size(); ++i) {  // in the order of pieces: the same sums always
            const uint32_t first = pieces.first[i], s = pieces.strand[i];
            if (first != set.start[s]) p[first] += 0.5f * moveA[i];
            p[first + 1] += first + 2 < set.start[s + 1] ? 0.5f * moveB[i] : moveB[i];
        }
    }
}

}  // namespace ovrix
