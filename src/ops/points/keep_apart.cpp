#include "ops/points/keep_apart.h"

#include <numeric>

#include "base/hash.h"
#include "base/parallel.h"
#include "geo/surface/surface.h"
#include "params/param_table.h"
#include "params/starting.h"

namespace ovrix::ops {

using namespace specs;

namespace {

const struct KeepApartParams : ParamTable {
    Handle<bool> within = add(flag("within", "Each other", starting(KeepApartOptions{}.within),
                                   "Whether copies of this layer push one another out"));
    Handle<Refs> from =
        add(refs("from", "Also from", "object or layer",
                 "Layers whose copies stay where they are, and objects, by their true distance"));
    Handle<KeepApartOptions::First> first = add(choice(
        "first", "Priority", "large", {"large", "low id", "random"}, "Which of two that overlap stays"));
    Handle<double> overlap = add(unitNumber("overlap", "Overlap", starting(KeepApartOptions{}.overlap),
                                            "Fraction of their radii that two may share; 0 is none, 1 all"));
    Handle<double> margin = add(number("margin", "Margin", starting(KeepApartOptions{}.margin), "m", -1e3,
                                       1e6, 0, 0.2, "Kept free around each"));
    Handle<int64_t> seed = add(seedSpec("Another number, other survivors where chance decides"));
} kKeepApart;

/// Balls of about one size in a hashed grid whose cells are as wide as the largest of them can be. Cells that
/// share a slot only cost a look: distances are always checked.
class Level {
  public:
    /// @param largest  no ball is larger; @param count  no more balls are added
    Level(float largest, size_t count) : largest_(largest), cell_(2.0f * largest) {
        size_t size = 16;
        while (size < count) size *= 2;
        head_.assign(size, -1);
        balls_.reserve(count);
    }
    void add(const V3f& center, float radius) {
        int32_t& head = head_[slotOf(along(center.x), along(center.y), along(center.z))];
        balls_.push_back({center, radius, head});
        head = int32_t(balls_.size()) - 1;
    }
    /// Whether a ball comes nearer than the sum of the radii times @p fraction, and the margin.
    bool meets(const V3f& p, float radius, float fraction, float margin) const {
        const float reach = (radius + largest_) * fraction + margin;
        int low[3], high[3];
        double cells = 1.0;
        for (int a = 0; a < 3; ++a) {
            low[a] = along(p[a] - reach), high[a] = along(p[a] + reach);
            cells *= double(high[a]) - double(low[a]) + 1.0;
        }
        const auto near = [&](const Ball& b) {
            const float least = (radius + b.radius) * fraction + margin;
            return (b.center - p).length2() < least * least;
        };
        if (cells > double(balls_.size()))  // quicker to look at all
            return std::any_of(balls_.begin(), balls_.end(), near);
        const auto inCell = [&](int x, int y, int z) {
            for (int32_t i = head_[slotOf(x, y, z)]; i >= 0; i = balls_[size_t(i)].next)
                if (near(balls_[size_t(i)])) return true;
            return false;
        };
        for (int z = low[2]; z <= high[2]; ++z)
            for (int y = low[1]; y <= high[1]; ++y)
                for (int x = low[0]; x <= high[0]; ++x)
                    if (inCell(x, y, z)) return true;
        return false;
    }

  private:
    struct Ball {
        V3f center;
        float radius;
        int32_t next;
    };
    int along(float x) const { return int(std::clamp(std::floor(x / cell_), -1e9f, 1e9f)); }
    size_t slotOf(int x, int y, int z) const {
        const uint64_t h = uint64_t(uint32_t(x)) * 0x9E3779B97F4A7C15ull ^
                           uint64_t(uint32_t(y)) * 0xC2B2AE3D27D4EB4Full ^
                           uint64_t(uint32_t(z)) * 0x165667B19E3779F9ull;
        return size_t(h >> 32 ^ h) & (head_.size() - 1);
    }
    float largest_, cell_;
    std::vector<int32_t> head_;
    std::vector<Ball> balls_;
};

/// All balls that stay, in grids by size.
class Occupied {
  public:
    explicit Occupied(const std::vector<const Footprints*>& all) {
        std::map<int, size_t> counts;
        for (const Footprints* f : all)
            for (float r : f->radius) ++counts[levelOf(r)];
        for (const auto& [level, count] : counts) levels_.try_emplace(level, std::ldexp(1.0f, level), count);
    }
    void add(const V3f& center, float radius) { levels_.at(levelOf(radius)).add(center, radius); }
    bool meets(const V3f& p, float radius, float fraction, float margin) const {
        return std::any_of(levels_.begin(), levels_.end(),
                           [&](const auto& l) { return l.second.meets(p, radius, fraction, margin); });
    }

  private:
    static int levelOf(float radius) {  // the power of two that it does not pass
        return std::clamp(std::ilogb(std::max(radius, 1e-9f)) + 1, -40, 60);
    }
    std::map<int, Level> levels_;
};

std::vector<uint32_t> inOrder(const Footprints& f, std::span<const uint64_t> ids, const KeepApartOptions& o) {
    std::vector<uint32_t> order(f.center.size());
    std::iota(order.begin(), order.end(), 0u);
    const auto chance = [&](uint32_t i) { return random4(o.seed, ids[i], Stream::Pick).bits[0]; };
    std::sort(order.begin(), order.end(), [&](uint32_t a, uint32_t b) {
        if (o.first == KeepApartOptions::Large && f.radius[a] != f.radius[b])
            return f.radius[a] > f.radius[b];
        if (o.first == KeepApartOptions::Random && chance(a) != chance(b)) return chance(a) < chance(b);
        return ids[a] < ids[b];
    });
    return order;
}

}  // namespace

float footprintRadius(const Mesh& prototype) {
    float r2 = 0.0f;
    for (const V3f& p : prototype.positions()) r2 = std::max(r2, p.x * p.x + p.z * p.z);
    return std::sqrt(r2);
}

Footprints footprintsOf(const Copies& copies, std::span<const float> radii) {
    const ElementPlaces places(copies.attributes);
    const auto which = copies.attributes.find<int32_t>("prototype");
    Footprints out;
    out.center.assign(places.position.begin(), places.position.end());
    out.radius.resize(places.size());
    for (size_t i = 0; i < places.size(); ++i) {
        const V3f stretch = places.stretchOf(i);
        const float own = size_t(which[i]) < radii.size() ? radii[size_t(which[i])] : 0.0f;
        out.radius[i] = own * std::abs(places.scale.empty() ? 1.0f : places.scale[i]) *
                        std::max(std::abs(stretch.x), std::abs(stretch.z));
    }
    return out;
}

std::vector<uint8_t> keepApart(const Footprints& f, std::span<const uint64_t> ids, const KeepApartOptions& o,
                               Progress& progress) {
    Progress::Task task(progress, "Keeping apart");
    const float fraction = 1.0f - std::clamp(o.overlap, 0.0f, 1.0f);
    std::vector<uint8_t> stays(f.center.size(), 1);
    parallelFor(stays.size(), progress, [&](size_t i) {
        if (!isFinite(f.center[i]) || !std::isfinite(f.radius[i])) stays[i] = 0;
        for (const SurfacePtr& obstacle : o.obstacles)
            if (stays[i] && obstacle->closest(f.center[i], f.radius[i] * fraction + o.margin).hit)
                stays[i] = 0;
    });
    std::vector<const Footprints*> all = {&f};
    for (const Footprints& other : o.others) all.push_back(&other);
    Occupied occupied(all);
    for (const Footprints& other : o.others)
        for (size_t i = 0; i < other.center.size(); ++i)
            if (isFinite(other.center[i])) occupied.add(other.center[i], other.radius[i]);
    size_t done = 0;
    for (uint32_t i : inOrder(f, ids, o)) {
        if ((++done & 0xFFFFu) == 0) task.report(float(done) / float(stays.size()));
        if (!stays[i]) continue;
        if (occupied.meets(f.center[i], f.radius[i], fraction, o.margin))
            stays[i] = 0;
        else if (o.within)
            occupied.add(f.center[i], f.radius[i]);
    }
    return stays;
}

namespace {

std::vector<float> radiiOf(const Copies& copies, SceneQuery& query) {
    std::vector<float> radii;
    for (const std::string& id : copies.prototypes) radii.push_back(footprintRadius(*query.mesh(id)));
    return radii;
}

/// Elements of another layer: copies by their footprints, bare points as points.
Footprints footprintsOf(const Geometry& geometry, SceneQuery& query) {
    if (const auto* copies = std::get_if<std::shared_ptr<const Copies>>(&geometry))
        return ops::footprintsOf(**copies, radiiOf(**copies, query));
    Footprints out;
    if (const auto* points = std::get_if<std::shared_ptr<const PointSet>>(&geometry)) {
        const auto p = (*points)->attributes.find<V3f>("P");
        out.center.assign(p.begin(), p.end());
        out.radius.assign(p.size(), 0.0f);
    }
    return out;
}

Geometry applyKeepApart(const StepInput& in) {
    if (!in.query) throw Error("cannot see the prototypes here");
    const auto copies = std::get<std::shared_ptr<const Copies>>(in.in);
    KeepApartOptions o;
    o.within = in.params[kKeepApart.within];
    o.overlap = float(in.params[kKeepApart.overlap]);
    o.margin = float(in.params[kKeepApart.margin]);
    o.seed = uint64_t(in.params[kKeepApart.seed]);
    o.first = in.params[kKeepApart.first];
    for (const std::string& id : in.params[kKeepApart.from]) {
        if (id.empty()) continue;
        if (in.query->kindOf(id) == SceneQuery::Kind::Layer)
            o.others.push_back(footprintsOf(in.query->elements(id), *in.query));
        else
            o.obstacles.push_back(in.query->surface(id));
    }
    const std::vector<uint8_t> stays = keepApart(ops::footprintsOf(*copies, radiiOf(*copies, *in.query)),
                                                 copies->attributes.find<uint64_t>("id"), o, in.progress);
    std::vector<uint32_t> kept;
    for (size_t i = 0; i < stays.size(); ++i)
        if (stays[i]) kept.push_back(uint32_t(i));
    if (kept.size() == stays.size()) return in.in;
    auto out = std::make_shared<Copies>();
    out->prototypes = copies->prototypes;
    out->attributes = copies->attributes.gathered(kept);
    return std::shared_ptr<const Copies>(out);
}

}  // namespace

StepType keepApartStep() {
    return {.id = "keep_apart",
            .title = "Keep apart",
            .phase = Phase::Shape,
            .help = "Takes out copies that stand in one another, in other layers' copies or near objects",
            .takes = GeometryKind::Copies,
            .gives = GeometryKind::Copies,
            .params = kKeepApart.specs(),
            .apply = applyKeepApart};
}

}  // namespace ovrix::ops
