#include "sim/rods.h"

#include <algorithm>

#include "geo/strands.h"

namespace ovrix {

namespace {

constexpr float kEarth = 9.81f;
constexpr size_t kMost = 512;

Quatf unit(const Quatf& q) {
    const float n = std::sqrt(q.r * q.r + q.v.length2());
    return n > 1e-12f ? Quatf(q.r / n, q.v / n) : Quatf();
}

V3f alongOf(const Quatf& q) { return rotate(q, V3f(0, 1, 0)); }

/// Mass of a point of a strand of one kilogram a metre.
float massOf(std::span<const float> length, size_t point) {
    const float before = point > 0 ? length[point - 1] : 0.0f,
                after = point < length.size() ? length[point] : 0.0f;
    return 0.5f * (before + after);
}

}  // namespace

void pieceTurns(std::span<const V3f> points, const Quatf& root, std::span<Quatf> turns) {
    Quatf turn = root;
    for (size_t k = 0; k + 1 < points.size(); ++k) {
        const V3f d = points[k + 1] - points[k];
        const float length = d.length();
        if (length > 1e-12f) turn = unit(turnBetween(alongOf(turn), d / length) * turn);
        turns[k] = turn;
    }
}

RodRest RodRest::of(std::span<const V3f> points, const Quatf& root) {
    RodRest rest;
    const size_t n = points.size();
    std::vector<Quatf> turns(n - 1);
    pieceTurns(points, root, turns);
    for (size_t k = 0; k + 1 < n; ++k) {
        rest.length.push_back(std::max(1e-7f, (points[k + 1] - points[k]).length()));
        rest.bend.push_back(~(k == 0 ? root : turns[k - 1]) * turns[k]);
    }
    for (const V3f& p : points) rest.shape.push_back(rotate(~root, p - points[0]));
    return rest;
}

void keepLengths(std::span<V3f> point, std::span<const float> length, float stretch) {
    const size_t n = std::min(length.size(), kMost - 1);
    if (n == 0) return;
    float c[kMost], diagonal[kMost], above[kMost], weight[kMost];
    V3f d[kMost];
    weight[0] = 0;  // the root does not move
    for (size_t k = 1; k <= n; ++k) weight[k] = length[0] / massOf(length, k);
    for (int round = 0; round < 4; ++round) {
        float worst = 0;
        for (size_t k = 0; k < n; ++k) {
            d[k] = point[k + 1] - point[k];
            const float now = d[k].length();
            d[k] = now > 1e-12f ? d[k] / now : V3f(0, 1, 0);
            c[k] = now - std::clamp(now, length[k], length[k] * (1.0f + stretch));
            worst = std::max(worst, std::abs(c[k]) / length[k]);
            diagonal[k] = weight[k] + weight[k + 1];
        }
        if (worst < 5e-4f) return;
        // A point is pulled by the pieces on both of its sides.
        for (size_t k = 0; k + 1 < n; ++k) above[k] = -weight[k + 1] * d[k].dot(d[k + 1]);
        for (size_t k = 1; k < n; ++k) {
            const float m = above[k - 1] / diagonal[k - 1];
            diagonal[k] = std::max(diagonal[k] - m * above[k - 1], 1e-6f);
            c[k] -= m * c[k - 1];
        }
        float pull = 0;
        for (size_t k = n; k-- > 0;) {
            pull = (c[k] - (k + 1 < n ? above[k] * pull : 0.0f)) / diagonal[k];
            c[k] = pull;
        }
        for (size_t k = 0; k < n; ++k) {
            point[k + 1] -= d[k] * (c[k] * weight[k + 1]);
            point[k] += d[k] * (c[k] * weight[k]);
        }
    }
}

namespace {

/// A system of five diagonals that is alike on both sides, and its solution for three right sides at once.
struct Band {
    float a[kMost], b[kMost], c[kMost];  // on the diagonal; one and two off it
    V3f right[kMost];

    void clear(size_t n) { std::fill(a, a + n, 0.0f), std::fill(b, b + n, 0.0f), std::fill(c, c + n, 0.0f); }
    /// By the factors L D L^T, in place.
    void solve(size_t n, std::span<V3f> out) {
        for (size_t i = 0; i < n; ++i) {
            if (i >= 1) {
                if (i >= 2) {
                    const float l2 = c[i - 2] / a[i - 2];  // row i, two to the left
                    b[i - 1] -= l2 * b[i - 2];
                    a[i] -= l2 * c[i - 2];
                    right[i] -= right[i - 2] * l2;
                }
                const float l1 = b[i - 1] / a[i - 1];
                a[i] -= l1 * b[i - 1];
                right[i] -= right[i - 1] * l1;
            }
            a[i] = std::max(a[i], 1e-20f);
        }
        for (size_t i = n; i-- > 0;) {
            V3f x = right[i];
            if (i + 1 < n) x -= out[i + 1] * b[i];
            if (i + 2 < n) x -= out[i + 2] * c[i];
            out[i] = x / a[i];
        }
    }
};

}  // namespace

void relaxRod(std::span<V3f> point, const Quatf& root, const RodRest& rest, const RodNature& nature,
              float dt) {
    const size_t pieces = std::min(rest.length.size(), kMost - 1), n = pieces;  // unknown: points 1 to n
    V3f predicted[kMost];
    Quatf turn[kMost];
    Band band;
    std::copy(point.begin() + 1, point.begin() + 1 + std::ptrdiff_t(n), predicted);
    const std::span<const float> length(rest.length.data(), pieces);
    for (int round = 0; round < nature.iterations; ++round) {
        pieceTurns(point.first(n + 1), root, {turn, n});
        band.clear(n);
        for (size_t i = 0; i < n; ++i) {
            band.a[i] = massOf(length, i + 1) / (dt * dt);
            band.right[i] = predicted[i] * band.a[i];
        }
        for (size_t k = 0; k < pieces; ++k) {
            const float stiff = nature.stiffLength[k], l = length[k];
            float s = kEarth * stiff * stiff * stiff;
            // Each joint stands for half of both pieces; that of the root for half of one.
            s /= k == 0 ? 0.5f * l : 0.5f * (l + length[k - 1]);
            if (k == 0) s *= nature.rootStiffness * nature.rootStiffness;
            const V3f aim = alongOf((k == 0 ? root : turn[k - 1]) * rest.bend[k]);
            // Its part of the energy: s / 2 |(p[k+1] - p[k]) / l - (p[k] - p[k-1]) / l' - offset|^2.
            const V3f offset = k == 0 ? aim : aim - alongOf(turn[k - 1]);
            const float before = k == 0 ? 0.0f : 1.0f / length[k - 1];
            const float g[3] = {before, -1.0f / l - before, 1.0f / l};
            V3f known = offset;  // with what the held root gives
            if (k == 0) known -= point[0] * g[1];
            if (k == 1) known -= point[0] * g[0];
            for (int x = 0; x < 3; ++x) {
                const std::ptrdiff_t i = std::ptrdiff_t(k) - 1 + x - 1;  // of the unknowns
                if (i < 0 || (k == 0 && x < 2)) continue;
                band.a[i] += s * g[x] * g[x];
                band.right[i] += known * (s * g[x]);
                if (x + 1 < 3) band.b[i] += s * g[x] * g[x + 1];
                if (x + 2 < 3) band.c[i] += s * g[x] * g[x + 2];
            }
        }
        band.solve(n, point.subspan(1, n));
        keepLengths(point.first(n + 1), length, nature.stretch);
    }
    if (!(nature.keepShape > 0)) return;
    const float part = 1.0f - std::pow(1.0f - std::min(nature.keepShape, 0.9999f), 24.0f * dt);
    for (size_t k = 1; k <= n; ++k) point[k] += (point[0] + rotate(root, rest.shape[k]) - point[k]) * part;
    keepLengths(point.first(n + 1), length, nature.stretch);
}

}  // namespace ovrix
