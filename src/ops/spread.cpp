#include "ops/spread.h"

#include <atomic>

#include "base/parallel.h"
#include "base/specs.h"
#include "ops/place_points.h"

namespace ovrix {

namespace {

constexpr size_t kRounds = 3;      // darts per place
constexpr size_t kPiece = 4096;    // darts thrown by one thread at a time
constexpr int kCellsPerTile = 14;  // along an edge; a tile with its margin stays in the first-level cache
constexpr float kSmallestPart = 0.05f;          // of the largest distance that a field may ask for
constexpr size_t kMostTiles = size_t(1) << 24;  // in the box around the surface, empty ones too
constexpr size_t kChunks = 16;                  // parts that are counted on their own, so that order is kept

struct Dart {
    V3f position;
    uint32_t index;  // round * perRound + place in the round
};

/// Memory that is written before it is read, and so not filled first.
struct Darts {
    std::unique_ptr<Dart[]> all;
    size_t size = 0;
    explicit Darts(size_t n) : all(new Dart[n]), size(n) {}
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
        number_ =
            std::vector<std::atomic<uint32_t>>(size_t(count_[0]) * size_t(count_[1]) * size_t(count_[2]));
    }
    size_t placeOf(const V3f& p) const {
        size_t place = 0;
        for (int a = 2; a >= 0; --a)
            place = place * size_t(count_[a]) +
                    size_t(std::clamp(int((p[a] - origin_[a]) / edge_), 0, count_[a] - 1));
        return place;
    }
    void mark(size_t place) {
        if (number_[place].load(std::memory_order_relaxed) == 0)
            number_[place].store(1, std::memory_order_relaxed);
    }
    void numberMarked() {
        for (size_t i = 0; i < number_.size(); ++i) {
            if (number_[i] == 0) continue;
            const int x = int(i % size_t(count_[0])), yz = int(i / size_t(count_[0]));
            keys_.push_back({x, yz % count_[1], yz / count_[1]});
            number_[i] = uint32_t(keys_.size());
        }
    }
    uint32_t numberOf(const V3f& p) const { return number_[placeOf(p)].load(std::memory_order_relaxed) - 1; }
    /// UINT32_MAX where there are no darts.
    uint32_t find(int x, int y, int z) const {
        if (x < 0 || y < 0 || z < 0 || x >= count_[0] || y >= count_[1] || z >= count_[2]) return UINT32_MAX;
        return number_[(size_t(z) * size_t(count_[1]) + size_t(y)) * size_t(count_[0]) + size_t(x)] - 1;
    }
    const std::vector<Key>& keys() const { return keys_; }
    V3f cornerOf(const Key& k) const { return origin_ + V3f(float(k.x), float(k.y), float(k.z)) * edge_; }

  private:
    V3f origin_;
    float edge_;
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
        const double perRound = std::ceil(surface.area() / double(smallest_) / double(smallest_));
        constexpr double kStay = 0.55;  // of one round's darts, about
        askForMemory((sizeof(Dart) + 4) * kRounds * perRound + bytesPerPoint(o.uv) * kStay * perRound,
                     o.memoryLimit, perRound * kStay);
        requireCount(perRound * kRounds);
        perRound_ = std::max<size_t>(1, size_t(perRound));
        cell_ = std::max(smallest_, largest_ / 4.0f);
        reach_ = int(std::ceil(largest_ / cell_));
        tiles_ =
            std::make_unique<Tiles>(surface.mesh().bounds(), cell_ * float(cellsPerTile_), cellsPerTile_);
    }

    std::shared_ptr<const PointSet> run() {
        const Darts thrown = throwDarts();
        const Darts sorted = sortedIntoTiles(thrown);
        accepted_.resize(tiles_->keys().size());
        for (int group = 0; group < 8; ++group) workOn(group, sorted);
        return collect();
    }

  private:
    size_t darts() const { return perRound_ * kRounds; }

    Darts throwDarts() {
        Progress::Task task(progress_, "Spreading");
        Darts thrown(darts());
        for (size_t round = 0; round < kRounds; ++round)
            parallelRanges(perRound_, kPiece, progress_, [&](size_t begin, size_t end) {
                std::vector<Surface::Place> places(end - begin);
                surface_.samplePlaces(o_.seed, round, begin, end, perRound_, places.data());
                for (size_t i = begin; i < end; ++i) {
                    const size_t index = round * perRound_ + i;
                    thrown[index] = {places[i - begin].position, uint32_t(index)};
                    tiles_->mark(tiles_->placeOf(thrown[index].position));
                }
            });
        tiles_->numberMarked();
        return thrown;
    }

    /// Those of a tile together, in the order in which they were thrown.
    Darts sortedIntoTiles(const Darts& thrown) {
        const size_t tiles = tiles_->keys().size(), part = (thrown.size + kChunks - 1) / kChunks;
        std::vector<uint32_t> next(tiles * kChunks, 0);
        const auto overChunks = [&](const auto& body) {
            parallelRanges(kChunks, 1, progress_, [&](size_t begin, size_t end) {
                for (size_t c = begin; c < end; ++c)
                    for (size_t i = c * part; i < std::min(thrown.size, (c + 1) * part); ++i)
                        body(i, next[c * tiles + tiles_->numberOf(thrown[i].position)]);
            });
        };
        overChunks([](size_t, uint32_t& count) { ++count; });
        start_.assign(tiles + 1, 0);
        uint32_t sum = 0;
        for (size_t t = 0; t < tiles; ++t) {
            for (size_t c = 0; c < kChunks; ++c) sum += std::exchange(next[c * tiles + t], sum);
            start_[t + 1] = sum;
        }
        Darts sorted(thrown.size);
        overChunks([&](size_t i, uint32_t& place) { sorted[place++] = thrown[i]; });
        return sorted;
    }

    /// Points of one tile and of the margin around it, in cells.
    struct Local {
        int side, reach;
        float cell;
        V3f origin;
        std::vector<int32_t> head;
        struct Point {
            V3f position;
            float distance;
            int32_t next;
        };
        std::vector<Point> points;

        void begin(const V3f& corner) {
            origin = corner - V3f(cell * float(reach));
            head.assign(size_t(side) * size_t(side) * size_t(side), -1);
            points.clear();
        }
        int along(float x) const { return int(std::floor(x / cell)); }
        bool inside(const V3f& p) const {
            for (int a = 0; a < 3; ++a)
                if (const int k = along(p[a] - origin[a]); k < 0 || k >= side) return false;
            return true;
        }
        size_t slot(int x, int y, int z) const {
            return (size_t(z) * size_t(side) + size_t(y)) * size_t(side) + size_t(x);
        }
        void add(const V3f& p, float distance) {
            const auto at = [&](int a) { return std::clamp(along(p[a] - origin[a]), 0, side - 1); };
            int32_t& h = head[slot(at(0), at(1), at(2))];
            points.push_back({p, distance, h});
            h = int32_t(points.size()) - 1;
        }
        /// Whether a point is nearer than it may be to one that keeps @p distance.
        bool crowded(const V3f& p, float distance) const {
            int low[3], high[3];
            int own[3];
            for (int a = 0; a < 3; ++a) {
                own[a] = std::clamp(along(p[a] - origin[a]), 0, side - 1);
                low[a] = std::max(0, own[a] - reach), high[a] = std::min(side - 1, own[a] + reach);
            }
            if (crowdedIn(slot(own[0], own[1], own[2]), p, distance)) return true;  // most often
            for (int z = low[2]; z <= high[2]; ++z)
                for (int y = low[1]; y <= high[1]; ++y)
                    for (size_t s = slot(low[0], y, z), end = s + size_t(high[0] - low[0]); s <= end; ++s)
                        if (crowdedIn(s, p, distance)) return true;
            return false;
        }
        bool crowdedIn(size_t s, const V3f& p, float distance) const {
            for (int32_t i = head[s]; i >= 0; i = points[size_t(i)].next) {
                const Point& q = points[size_t(i)];
                const float d = std::max(distance, q.distance);
                if ((q.position - p).length2() < d * d) return true;
            }
            return false;
        }
    };

    struct Kept {
        V3f position;
        float distance;
        uint32_t index;
    };

    void workOn(int group, const Darts& darts) {
        std::vector<uint32_t> mine;
        for (uint32_t t = 0; t < tiles_->keys().size(); ++t) {
            const auto& k = tiles_->keys()[t];
            if (((k.x & 1) | (k.y & 1) << 1 | (k.z & 1) << 2) == group) mine.push_back(t);
        }
        parallelRanges(mine.size(), 8, progress_, [&](size_t begin, size_t end) {
            Local local{cellsPerTile_ + 2 * reach_, reach_, cell_, {}, {}, {}};
            for (size_t i = begin; i < end; ++i) workOnTile(mine[i], darts, local);
        });
    }

    void workOnTile(uint32_t tile, const Darts& darts, Local& local) {
        const auto& key = tiles_->keys()[tile];
        local.begin(tiles_->cornerOf(key));
        for (int k = 0; k < 27; ++k) {
            const uint32_t t =
                k == 13 ? UINT32_MAX
                        : tiles_->find(key.x + k % 3 - 1, key.y + k / 3 % 3 - 1, key.z + k / 9 - 1);
            if (t == UINT32_MAX) continue;
            for (const Kept& p : accepted_[t])
                if (local.inside(p.position)) local.add(p.position, p.distance);
        }
        const std::vector<float> distance = distances(tile, darts);
        auto& out = accepted_[tile];
        for (size_t i = start_[tile]; i < start_[tile + 1]; ++i) {
            const Dart& dart = darts[i];
            const float d = distance.empty() ? largest_ : distance[i - start_[tile]];
            if (local.crowded(dart.position, d)) continue;
            local.add(dart.position, d);
            out.push_back({dart.position, d, dart.index});
        }
    }

    /// Of each dart of the tile; empty when they are all alike.
    std::vector<float> distances(uint32_t tile, const Darts& darts) const {
        if (!o_.distance.field) return {};
        PointSet some;
        const size_t first = start_[tile], count = start_[tile + 1] - first;
        const PointColumns columns = makePointColumns(some.attributes, count, o_.uv);
        for (size_t i = 0; i < count; ++i) put(columns, i, darts[first + i].index);
        std::vector<float> d(count);
        o_.distance.field->evaluate(samplesOf(some.attributes), d);
        for (float& x : d) x = std::clamp(lerp(o_.distance.low, o_.distance.high, x), smallest_, largest_);
        return d;
    }

    /// Works a dart out again: keeping it for all would take more time than making it for those that stay.
    void put(const PointColumns& columns, size_t i, uint32_t index) const {
        Surface::Place place;
        const size_t round = index / perRound_, in = index % perRound_;
        surface_.samplePlaces(o_.seed, round, in, in + 1, perRound_, &place);
        const Surface::Sample sample = surface_.sampleAt(place.triangle, place.u, place.v);
        columns.put(i, index, sample);
        if (!columns.uv.empty()) columns.putUv(i, surface_, sample);
    }

    std::shared_ptr<const PointSet> collect() const {
        std::vector<uint32_t> chosen;
        const float share = float(o_.share);
        for (const auto& tile : accepted_)
            for (const Kept& p : tile)
                if (share >= 1.0f || random1(o_.seed, p.index, Stream::Pick) < share)
                    chosen.push_back(p.index);
        auto points = std::make_shared<PointSet>();
        const PointColumns columns = makePointColumns(points->attributes, chosen.size(), o_.uv);
        parallelFor(chosen.size(), progress_, [&](size_t i) { put(columns, i, chosen[i]); });
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
    std::vector<uint32_t> start_;  // of each tile's darts
    std::vector<std::vector<Kept>> accepted_;
};

}  // namespace

std::shared_ptr<const PointSet> spreadOnSurface(const Surface& surface, const SpreadOptions& options,
                                                Progress& progress) {
    requireArea(surface);
    SpreadOptions o = options;
    o.uv = o.uv && !surface.mesh().uvs().empty();
    return masked(Spreader(surface, o, progress).run(), o.keep, o.seed, progress);
}

static Geometry applySpread(const StepInput& in) {
    SpreadOptions o;
    o.distance = in.params.driven("distance");
    o.seed = uint64_t(in.params.integer("seed"));
    o.keep = in.params.driven("keep");
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
            .params = {specs::drivable(specs::number("distance", "Distance", 0.1, "m", 1e-5, 1e5, 0.01, 1,
                                                     "No two are nearer than this; a field varies it")),
                       seedSpec("Another number, another arrangement"), keepSpec()},
            .mask = "keep",
            .apply = applySpread};
}

}  // namespace ovrix
