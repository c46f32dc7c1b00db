#include "ops/spread.h"

#include <unordered_map>

#include "base/parallel.h"
#include "base/specs.h"
#include "ops/place_points.h"

namespace ovrix {

namespace {

constexpr int kRounds = 4;         // darts per place
constexpr size_t kPiece = 4096;    // darts thrown by one thread at a time
constexpr int kCellsPerTile = 14;  // along an edge; a tile with its margin stays in the first-level cache
constexpr float kSmallestPart = 0.05f;  // of the largest distance that a field may ask for

struct Dart {
    V3f position;
    uint32_t index;  // round * perRound + place in the round
};

/// Finds tiles by their coordinates. Neighbouring darts mostly fall into the same tile.
class TileTable {
  public:
    struct Key {
        int32_t x, y, z;
        bool operator==(const Key&) const = default;
    };
    struct Hash {
        size_t operator()(const Key& k) const {
            return size_t(uint32_t(k.x)) * 0x9E3779B97F4A7C15ull ^
                   size_t(uint32_t(k.y)) * 0xC2B2AE3D27D4EB4Full ^
                   size_t(uint32_t(k.z)) * 0x165667B19E3779F9ull;
        }
    };
    uint32_t at(const Key& key) {
        if (key == lastKey_) return last_;
        const auto [it, isNew] = index_.try_emplace(key, uint32_t(keys_.size()));
        if (isNew) keys_.push_back(key);
        lastKey_ = key;
        return last_ = it->second;
    }
    uint32_t find(const Key& key) const {
        const auto it = index_.find(key);
        return it == index_.end() ? UINT32_MAX : it->second;
    }
    const std::vector<Key>& keys() const { return keys_; }

  private:
    std::unordered_map<Key, uint32_t, Hash> index_;
    std::vector<Key> keys_;
    Key lastKey_{INT32_MIN, 0, 0};
    uint32_t last_ = 0;
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
    }

    std::shared_ptr<const PointSet> run() {
        throwDarts();
        sortIntoTiles();
        accepted_.resize(tiles_.keys().size());
        for (int group = 0; group < 8; ++group) workOn(group);
        return collect();
    }

  private:
    size_t darts() const { return perRound_ * kRounds; }
    void throwDarts() {
        Progress::Task task(progress_, "Spreading");
        thrown_.resize(darts());
        for (size_t round = 0; round < kRounds; ++round)
            parallelRanges(perRound_, kPiece, progress_, [&](size_t begin, size_t end) {
                std::vector<Surface::Place> places(end - begin);
                surface_.samplePlaces(o_.seed, round, begin, end, perRound_, places.data());
                for (size_t i = begin; i < end; ++i) {
                    const size_t index = round * perRound_ + i;
                    thrown_[index] = {places[i - begin].position, uint32_t(index)};
                }
            });
    }

    TileTable::Key tileOf(const V3f& p) const {
        const float size = cell_ * kCellsPerTile;
        const auto at = [&](float x) { return int32_t(std::clamp(std::floor(x / size), -1e9f, 1e9f)); };
        return {at(p.x), at(p.y), at(p.z)};
    }

    void sortIntoTiles() {
        std::vector<uint32_t> tile(thrown_.size()), count;
        for (size_t i = 0; i < thrown_.size(); ++i) {
            tile[i] = tiles_.at(tileOf(thrown_[i].position));
            if (tile[i] >= count.size()) count.resize(tile[i] + 1, 0);
            ++count[tile[i]];
        }
        progress_.check();
        start_.assign(count.size() + 1, 0);
        for (size_t t = 0; t < count.size(); ++t) start_[t + 1] = start_[t] + count[t];
        std::vector<size_t> next(start_.begin(), start_.end() - 1);
        sorted_.resize(thrown_.size());
        for (size_t i = 0; i < thrown_.size(); ++i) sorted_[next[tile[i]]++] = thrown_[i];
        thrown_ = {};
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
            for (int a = 0; a < 3; ++a) {
                const int k = along(p[a] - origin[a]);
                low[a] = std::max(0, k - reach), high[a] = std::min(side - 1, k + reach);
            }
            for (int z = low[2]; z <= high[2]; ++z)
                for (int y = low[1]; y <= high[1]; ++y)
                    for (size_t s = slot(low[0], y, z), end = s + size_t(high[0] - low[0]); s <= end; ++s)
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

    void workOn(int group) {
        std::vector<uint32_t> mine;
        for (uint32_t t = 0; t < tiles_.keys().size(); ++t) {
            const auto& k = tiles_.keys()[t];
            if (((k.x & 1) | (k.y & 1) << 1 | (k.z & 1) << 2) == group) mine.push_back(t);
        }
        parallelRanges(mine.size(), 8, progress_, [&](size_t begin, size_t end) {
            Local local{kCellsPerTile + 2 * reach_, reach_, cell_, {}, {}, {}};
            for (size_t i = begin; i < end; ++i) workOnTile(mine[i], local);
        });
    }

    void workOnTile(uint32_t tile, Local& local) {
        const auto& key = tiles_.keys()[tile];
        local.begin(V3f(float(key.x), float(key.y), float(key.z)) * (cell_ * kCellsPerTile));
        for (int k = 0; k < 27; ++k) {
            const TileTable::Key other{key.x + k % 3 - 1, key.y + k / 3 % 3 - 1, key.z + k / 9 - 1};
            const uint32_t t = k == 13 ? UINT32_MAX : tiles_.find(other);
            if (t == UINT32_MAX) continue;
            for (const Kept& p : accepted_[t])
                if (local.inside(p.position)) local.add(p.position, p.distance);
        }
        const std::vector<float> distance = distances(tile);
        auto& out = accepted_[tile];
        for (size_t i = start_[tile]; i < start_[tile + 1]; ++i) {
            const Dart& dart = sorted_[i];
            const float d = distance.empty() ? largest_ : distance[i - start_[tile]];
            if (local.crowded(dart.position, d)) continue;
            local.add(dart.position, d);
            out.push_back({dart.position, d, dart.index});
        }
    }

    /// Of each dart of the tile; empty when they are all alike.
    std::vector<float> distances(uint32_t tile) const {
        if (!o_.distance.field) return {};
        PointSet some;
        const size_t first = start_[tile], count = start_[tile + 1] - first;
        const PointColumns columns = makePointColumns(some.attributes, count, o_.uv);
        for (size_t i = 0; i < count; ++i) put(columns, i, sorted_[first + i].index);
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
        std::sort(chosen.begin(), chosen.end());
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
    std::vector<Dart> thrown_, sorted_;
    TileTable tiles_;
    std::vector<size_t> start_;
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
            .apply = applySpread};
}

}  // namespace ovrix
