#include "sim/strands/rods.h"

#include <algorithm>

#include "base/lanes.h"
#include "geo/strands/strands.h"

namespace ovrix::sim {

/// Rods side by side, in as many lanes as the numbers that they are solved with have.
struct RodChain {
    virtual ~RodChain() = default;
    virtual void relax(std::span<const std::span<V3f>> lines, std::span<const Quatf> roots) const = 0;
    virtual void keepLengths(std::span<const std::span<V3f>> lines, std::span<const bool> which) const = 0;
};

namespace {

constexpr double kEarth = 9.81;

/// The largest number of the system by its least, up to which floats and doubles give places that are right
/// to some thousandths of a piece's length: measured against solutions in long double.
constexpr double kMostFloat = 5e4, kMostDouble = 1e12;

template <class F>
VecOf<F> alongOf(const TurnOf<F>& q) {
    return rotate(q, VecOf<F>::all(V3f(0, 1, 0)));
}

/// Turns one direction to another, by the shortest way, before what @p q turns; both are unit.
template <class F>
TurnOf<F> turnedOn(const VecOf<F>& from, const VecOf<F>& to, const TurnOf<F>& q) {
    using L = Lanes<F>;
    const F d = dot(from, to);
    TurnOf<F> by{L::all(1.0) + d, cross(from, to)};
    const auto back = d < L::all(-0.99999);
    if (any4(back)) {  // half round, about any axis across
        const VecOf<F> x = cross(from, VecOf<F>::all(V3f(1, 0, 0))),
                       z = cross(from, VecOf<F>::all(V3f(0, 0, 1)));
        const VecOf<F> across = choose(dot(x, x) > dot(z, z), x, z);
        by.r = back ? L::all(0.0) : by.r;
        by.v = choose(back, across, by.v);
    }
    return normalized(by * q);
}

/// Memory of a thread that rods of any length are worked out in.
template <class T>
T* scratch(size_t count) {
    thread_local std::vector<T> memory;
    if (memory.size() < count) memory.resize(count);
    return memory.data();
}

/// What is known of a rod's pieces before it is solved.
struct Given {
    std::vector<float> length;
    std::vector<double> stiff;  ///< m2/s2 by kilogram a metre
    double spread = 1;          ///< the largest number of its system by the least
    bool softened = false;

    /// The mass of a point of a strand of one kilogram a metre.
    float massAt(size_t point) const {
        const float before = point > 0 ? length[point - 1] : 0.0f,
                    after = point < length.size() ? length[point] : 0.0f;
        return 0.5f * (before + after);
    }

    Given(const RodRest& rest, const RodNature& nature, float dt) {
        const auto p = rest.points;
        const size_t n = p.size() - 1;
        length.resize(n), stiff.resize(n);
        for (size_t k = 0; k < n; ++k) length[k] = std::max(1e-7f, (p[k + 1] - p[k]).length());
        for (size_t k = 0; k < n; ++k) {
            const float s = nature.stiffLength[k];
            // Each joint stands for half of both pieces; that of the root for half of one.
            stiff[k] = kEarth * s * s * s / (k == 0 ? 0.5f * length[0] : 0.5f * (length[k] + length[k - 1]));
            if (k == 0) stiff[k] *= nature.rootStiffness * nature.rootStiffness;
        }
        const double own = spreadOf(dt);
        spread = std::min(own, kMostDouble);
        softened = own > kMostDouble;
        if (softened)
            for (double& s : stiff) s *= kMostDouble / own;
    }
    double spreadOf(float dt) const {
        double most = 1;
        for (size_t k = 0; k < stiff.size(); ++k) {
            const double l = k > 0 ? std::min(length[k], length[k - 1]) : length[k];
            const double mass = std::min(massAt(k + 1), k > 0 ? massAt(k) : massAt(k + 1));
            most = std::max(most, 16 * stiff[k] * double(dt) * double(dt) / (l * l * mass));
        }
        return most;
    }
};

template <class F>
class ChainOf : public RodChain {
    using L = Lanes<F>;
    using Vec = VecOf<F>;
    using Turn = TurnOf<F>;

  public:
    ChainOf(std::span<const RodRest> rest, std::span<const Given> given, const RodNature& nature, float dt)
        : count_(rest.size()), iterations_(nature.iterations) {
        keep_ = nature.keepShape > 0 ? 1.0f - std::pow(1.0f - std::min(nature.keepShape, 0.9999f), 24.0f * dt)
                                     : 0.0f;
        pieces_.resize(given[0].length.size());
        for (size_t lane = 0; lane < L::kCount; ++lane) {  // idle lanes do as the last one
            const size_t own = std::min(lane, count_ - 1);
            fill(lane, rest[own], given[own], nature, dt);
        }
        factor();
    }

    void relax(std::span<const std::span<V3f>> lines, std::span<const Quatf> roots) const override {
        const size_t n = pieces_.size();
        Vec* points = scratch<Vec>(3 * (n + 1));
        Vec *predicted = points + n + 1, *right = predicted + n + 1;
        load(lines, points);
        std::copy(points, points + n + 1, predicted);
        Turn root;
        for (size_t lane = 0; lane < L::kCount; ++lane) root.set(lane, roots[std::min(lane, count_ - 1)]);
        for (int round = 0; round < iterations_; ++round) {
            solveBends(predicted, root, points, right);
            keepLengths(points, L::mask(true));
        }
        if (keep_ > 0) {
            for (size_t k = 1; k <= n; ++k)
                points[k] += (points[0] + rotate(root, pieces_[k - 1].shape) - points[k]) * L::all(keep_);
            keepLengths(points, L::mask(true));
        }
        store(points, lines);
    }

    void keepLengths(std::span<const std::span<V3f>> lines, std::span<const bool> which) const override {
        Vec* points = scratch<Vec>(3 * (pieces_.size() + 1));
        load(lines, points);
        typename L::Mask mask = L::mask(false);
        for (size_t lane = 0; lane < count_; ++lane) L::set(mask, lane, which[lane]);
        keepLengths(points, mask);
        store(points, lines);
    }

  private:
    /// What belongs to one piece, or to the point at its end.
    struct Piece {
        F length, perLength, longest;
        F pull;             ///< mass of the end point by dt^2
        F weight, weights;  ///< of the end point, and with that of the other end
        F stiff;
        F before;    ///< 1 / length of the piece before; 0 at the root
        F one, two;  ///< factors of the five diagonals: rows above
        F off, farOff, perDiagonal;
        Vec bend;   ///< its direction at rest, in the frame of the piece before
        Vec shape;  ///< its end at rest, in the frame of the root
    };

    void fill(size_t lane, const RodRest& own, const Given& given, const RodNature& nature, float dt) {
        const auto p = own.points;
        const std::vector<float>& length = given.length;
        Quatf turn = own.root;
        const auto set = [lane](F& to, double x) { L::set(to, lane, x); };
        for (size_t k = 0; k < pieces_.size(); ++k) {
            Piece& piece = pieces_[k];
            set(piece.length, length[k]), set(piece.perLength, 1.0f / length[k]);
            set(piece.longest, length[k] * (1.0f + nature.stretch));
            const float mass = given.massAt(k + 1), weight = length[0] / mass;
            set(piece.pull, double(mass) / (double(dt) * double(dt)));
            set(piece.weight, weight);
            set(piece.weights, weight + (k > 0 ? length[0] / given.massAt(k) : 0.0f));
            set(piece.before, k > 0 ? 1.0f / length[k - 1] : 0.0f);
            set(piece.stiff, given.stiff[k]);
            const V3f d = p[k + 1] - p[k], before = rotate(turn, V3f(0, 1, 0));
            const V3f direction = d.length() > 1e-12f ? d.normalized() : before;
            piece.bend.set(lane, rotate(~turn, direction));
            turn = (turnBetween(before, direction) * turn).normalized();
            piece.shape.set(lane, rotate(~own.root, p[k + 1] - p[0]));
        }
    }

    /// The system is alike on both sides: L D L^T.
    void factor() {
        const size_t n = pieces_.size();
        for (Piece& p : pieces_) p.perDiagonal = p.pull, p.off = p.farOff = L::all(0.0);
        for (size_t k = 0; k < n; ++k) {
            // Its part of the energy: s / 2 |(p[k+1] - p[k]) / l - (p[k] - p[k-1]) / l' - offset|^2.
            const Piece& p = pieces_[k];
            const F g[3] = {p.before, -p.perLength - p.before, p.perLength};
            for (int x = 0; x < 3; ++x) {
                const std::ptrdiff_t i =
                    std::ptrdiff_t(k) - 2 + x;  // of the unknowns: points from the second on
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
            row.one = row.two = L::all(0.0);
            if (i >= 2) {
                row.two = pieces_[i - 2].farOff * pieces_[i - 2].perDiagonal;
                pieces_[i - 1].off -= row.two * pieces_[i - 2].off;
                row.perDiagonal -= row.two * pieces_[i - 2].farOff;
            }
            if (i >= 1) {
                row.one = pieces_[i - 1].off * pieces_[i - 1].perDiagonal;
                row.perDiagonal -= row.one * pieces_[i - 1].off;
            }
            row.perDiagonal = L::all(1.0) / max4(row.perDiagonal, L::all(1e-20));
        }
    }

    void load(std::span<const std::span<V3f>> lines, Vec* points) const {
        for (size_t k = 0; k <= pieces_.size(); ++k)
            for (size_t lane = 0; lane < L::kCount; ++lane)
                points[k].set(lane, lines[std::min(lane, count_ - 1)][k]);
    }

    void store(const Vec* points, std::span<const std::span<V3f>> lines) const {
        for (size_t k = 1; k <= pieces_.size(); ++k)
            for (size_t lane = 0; lane < count_; ++lane) lines[lane][k] = points[k].lane(lane);
    }

    void solveBends(const Vec* predicted, const Turn& root, Vec* points, Vec* right) const {
        const size_t n = pieces_.size();
        Turn turn = root;
        Vec along = alongOf(root);
        for (size_t k = 0; k < n; ++k) {
            const Piece& p = pieces_[k];
            Vec known = rotate(turn, p.bend);  // where it aims, with what the held root gives
            if (k > 0) known -= along;
            const F middle = -p.perLength - p.before;
            if (k == 0) known -= points[0] * middle;
            if (k == 1) known -= points[0] * p.before;
            known = known * p.stiff;
            right[k] = predicted[k + 1] * p.pull + known * p.perLength;
            if (k >= 1) right[k - 1] += known * middle;
            if (k >= 2) right[k - 2] += known * p.before;
            const Vec d = points[k + 1] - points[k];
            const F l = length(d);
            const Vec direction = choose<F>(l > L::all(1e-12), d * (L::all(1.0) / l), along);
            turn = turnedOn(along, direction, turn);
            along = direction;
        }
        for (size_t i = 1; i < n; ++i) {
            right[i] -= right[i - 1] * pieces_[i].one;
            if (i >= 2) right[i] -= right[i - 2] * pieces_[i].two;
        }
        for (size_t i = n; i-- > 0;) {
            Vec x = right[i];
            if (i + 1 < n) x -= points[i + 2] * pieces_[i].off;
            if (i + 2 < n) x -= points[i + 3] * pieces_[i].farOff;
            points[i + 1] = x * pieces_[i].perDiagonal;
        }
    }

    void keepLengths(Vec* points, typename L::Mask which) const {
        const size_t n = pieces_.size();
        struct Row {
            Vec direction;
            F pull, above, diagonal;
        };
        Row* row = scratch<Row>(n);
        for (int round = 0; round < 4; ++round) {
            F worst = L::all(0.0);
            for (size_t k = 0; k < n; ++k) {
                const Piece& p = pieces_[k];
                const Vec d = points[k + 1] - points[k];
                const F now = length(d);
                row[k].direction =
                    choose<F>(now > L::all(1e-12), d * (L::all(1.0) / now), Vec::all(V3f(0, 1, 0)));
                row[k].pull = now - min4(max4(now, p.length), p.longest);
                worst = max4(worst, abs4(row[k].pull) * p.perLength);
            }
            which = which & (worst >= L::all(5e-4));
            if (!any4(which)) return;
            // A point is pulled by the pieces on both of its sides.
            row[0].diagonal = pieces_[0].weights;
            for (size_t k = 0; k + 1 < n; ++k) {
                row[k].above = -pieces_[k].weight * dot(row[k].direction, row[k + 1].direction);
                const F m = row[k].above / row[k].diagonal;
                row[k + 1].diagonal = max4(pieces_[k + 1].weights - m * row[k].above, L::all(1e-6));
                row[k + 1].pull -= m * row[k].pull;
            }
            F last = L::all(0.0);
            for (size_t k = n; k-- > 0;) {
                const F rest = k + 1 < n ? row[k].pull - row[k].above * last : row[k].pull;
                row[k].pull = last = rest / row[k].diagonal;
            }
            for (size_t k = 0; k < n; ++k) {
                const Vec by = row[k].direction * (which ? row[k].pull : L::all(0.0));
                points[k + 1] -= by * pieces_[k].weight;
                if (k > 0) points[k] += by * pieces_[k - 1].weight;
            }
        }
    }

    std::vector<Piece> pieces_;
    size_t count_;
    float keep_;
    int iterations_;
};

}  // namespace

Rods::Rods(std::span<const RodRest> rest, const RodNature& nature, float dt)
    : count_(std::min(rest.size(), kLanes)) {
    std::vector<Given> given;
    double spread = 1;
    for (size_t k = 0; k < count_; ++k) {
        given.emplace_back(rest[k], nature, dt);
        spread = std::max(spread, given.back().spread);
        softened_ += given.back().softened;
    }
    if (spread <= kMostFloat) {
        chains_.push_back(std::make_unique<const ChainOf<Float4>>(rest.first(count_), given, nature, dt));
        return;
    }
    for (size_t k = 0; k < count_; ++k)
        chains_.push_back(
            std::make_unique<const ChainOf<double>>(rest.subspan(k, 1), std::span(&given[k], 1), nature, dt));
}

Rods::Rods(Rods&&) noexcept = default;
Rods::~Rods() = default;

void Rods::relax(std::span<const std::span<V3f>> lines, std::span<const Quatf> roots) const {
    if (chains_.size() == 1) return chains_[0]->relax(lines, roots);
    for (size_t k = 0; k < count_; ++k) chains_[k]->relax(lines.subspan(k, 1), roots.subspan(k, 1));
}

void Rods::keepLengths(std::span<const std::span<V3f>> lines, std::span<const bool> which) const {
    if (chains_.size() == 1) return chains_[0]->keepLengths(lines, which);
    for (size_t k = 0; k < count_; ++k)
        if (which[k]) chains_[k]->keepLengths(lines.subspan(k, 1), which.subspan(k, 1));
}

}  // namespace ovrix::sim
