#include "ops/place/spread.h"

#include <atomic>
#include <numeric>

#include "base/lanes.h"
#include "base/parallel.h"
#include "geo/surface/surface.h"
#include "ops/place/place_points.h"
#include "params/param_table.h"
#include "params/starting.h"

namespace ovrix::ops {

using namespace specs;

namespace {

const struct SpreadParams : ParamTable {
    Handle<Varying> distance = add(
        specs::drivable(specs::number("distance", "Distance", starting(SpreadOptions{}.distance), "m", 1e-5,
                                      1e5, 0.01, 1, "No two are nearer than this; a field varies it")));
    Handle<int64_t> seed = add(seedSpec("Another number, another arrangement"));
    Handle<Varying> mask = add(maskSpec());
} kSpread;

constexpr size_t kRounds = 2;  // of darts; the second for the parts of the surface that hold no point yet

constexpr size_t kDarts = 4096;    // darts thrown by one thread at a time
constexpr int kCellsPerTile = 32;  // along an edge; a tile with its margin stays in the first-level cache
constexpr float kSmallestPart = 0.05f;          // of the largest distance that a field may ask for
constexpr size_t kMostTiles = size_t(1) << 24;  // in the box around the surface, empty ones too
constexpr float kFar = 1e18f;                   // its square is finite, and larger than any distance's
constexpr size_t kChunks = 16;                  // parts that are counted on their own, so that order is kept

struct Dart {
    V3f position;
    uint32_t index;  // round * parts + part
};

/// Memory that is written before it is read, and so not filled first; both rounds use the same.
struct Darts {
    std::unique_ptr<Dart[]> all;
    size_t size = 0;
    explicit Darts(size_t most) : all(new Dart[most]) {}
    Dart& operator[](size_t i) { return all[i]; }
    const Dart& operator[](size_t i) const { return all[i]; }
};

/// The box around the surface, cut into tiles; those that hold darts have a number.
class Tiles {
  public:
    struct Key {
        int x, y, z;
    };
    /// @param edge  of a tile in metres, made larger when there would be too many
    Tiles(const Box3f& box, float edge, int& cellsPerTile) : origin_(box.min) {
        for (;; edge *= 2.0f, cellsPerTile *= 2) {
            edge_ = edge;
            double all = 1.0;
            for (int a = 0; a < 3; ++a) {
                const double n = std::floor(double(box.max[a] - box.min[a]) / double(edge)) + 1.0;
                all *= n;
                count_[a] = int(std::min(n, 1e9));
            }
            if (all <= double(kMostTiles)) break;
        }
        perMetre_ = 1.0f / edge_;
        number_ =
            std::vector<std::atomic<uint32_t>>(size_t(count_[0]) * size_t(count_[1]) * size_t(count_[2]));
    }
    size_t indexOf(const V3f& p) const {
        size_t index = 0;
        for (int a = 2; a >= 0; --a)
            index = index * size_t(count_[a]) +
                    size_t(std::clamp(int((p[a] - origin_[a]) * perMetre_), 0, count_[a] - 1));
        return index;
    }
    void mark(size_t index) {
        if (number_[index].load(std::memory_order_relaxed) == 0)
            number_[index].store(kMarked, std::memory_order_relaxed);
    }
    /// Those that were marked since the last time get the next numbers.
    void numberMarked() {
        for (size_t i = 0; i < number_.size(); ++i) {
            if (number_[i].load(std::memory_order_relaxed) != kMarked) continue;
            const int x = int(i % size_t(count_[0])), yz = int(i / size_t(count_[0]));
            keys_.push_back({x, yz % count_[1], yz / count_[1]});
            number_[i] = uint32_t(keys_.size());
        }
    }
    uint32_t numberOf(size_t index) const { return number_[index].load(std::memory_order_relaxed) - 1; }
    /// UINT32_MAX where there are no darts.
    uint32_t find(int x, int y, int z) const {
        if (x < 0 || y < 0 || z < 0 || x >= count_[0] || y >= count_[1] || z >= count_[2]) return UINT32_MAX;
        return number_[(size_t(z) * size_t(count_[1]) + size_t(y)) * size_t(count_[0]) + size_t(x)] - 1;
    }
    const std::vector<Key>& keys() const { return keys_; }
    V3f cornerOf(const Key& k) const { return origin_ + V3f(float(k.x), float(k.y), float(k.z)) * edge_; }

  private:
    static constexpr uint32_t kMarked = UINT32_MAX;
    V3f origin_;
    float edge_, perMetre_;
    int count_[3];
    std::vector<std::atomic<uint32_t>> number_;  // 0 for none, else one more than the number
    std::vector<Key> keys_;
};

class Spreader {
  public:
    Spreader(const Surface& surface, const SpreadOptions& o, Progress& progress)
        : surface_(surface), o_(o), progress_(progress) {
        largest_ = std::max(o.distance.high, o.distance.field ? o.distance.low : 0.0f);
        smallest_ = largest_;
        if (o.distance.field)
            smallest_ = std::max(std::min(o.distance.low, o.distance.high), largest_ * kSmallestPart);
        if (!(largest_ > 0.0f)) throw Error("the distance is 0", {}, "Set a distance above 0");
        // A little more than one part for each square of the distance: that fills it as far as it should.
        const double perRound = std::ceil(1.03 * surface.area() / double(smallest_) / double(smallest_));
        constexpr double kStay = 0.55;  // of one round's darts, about
        requireMemory((2 * sizeof(Dart) + 9) * perRound + bytesPerPoint(o.uv) * kStay * perRound,
                      o.memoryLimit, perRound * kStay);
        requireCount(perRound * kRounds);
        perRound_ = std::max<size_t>(1, size_t(perRound));
        cell_ = std::max(smallest_, largest_ / 4.0f);
        reach_ = int(std::ceil(largest_ / cell_));
        tiles_ =
            std::make_unique<Tiles>(surface.mesh().bounds(), cell_ * float(cellsPerTile_), cellsPerTile_);
    }

    /// One dart for each part of the surface; then another for those without a point. What lies in the part
    /// of a point is hardly ever far enough from it.
    std::shared_ptr<const PointSet> run() {
        Progress::Task task(progress_, "Spreading");
        std::vector<uint32_t> parts(perRound_);
        std::iota(parts.begin(), parts.end(), 0u);
        taken_.assign(perRound_, 0);
        Darts thrown(perRound_), sorted(perRound_);
        tileOf_.reset(new uint32_t[perRound_]);
        for (size_t round = 0; round < kRounds; ++round) {
            if (round) parts = partsLeft();
            throwDarts(parts, round, thrown);
            sortIntoTiles(thrown, sorted);
            accepted_.resize(tiles_->keys().size());
            border_.resize(tiles_->keys().size());
            for (int group = 0; group < 8; ++group) workOn(group, sorted);
        }
        return collect();
    }

  private:
    void throwDarts(std::span<const uint32_t> parts, size_t round, Darts& darts) {
        darts.size = parts.size();
        parallelRanges(parts.size(), kDarts, progress_, [&](size_t begin, size_t end) {
            std::vector<Surface::Place> places(end - begin);
            surface_.samplePlaces(o_.seed, round, parts.subspan(begin, end - begin), perRound_,
                                  places.data());
            for (size_t i = begin; i < end; ++i) {
                const V3f& p = places[i - begin].position;
                darts[i] = {p, uint32_t(round * perRound_ + parts[i])};
                tileOf_[i] = uint32_t(tiles_->indexOf(p));
                tiles_->mark(tileOf_[i]);
            }
        });
        tiles_->numberMarked();
    }

    /// Those of a tile together, in the order in which they were thrown.
    void sortIntoTiles(const Darts& thrown, Darts& sorted) {
        const size_t tiles = tiles_->keys().size(), part = (thrown.size + kChunks - 1) / kChunks;
        std::vector<uint32_t> next(tiles * kChunks, 0);
        const auto overChunks = [&](const auto& body) {
            parallelRanges(kChunks, 1, progress_, [&](size_t begin, size_t end) {
                for (size_t c = begin; c < end; ++c)
                    for (size_t i = c * part; i < std::min(thrown.size, (c + 1) * part); ++i)
                        body(i, &next[c * tiles]);
            });
        };
        overChunks([&](size_t i, uint32_t* count) {
            tileOf_[i] = tiles_->numberOf(tileOf_[i]);
            ++count[tileOf_[i]];
        });
        start_.assign(tiles + 1, 0);
        uint32_t sum = 0;
        for (size_t t = 0; t < tiles; ++t) {
            for (size_t c = 0; c < kChunks; ++c) sum += std::exchange(next[c * tiles + t], sum);
            start_[t + 1] = sum;
        }
        sorted.size = thrown.size;
        overChunks([&](size_t i, uint32_t* to) { sorted[to[tileOf_[i]]++] = thrown[i]; });
    }

    /// Points of one tile and of the margin around it, in cells. A piece of a surface is nearly flat, so the
    /// cells lie in the two directions in which it is widest: nine are looked at and not twenty-seven.
    struct Local {
        int side, reach;
        float perMetre;
        V3f origin;
        int across = 0, along = 1;  // axes of the cells
        /// Points of one cell, four to be compared at a time; empty places lie infinitely far away.
        struct Block {
            Float4 x = all4(kFar), y = all4(0.0f), z = all4(0.0f), distance = all4(0.0f);
            int32_t next = -1, used = 0;
        };
        std::vector<Block> blocks;  // first one of each cell, then those of cells that hold more

        Local(int cells, int r, float cell) : side(cells + 2 * r), reach(r), perMetre(1.0f / cell) {}
        void begin(const V3f& corner, int thin) {
            origin = corner - V3f(float(reach) / perMetre);
            across = thin == 0 ? 1 : 0, along = thin == 2 ? 1 : 2;
            blocks.assign(size_t(side) * size_t(side), Block());
        }
        /// Whether a point is in the tile or its margin.
        bool inside(const V3f& p) const { return between(p, 0.0f, float(side)); }
        /// Whether tiles beside this one may have to know of a point in it.
        bool nearBorder(const V3f& p) const { return !between(p, float(2 * reach), float(side - 2 * reach)); }
        bool between(const V3f& p, float low, float high) const {
            const V3f q = (p - origin) * perMetre;
            return q.x >= low && q.y >= low && q.z >= low && q.x < high && q.y < high && q.z < high;
        }
        int cell(const V3f& p, int axis) const {
            return std::clamp(int((p[axis] - origin[axis]) * perMetre), 0, side - 1);
        }
        void add(const V3f& p, float distance) {
            size_t b = size_t(cell(p, along)) * size_t(side) + size_t(cell(p, across));
            while (blocks[b].used == 4) {
                if (blocks[b].next < 0) {
                    blocks[b].next = int32_t(blocks.size());
                    blocks.emplace_back();
                }
                b = size_t(blocks[b].next);
            }
            Block& block = blocks[b];
            const int i = block.used++;
            block.x[i] = p.x, block.y[i] = p.y, block.z[i] = p.z, block.distance[i] = distance;
        }
        /// Whether a point is nearer than it may be to one that keeps @p distance.
        bool crowded(const V3f& p, float distance) const {
            const int column = cell(p, across), row = cell(p, along);
            const Float4 x = all4(p.x), y = all4(p.y), z = all4(p.z), own = all4(distance);
            const auto crowdedIn = [&](int cell) {
                for (int32_t b = cell; b >= 0; b = blocks[size_t(b)].next) {
                    const Block& q = blocks[size_t(b)];
                    const Float4 dx = q.x - x, dy = q.y - y, dz = q.z - z, d = max4(own, q.distance);
                    if (any4(dx * dx + dy * dy + dz * dz < d * d)) return true;
                }
                return false;
            };
            if (crowdedIn(row * side + column)) return true;  // most often
            const int left = std::max(0, column - reach), right = std::min(side - 1, column + reach);
            for (int r = std::max(0, row - reach), end = std::min(side - 1, row + reach); r <= end; ++r)
                for (int c = left; c <= right; ++c)
                    if (crowdedIn(r * side + c)) return true;
            return false;
        }
    };

    struct Kept {
        V3f position;
        float distance;
    };

    void workOn(int group, const Darts& darts) {
        std::vector<uint32_t> mine;
        for (uint32_t t = 0; t < tiles_->keys().size(); ++t) {
            const auto& k = tiles_->keys()[t];
            if (((k.x & 1) | (k.y & 1) << 1 | (k.z & 1) << 2) == group) mine.push_back(t);
        }
        parallelRanges(mine.size(), 8, progress_, [&](size_t begin, size_t end) {
            Local local(cellsPerTile_, reach_, cell_);
            for (size_t i = begin; i < end; ++i) workOnTile(mine[i], darts, local);
        });
    }

    void workOnTile(uint32_t tile, const Darts& darts, Local& local) {
        if (start_[tile] == start_[tile + 1]) return;
        const auto& key = tiles_->keys()[tile];
        local.begin(tiles_->cornerOf(key), thinAxis(tile, darts));
        for (int k = 0; k < 27; ++k) {
            const uint32_t t = tiles_->find(key.x + k % 3 - 1, key.y + k / 3 % 3 - 1, key.z + k / 9 - 1);
            if (t >= accepted_.size()) continue;
            for (const Kept& p : t == tile ? accepted_[t] : border_[t])
                if (t == tile || local.inside(p.position)) local.add(p.position, p.distance);
        }
        const std::vector<float> distance = distances(tile, darts);
        auto& out = accepted_[tile];
        for (size_t i = start_[tile]; i < start_[tile + 1]; ++i) {
            const Dart& dart = darts[i];
            const float d = distance.empty() ? largest_ : distance[i - start_[tile]];
            if (local.crowded(dart.position, d)) continue;
            local.add(dart.position, d);
            out.push_back({dart.position, d});
            if (local.nearBorder(dart.position)) border_[tile].push_back(out.back());
            std::atomic_ref(taken_[dart.index % perRound_])
                .store(uint8_t(dart.index / perRound_ + 1), std::memory_order_relaxed);
        }
    }

    /// The axis along which the darts of a tile spread least.
    int thinAxis(uint32_t tile, const Darts& darts) const {
        Box3f box;
        for (size_t i = start_[tile]; i < start_[tile + 1]; ++i) box.extendBy(darts[i].position);
        const V3f size = box.size();
        return size.x < size.y && size.x < size.z ? 0 : size.y < size.z ? 1 : 2;
    }

    /// Of each dart of the tile; empty when they are all alike.
    std::vector<float> distances(uint32_t tile, const Darts& darts) const {
        if (!o_.distance.field) return {};
        PointSet some;
        const size_t first = start_[tile], count = start_[tile + 1] - first;
        const PointColumns columns = makePointColumns(some.attributes, count, o_.uv);
        for (size_t i = 0; i < count; ++i) {
            const uint32_t index = darts[first + i].index, part = uint32_t(index % perRound_);
            Surface::Place place;
            surface_.samplePlaces(o_.seed, index / perRound_, {&part, 1}, perRound_, &place);
            put(columns, i, index, place);
        }
        std::vector<float> d(count);
        o_.distance.field->evaluate(samplesOf(some.attributes), d);
        for (float& x : d) x = std::clamp(lerp(o_.distance.low, o_.distance.high, x), smallest_, largest_);
        return d;
    }

    void put(const PointColumns& columns, size_t i, uint32_t index, const Surface::Place& place) const {
        const Surface::Sample sample = surface_.sampleAt(place.triangle, place.u, place.v);
        columns.put(i, index, sample);
        if (!columns.uv.empty()) columns.putUv(i, surface_, sample);
    }

    /// Calls count(begin, end) for every piece of the parts, then fill(begin, end, first) with the sum of the
    /// counts before it; both on all threads. Gives the sum.
    template <class Count, class Begin, class Fill>
    void overParts(const Count& count, const Begin& begin, const Fill& fill) const {
        const size_t pieces = (perRound_ + kDarts - 1) / kDarts;
        std::vector<size_t> first(pieces + 1, 0);
        const auto each = [&](const auto& body) {
            parallelRanges(pieces, 4, progress_, [&](size_t from, size_t to) {
                for (size_t k = from; k < to; ++k) body(k, k * kDarts, std::min(perRound_, (k + 1) * kDarts));
            });
        };
        each([&](size_t k, size_t low, size_t high) { first[k + 1] = count(low, high); });
        for (size_t k = 0; k < pieces; ++k) first[k + 1] += first[k];
        begin(first.back());
        each([&](size_t k, size_t low, size_t high) { fill(low, high, first[k]); });
    }

    /// The parts that hold no point yet, ascending.
    std::vector<uint32_t> partsLeft() const {
        std::vector<uint32_t> left;
        overParts(
            [&](size_t low, size_t high) { return size_t(std::count(&taken_[low], &taken_[0] + high, 0)); },
            [&](size_t sum) { left.resize(sum); },
            [&](size_t low, size_t high, size_t at) {
                for (size_t i = low; i < high; ++i)
                    if (!taken_[i]) left[at++] = uint32_t(i);
            });
        return left;
    }

    bool chosen(size_t part) const {
        if (!taken_[part]) return false;
        const uint64_t id = (taken_[part] - 1u) * perRound_ + part;
        return o_.share >= 1.0 || double(random1(o_.seed, id, Stream::Pick)) < o_.share;
    }

    /// In the order of the parts, so that the surface is read in its own: working the darts out again takes
    /// less time than carrying all of them along.
    std::shared_ptr<const PointSet> collect() const {
        auto points = std::make_shared<PointSet>();
        PointColumns columns;
        overParts(
            [&](size_t low, size_t high) {
                size_t n = 0;
                for (size_t i = low; i < high; ++i) n += chosen(i);
                return n;
            },
            [&](size_t sum) { columns = makePointColumns(points->attributes, sum, o_.uv); },
            [&](size_t low, size_t high, size_t at) {
                std::vector<uint32_t> mine;
                std::vector<Surface::Place> places;
                for (size_t round = 0; round < kRounds; ++round) {
                    mine.clear();
                    for (size_t i = low; i < high; ++i)
                        if (taken_[i] == round + 1 && chosen(i)) mine.push_back(uint32_t(i));
                    places.resize(mine.size());
                    surface_.samplePlaces(o_.seed, round, mine, perRound_, places.data());
                    for (size_t i = 0; i < mine.size(); ++i, ++at)
                        put(columns, at, uint32_t(round * perRound_ + mine[i]), places[i]);
                }
            });
        return points;
    }

    const Surface& surface_;
    const SpreadOptions& o_;
    Progress& progress_;
    float largest_, smallest_, cell_;
    int reach_;
    size_t perRound_;
    int cellsPerTile_ = kCellsPerTile;
    std::unique_ptr<Tiles> tiles_;
    std::unique_ptr<uint32_t[]> tileOf_;                // each dart thrown: its tile's index, then its number
    std::vector<uint32_t> start_;                       // of each tile's darts
    std::vector<std::vector<Kept>> accepted_, border_;  // of each tile; those near its border once more
    std::vector<uint8_t> taken_;                        // for each part, one more than the round of its point
};

}  // namespace

std::shared_ptr<const PointSet> spreadOnSurface(const Surface& surface, const SpreadOptions& options,
                                                Progress& progress) {
    requireArea(surface);
    SpreadOptions o = options;
    o.uv = o.uv && !surface.mesh().uvs().empty();
    return masked(Spreader(surface, o, progress).run(), o.mask, o.seed, progress);
}

static Geometry applySpread(const StepInput& in) {
    SpreadOptions o;
    o.distance = in.params[kSpread.distance];
    o.seed = uint64_t(in.params[kSpread.seed]);
    o.mask = in.params[kSpread.mask];
    o.share = in.share;
    o.memoryLimit = in.memoryLimit;
    return spreadOnSurface(surfaceOf(in), o, in.progress);
}

StepType spreadStep() {
    return {.id = "spread",
            .title = "Spread apart",
            .phase = Phase::Place,
            .help = "Fills the surface with points that keep a distance from one another",
            .takes = GeometryKind::Nothing,
            .gives = GeometryKind::Points,
            .params = kSpread.specs(),
            .masked = true,
            .apply = applySpread};
}

}  // namespace ovrix::ops
