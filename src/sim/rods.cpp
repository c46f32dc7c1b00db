#include "sim/rods.h"

#include <algorithm>

#include "geo/strands.h"

namespace ovrix {

namespace {

constexpr float kEarth = 9.81f;

Vec4 alongOf(const Turn4& q) { return rotate(q, all4(V3f(0, 1, 0))); }

/// Turns one direction to another, by the shortest way, before what @p q turns; both are unit.
Turn4 turnedOn(const Vec4& from, const Vec4& to, const Turn4& q) {
    const Float4 d = dot(from, to);
    Turn4 by{all4(1.0f) + d, cross(from, to)};
    const Mask4 back = d < all4(-0.99999f);
    if (any4(back)) {  // half round, about any axis across
        const Vec4 x = cross(from, all4(V3f(1, 0, 0))), z = cross(from, all4(V3f(0, 0, 1)));
        const Vec4 across = choose(dot(x, x) > dot(z, z), x, z);
        by.r = back ? all4(0.0f) : by.r;
        by.v = choose(back, across, by.v);
    }
    return normalized(by * q);
}

/// The mass of a point of a strand of one kilogram a metre.
float massAt(std::span<const float> length, size_t point) {
    const float before = point > 0 ? length[point - 1] : 0.0f,
                after = point < length.size() ? length[point] : 0.0f;
    return 0.5f * (before + after);
}

}  // namespace

Rods::Rods(std::span<const RodRest> rest, const RodNature& nature, float dt)
    : count_(std::min(rest.size(), kLanes)), iterations_(nature.iterations) {
    keep_ =
        nature.keepShape > 0 ? 1.0f - std::pow(1.0f - std::min(nature.keepShape, 0.9999f), 24.0f * dt) : 0.0f;
    const size_t n = std::min(rest[0].points.size(), kMost) - 1;
    pieces_.resize(n);
    std::vector<float> length(n);
    for (int lane = 0; lane < int(kLanes); ++lane) {
        const RodRest& own = rest[std::min(size_t(lane), count_ - 1)];  // idle lanes do as the last one
        const auto p = own.points;
        for (size_t k = 0; k < n; ++k) length[k] = std::max(1e-7f, (p[k + 1] - p[k]).length());
        Quatf turn = own.root;
        for (size_t k = 0; k < n; ++k) {
            Piece& piece = pieces_[k];
            piece.length[lane] = length[k], piece.perLength[lane] = 1.0f / length[k];
            piece.longest[lane] = length[k] * (1.0f + nature.stretch);
            const float mass = massAt(length, k + 1);
            piece.pull[lane] = mass / (dt * dt);
            piece.weight[lane] = length[0] / mass;
            piece.weights[lane] = piece.weight[lane] + (k > 0 ? pieces_[k - 1].weight[lane] : 0.0f);
            piece.before[lane] = k > 0 ? 1.0f / length[k - 1] : 0.0f;
            const float s = nature.stiffLength[k];
            // Each joint stands for half of both pieces; that of the root for half of one.
            piece.stiff[lane] =
                kEarth * s * s * s / (k == 0 ? 0.5f * length[0] : 0.5f * (length[k] + length[k - 1]));
            if (k == 0) piece.stiff[lane] *= nature.rootStiffness * nature.rootStiffness;
            const V3f d = p[k + 1] - p[k], before = rotate(turn, V3f(0, 1, 0));
            const V3f way = d.length() > 1e-12f ? d.normalized() : before;
            piece.bend.set(lane, rotate(~turn, way));
            turn = (turnBetween(before, way) * turn).normalized();
            piece.shape.set(lane, rotate(~own.root, p[k + 1] - p[0]));
        }
    }
    factor();
}

/// The system is alike on both sides: L D L^T.
void Rods::factor() {
    const size_t n = pieces_.size();
    for (Piece& p : pieces_) p.perDiagonal = p.pull, p.off = p.farOff = all4(0.0f);
    for (size_t k = 0; k < n; ++k) {
        // Its part of the energy: s / 2 |(p[k+1] - p[k]) / l - (p[k] - p[k-1]) / l' - offset|^2.
        const Piece& p = pieces_[k];
        const Float4 g[3] = {p.before, -p.perLength - p.before, p.perLength};
        for (int x = 0; x < 3; ++x) {
            const std::ptrdiff_t i = std::ptrdiff_t(k) - 2 + x;  // of the unknowns: points from the second on
            if (i < 0) continue;
            Piece& row = pieces_[size_t(i)];
            row.perDiagonal += p.stiff * g[x] * g[x];
            if (x < 2) row.off += p.stiff * g[x] * g[x + 1];
            if (x < 1) row.farOff += p.stiff * g[x] * g[x + 2];
        }
    }
    // perDiagonal holds the diagonal until its row is done.
    for (size_t i = 0; i < n; ++i) {
        Piece& row = pieces_[i];
        row.one = row.two = all4(0.0f);
        if (i >= 2) {
            row.two = pieces_[i - 2].farOff * pieces_[i - 2].perDiagonal;
            pieces_[i - 1].off -= row.two * pieces_[i - 2].off;
            row.perDiagonal -= row.two * pieces_[i - 2].farOff;
        }
        if (i >= 1) {
            row.one = pieces_[i - 1].off * pieces_[i - 1].perDiagonal;
            row.perDiagonal -= row.one * pieces_[i - 1].off;
        }
        row.perDiagonal = all4(1.0f) / max4(row.perDiagonal, all4(1e-20f));
    }
}

void Rods::load(std::span<const std::span<V3f>> lines, Vec4* points) const {
    for (size_t k = 0; k <= pieces_.size(); ++k)
        for (int lane = 0; lane < int(kLanes); ++lane)
            points[k].set(lane, lines[std::min(size_t(lane), count_ - 1)][k]);
}

void Rods::store(const Vec4* points, std::span<const std::span<V3f>> lines) const {
    for (size_t k = 1; k <= pieces_.size(); ++k)
        for (size_t lane = 0; lane < count_; ++lane) lines[lane][k] = points[k].lane(int(lane));
}

void Rods::solveBends(const Vec4* predicted, const Turn4& root, Vec4* points) const {
    const size_t n = pieces_.size();
    Vec4 right[kMost];
    Turn4 turn = root;
    Vec4 along = alongOf(root);
    for (size_t k = 0; k < n; ++k) {
        const Piece& p = pieces_[k];
        Vec4 known = rotate(turn, p.bend);  // where it aims, with what the held root gives
        if (k > 0) known -= along;
        const Float4 middle = -p.perLength - p.before;
        if (k == 0) known -= points[0] * middle;
        if (k == 1) known -= points[0] * p.before;
        known = known * p.stiff;
        right[k] = predicted[k + 1] * p.pull + known * p.perLength;
        if (k >= 1) right[k - 1] += known * middle;
        if (k >= 2) right[k - 2] += known * p.before;
        const Vec4 d = points[k + 1] - points[k];
        const Float4 l = length(d);
        const Vec4 way = choose(l > all4(1e-12f), d * (all4(1.0f) / l), along);
        turn = turnedOn(along, way, turn);
        along = way;
    }
    for (size_t i = 1; i < n; ++i) {
        right[i] -= right[i - 1] * pieces_[i].one;
        if (i >= 2) right[i] -= right[i - 2] * pieces_[i].two;
    }
    for (size_t i = n; i-- > 0;) {
        Vec4 x = right[i];
        if (i + 1 < n) x -= points[i + 2] * pieces_[i].off;
        if (i + 2 < n) x -= points[i + 3] * pieces_[i].farOff;
        points[i + 1] = x * pieces_[i].perDiagonal;
    }
}

void Rods::keepLengths(Vec4* points, Mask4 which) const {
    const size_t n = pieces_.size();
    Vec4 way[kMost];
    Float4 pull[kMost], above[kMost], diagonal[kMost];
    for (int round = 0; round < 4; ++round) {
        Float4 worst = all4(0.0f);
        for (size_t k = 0; k < n; ++k) {
            const Piece& p = pieces_[k];
            const Vec4 d = points[k + 1] - points[k];
            const Float4 now = length(d);
            way[k] = choose(now > all4(1e-12f), d * (all4(1.0f) / now), all4(V3f(0, 1, 0)));
            pull[k] = now - min4(max4(now, p.length), p.longest);
            worst = max4(worst, abs4(pull[k]) * p.perLength);
        }
        which &= worst >= all4(5e-4f);
        if (!any4(which)) return;
        // A point is pulled by the pieces on both of its sides.
        diagonal[0] = pieces_[0].weights;
        for (size_t k = 0; k + 1 < n; ++k) {
            above[k] = -pieces_[k].weight * dot(way[k], way[k + 1]);
            const Float4 m = above[k] / diagonal[k];
            diagonal[k + 1] = max4(pieces_[k + 1].weights - m * above[k], all4(1e-6f));
            pull[k + 1] -= m * pull[k];
        }
        Float4 last = all4(0.0f);
        for (size_t k = n; k-- > 0;) {
            const Float4 rest = k + 1 < n ? pull[k] - above[k] * last : pull[k];
            pull[k] = last = rest / diagonal[k];
        }
        for (size_t k = 0; k < n; ++k) {
            const Vec4 by = way[k] * (which ? pull[k] : all4(0.0f));
            points[k + 1] -= by * pieces_[k].weight;
            if (k > 0) points[k] += by * pieces_[k - 1].weight;
        }
    }
}

void Rods::relax(std::span<const std::span<V3f>> lines, std::span<const Quatf> roots) const {
    Vec4 points[kMost], predicted[kMost];
    load(lines, points);
    std::copy(points, points + pieces_.size() + 1, predicted);
    Turn4 root;
    for (int lane = 0; lane < int(kLanes); ++lane) root.set(lane, roots[std::min(size_t(lane), count_ - 1)]);
    const Mask4 all = all4(0.0f) == all4(0.0f);
    for (int round = 0; round < iterations_; ++round) {
        solveBends(predicted, root, points);
        keepLengths(points, all);
    }
    if (keep_ > 0) {
        for (size_t k = 1; k <= pieces_.size(); ++k)
            points[k] += (points[0] + rotate(root, pieces_[k - 1].shape) - points[k]) * all4(keep_);
        keepLengths(points, all);
    }
    store(points, lines);
}

void Rods::keepLengths(std::span<const std::span<V3f>> lines, std::span<const bool> which) const {
    Vec4 points[kMost];
    load(lines, points);
    Mask4 mask{};
    for (size_t lane = 0; lane < count_; ++lane) mask[int(lane)] = which[lane] ? -1 : 0;
    keepLengths(points, mask);
    store(points, lines);
}

}  // namespace ovrix
