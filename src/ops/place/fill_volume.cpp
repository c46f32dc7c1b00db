#include "ops/place/fill_volume.h"

#include <fmt/format.h>

#include <bitset>
#include <numeric>

#include "base/error.h"
#include "base/parallel.h"
#include "geo/surface/surface.h"
#include "geo/surface/winding.h"
#include "ops/place/fill_lattice.h"
#include "ops/place/place_points.h"
#include "params/param_table.h"
#include "params/starting.h"

namespace ovrix::ops {

using namespace specs;

namespace {

using CellBits = std::bitset<kBlockCells>;

/// A mesh that is filled, and what tells of its inside.
struct FilledMesh {
    SurfacePtr surface;
    std::shared_ptr<const WindingNumber> winding;
    bool closed;
};

/// What is known of a block of cells before any of its points is asked for.
struct BlockSide {
    bool none = true, all = false;
    std::vector<uint32_t> asked = {};  ///< the meshes that its points are asked of
};

bool keepsDepth(const FillVolumeOptions& o) { return o.depth || o.from.field || o.to.field; }
double bytesOfPoint(const FillVolumeOptions& o) {
    return 32.0 + (o.uvs ? 8.0 : 0.0) + (keepsDepth(o) ? 4.0 : 0.0);
}

class Filler {
  public:
    Filler(std::span<const SurfacePtr> surfaces, const FillVolumeOptions& o) : o_(o), lattice_(o) {
        for (const SurfacePtr& s : surfaces) {
            const auto winding = s->cached<WindingNumber>(
                "winding", [&] { return std::make_shared<const WindingNumber>(s->mesh()); });
            filled_.push_back({s, winding, s->closed()});
            box_.extendBy(s->mesh().bounds());
        }
        zoned_ = o.from.field || o.to.field || o.from.high > 0.0f || o.to.high > 0.0f;
        byField_ = o.from.field || o.to.field;
        if (!byField_ && zoned_) from_ = o.from.high, to_ = o.to.high > 0.0f ? o.to.high : kWhole;
        low_ = blockOf(box_.min), high_ = blockOf(box_.max);
    }

    std::shared_ptr<const PointSet> fill(Progress& progress) {
        Progress::Task task(progress, "Filling");
        const V3i size = high_ - low_ + V3i(1);
        const double count = double(size.x) * size.y * size.z;
        requireMemory(count * sizeof(uint32_t), o_.memoryLimit, count * double(kBlockCells));
        std::vector<uint32_t> in(size_t(count), 0u);
        std::vector<std::unique_ptr<CellBits>> parts(in.size());  // of blocks that are neither full nor empty
        parallelEach(in.size(), progress, [&](size_t b) { in[b] = look(blockAt(b), parts[b]); });
        std::vector<uint64_t> first(in.size() + 1, 0);
        for (size_t b = 0; b < in.size(); ++b) first[b + 1] = first[b] + in[b];
        requireCount(double(first.back()));
        requireMemory(double(first.back()) * bytesOfPoint(o_), o_.memoryLimit, double(first.back()));
        auto set = std::make_shared<PointSet>();
        makeColumns(set->attributes, size_t(first.back()));
        parallelEach(in.size(), progress, [&](size_t b) {
            if (in[b]) put(blockAt(b), parts[b].get(), size_t(first[b]));
        });
        return set;
    }

  private:
    static constexpr float kWhole = std::numeric_limits<float>::infinity();

    V3i blockOf(const V3f& p) const {
        V3i out;
        for (int k = 0; k < 3; ++k) {
            const double cell = std::floor(double(p[k]) / double(o_.spacing));
            if (!(std::abs(cell) < double(kMostCells - kBlockSide)))
                throw Error(fmt::format("a spacing of {} m makes more than {} cells from the origin to it",
                                        o_.spacing, kMostCells),
                            {}, "Make the spacing larger, or bring it nearer to the origin");
            out[k] = int(std::floor(cell / kBlockSide));
        }
        return out;
    }
    V3i blockAt(size_t b) const {
        const V3i size = high_ - low_ + V3i(1);
        return low_ + V3i(int(b % size_t(size.x)), int(b / size_t(size.x) % size_t(size.y)),
                          int(b / (size_t(size.x) * size_t(size.y))));
    }

    /// Of all places within so far of one, by what is there.
    /// @param of  the meshes that are asked
    BlockSide sideOf(const V3f& middle, float half, std::span<const uint32_t> of) const {
        BlockSide out;
        float deepest = -1.0f;  // of the middle, in those that hold the whole ball
        bool mixed = false;
        for (const uint32_t i : of) {
            const FilledMesh& f = filled_[i];
            const Box3f& box = f.surface->mesh().bounds();
            bool near = true;
            for (int k = 0; k < 3; ++k)
                near = near && middle[k] > box.min[k] - half && middle[k] < box.max[k] + half;
            if (!near) continue;
            const bool both = isMixed(f, middle, half);
            if (!both && !f.winding->inside(middle)) continue;
            out.asked.push_back(i);
            out.none = false;
            if (both)
                mixed = true;
            else if (zoned_ && !byField_)
                deepest = std::max(deepest, f.surface->closest(middle).distance);
            else
                out.all = true;
        }
        if (out.none || out.all || deepest < 0.0f) return out;
        const float low = deepest - half, high = deepest + half;
        if (!mixed && (high < from_ || low > to_)) out.none = true;
        if (!mixed && low >= from_ && high <= to_) out.all = true;
        return out;
    }
    /// Whether some of it may be inside and some outside. Where a mesh is open its inside ends at no
    /// triangle.
    static bool isMixed(const FilledMesh& f, const V3f& middle, float half) {
        constexpr float kOff = 0.05f;  // of the winding number
        if (f.surface->closest(middle, half).hit) return true;
        if (f.closed) return false;
        return std::abs(std::abs(f.winding->at(middle)) - 0.5f) <=
               kOff + f.winding->changeWithin(middle, half);
    }

    /// How deep a place lies, below 0 for outside; which mesh it is deepest in, and where that is near.
    struct Deep {
        float depth = -1.0f;
        uint32_t mesh = 0;
        SurfaceHit hit = {};
    };
    /// @param inside  whether it surely lies in one of them
    Deep deepAt(const V3f& p, std::span<const uint32_t> asked, bool inside = false) const {
        Deep out;
        for (const uint32_t i : asked) {
            if (!(inside && asked.size() == 1) && !filled_[i].winding->inside(p)) continue;
            const SurfaceHit hit = filled_[i].surface->closest(p);
            if (hit.hit && hit.distance > out.depth) out = {hit.distance, i, hit};
        }
        return out;
    }
    bool isIn(const V3f& p, std::span<const uint32_t> asked) const {
        if (zoned_ && !byField_) {
            const float depth = deepAt(p, asked).depth;
            return depth >= from_ && depth <= to_ && depth >= 0.0f;
        }
        return std::any_of(asked.begin(), asked.end(),
                           [&](uint32_t i) { return filled_[i].winding->inside(p); });
    }

    /// How many points a block has. @param part  gets which, where that is not all
    uint32_t look(const V3i& block, std::unique_ptr<CellBits>& part) const {
        std::vector<uint32_t> of(filled_.size());
        std::iota(of.begin(), of.end(), 0u);
        const Cells whole{block, V3i(0), kBlockSide};
        const BlockSide side = sideOf(middleOf(whole), reachOf(whole), of);
        if (side.none) return 0;
        if (side.all && o_.share >= 1.0) return kBlockCells;
        std::array<V3f, kBlockCells> places;
        lattice_.places(block, places);
        auto in = std::make_unique<CellBits>();
        mark(whole, side, places, *in);
        const auto count = uint32_t(in->count());
        if (count > 0 && count < kBlockCells) part = std::move(in);
        return count;
    }

    /// A cube of a block's cells.
    struct Cells {
        V3i block, first;
        int side;
    };
    V3f middleOf(const Cells& c) const {
        return (V3f(c.block * kBlockSide + c.first) + V3f(0.5f * float(c.side))) * o_.spacing;
    }
    float reachOf(const Cells& c) const { return 0.8661f * float(c.side) * o_.spacing; }

    /// Those that have points. What is neither full nor empty is looked at in eight parts, down to few cells.
    void mark(const Cells& cells, const BlockSide& side, std::span<const V3f> places, CellBits& in) const {
        constexpr int kFewest = 2;
        if (side.none) return;
        if (!side.all && cells.side > kFewest) {
            const int half = cells.side / 2;
            for (int k = 0; k < 8; ++k) {
                const Cells part{cells.block, cells.first + V3i(k & 1, k >> 1 & 1, k >> 2) * half, half};
                mark(part, sideOf(middleOf(part), reachOf(part), side.asked), places, in);
            }
            return;
        }
        for (int z = 0; z < cells.side; ++z)
            for (int y = 0; y < cells.side; ++y)
                for (int x = 0; x < cells.side; ++x) {
                    const V3i at = cells.first + V3i(x, y, z);
                    const size_t i = size_t((at.z * kBlockSide + at.y) * kBlockSide + at.x);
                    if (isShared(cells.block, i) && (side.all || isIn(places[i], side.asked))) in.set(i);
                }
    }
    bool isShared(const V3i& block, size_t i) const {
        return o_.share >= 1.0 || double(random1(o_.seed, cellId(cellOf(block, i)), Stream::Pick)) < o_.share;
    }

    void makeColumns(AttributeSet& set, size_t count) {
        set.resize(count);
        p_ = set.add<V3f>("P"), id_ = set.add<uint64_t>("id"), n_ = set.add<V3f>("N", V3f(0, 1, 0));
        if (o_.uvs) uv_ = set.add<V2f>("uv");
        if (keepsDepth(o_)) depth_ = set.add<float>("depth");
    }

    /// @param in  which of its cells; null for all
    void put(const V3i& block, const CellBits* in, size_t to) const {
        std::array<V3f, kBlockCells> places;
        lattice_.places(block, places);
        const bool near = o_.normals || o_.uvs || keepsDepth(o_);
        std::vector<uint32_t> all;
        for (uint32_t i = 0; near && i < filled_.size(); ++i) all.push_back(i);
        for (size_t i = 0; i < kBlockCells; ++i) {
            if (in && !in->test(i)) continue;
            p_[to] = places[i], id_[to] = cellId(cellOf(block, i));
            if (near) putNear(to, deepAt(places[i], all, true));
            ++to;
        }
    }
    void putNear(size_t to, const Deep& deep) const {
        const Surface& surface = *filled_[deep.mesh].surface;
        if (o_.normals && deep.hit.hit) n_[to] = surface.normalAt(deep.hit.triangle, deep.hit.u, deep.hit.v);
        if (!uv_.empty() && deep.hit.hit && !surface.mesh().uvs().empty())
            uv_[to] = surface.uvAt(deep.hit.triangle, deep.hit.u, deep.hit.v);
        if (!depth_.empty()) depth_[to] = std::max(0.0f, deep.depth);
    }

    const FillVolumeOptions& o_;
    FillLattice lattice_;
    std::vector<FilledMesh> filled_;
    Box3f box_;
    V3i low_, high_;  // blocks
    bool zoned_ = false, byField_ = false;
    float from_ = 0.0f, to_ = kWhole;
    std::span<V3f> p_, n_;
    std::span<uint64_t> id_;
    std::span<V2f> uv_;
    std::span<float> depth_;
};

/// The volume that a mesh holds, or its box where it is open.
double heldVolume(const Surface& surface) {
    const Mesh& mesh = surface.mesh();
    const V3f size = mesh.bounds().size();
    if (!surface.closed()) return double(size.x) * size.y * size.z;
    double six = 0.0;
    const V3d middle(mesh.bounds().center());
    for (const Triangle& t : mesh.triangles()) {
        const auto corner = [&](int k) { return V3d(mesh.cornerPosition(t[size_t(k)])) - middle; };
        six += corner(0).dot(corner(1).cross(corner(2)));
    }
    return std::abs(six) / 6.0;
}

/// In the world.
std::shared_ptr<const PointSet> movedPoints(const PointSet& points, const M44f& world) {
    auto out = std::make_shared<PointSet>(points);
    const auto p = out->attributes.add<V3f>("P"), n = out->attributes.add<V3f>("N");
    M44f normal = world.inverse();
    normal.transpose();
    const float scale = std::cbrt(std::abs(world.determinant()));
    const auto depth =
        out->attributes.has("depth") ? out->attributes.add<float>("depth") : std::span<float>();
    parallelFor(p.size(), Progress::none(), [&](size_t i) {
        if (!depth.empty()) depth[i] *= scale;
        p[i] = p[i] * world;
        V3f turned;
        normal.multDirMatrix(n[i], turned);
        n[i] = turned.length() > 0.0f ? turned.normalized() : V3f(0, 1, 0);
    });
    return out;
}

/// Those between both depths, which fields say for each.
std::shared_ptr<const PointSet> withinZone(const PointSet& points, const FillVolumeOptions& o,
                                           Progress& progress) {
    const Samples samples = samplesOf(points.attributes);
    const std::vector<float> from = o.from.over(samples, progress);
    std::vector<float> to = o.to.over(samples, progress);
    if (o.to.constant() && !(o.to.high > 0.0f))
        std::fill(to.begin(), to.end(), std::numeric_limits<float>::infinity());
    const auto depth = points.attributes.find<float>("depth");
    std::vector<uint32_t> kept;
    for (size_t i = 0; i < depth.size(); ++i)
        if (depth[i] >= from[i] && depth[i] <= to[i]) kept.push_back(uint32_t(i));
    auto out = std::make_shared<PointSet>();
    out->attributes = points.attributes.gathered(kept);
    if (!o.depth) out->attributes.remove("depth");
    return out;
}

}  // namespace

double likelyFill(std::span<const SurfacePtr> surfaces, const FillVolumeOptions& o) {
    double volume = 0.0;
    for (const SurfacePtr& s : surfaces) {
        double own = heldVolume(*s);
        if (!o.to.field && o.to.high > 0.0f)
            own = std::min(own, s->area() * double(std::max(0.0f, o.to.high - o.from.high)));
        volume += own;
    }
    const double cell = double(o.spacing) * o.spacing * o.spacing;
    return volume / cell * o.share;
}

std::shared_ptr<const PointSet> fillVolume(std::span<const SurfacePtr> surfaces, const FillVolumeOptions& o,
                                           Progress& progress) {
    if (!(o.spacing > 0.0f) || !std::isfinite(o.spacing))
        throw Error("the spacing is no length", {}, "Set a spacing above 0");
    for (const SurfacePtr& s : surfaces)
        if (s->mesh().triangles().empty())
            throw Error("has no faces to be filled", {}, "Choose a mesh with faces");
    if (surfaces.empty())
        throw Error("there is nothing to fill", {}, "Choose a mesh, or put the layer on one");
    const double likely = likelyFill(surfaces, o);
    requireCount(likely);
    // Half of it: a guess must refuse nothing that would fit.
    requireMemory(0.5 * likely * bytesOfPoint(o), o.memoryLimit, likely);
    auto points = Filler(surfaces, o).fill(progress);
    if (o.world != M44f()) points = movedPoints(*points, o.world);
    if (o.from.field || o.to.field) points = withinZone(*points, o, progress);
    return masked(std::move(points), o.mask, o.seed, progress);
}

namespace {

constexpr const char *kFillStrict = "strict", *kFillVolumeId = "fill_volume";

const struct FillVolumeParams : ParamTable {
    Handle<Refs> of = add(refs("of", "Fills", "object or layer",
                               "What is filled, all together; the layer's own surface where none is chosen"));
    Handle<double> spacing =
        add(number("spacing", "Spacing", starting(FillVolumeOptions{}.spacing), "m", 1e-6, 1e5, 0.002, 0.5,
                   "Between points: half of it is eight times as many"));
    Handle<double> viewSpacing = add(number("view_spacing", "In the view", 0.1, "m", 0, 1e5, 0.005, 0.5,
                                            "The spacing of Draft; 0 is a part of all"));
    Handle<FillVolumeOptions::Pattern> pattern = add(
        choice(kFillPattern, "Pattern", "even", {kFillStrict, kFillJittered, "even"},
               "A lattice, whose rows show; anywhere in its cells; or pushed apart, so that none are close"));
    Handle<double> jitter = add(shownIf(unitNumber("jitter", "Jitter", starting(FillVolumeOptions{}.jitter),
                                                   "Part of its cell that a point may lie in"),
                                        "pattern=jittered"));
    Handle<Varying> from =
        add(drivable(number("from", "Depth from", 0, "m", 0, 1e6, 0, 1, "Nothing is nearer to the surface")));
    Handle<Varying> to = add(drivable(number("to", "Depth to", 0, "m", 0, 1e6, 0, 1,
                                             "Nothing is further from it; 0 is all the way to the core")));
    Handle<bool> normals = add(flag("normals", "Normals", starting(FillVolumeOptions{}.normals),
                                    "Of the nearest place of the surface"));
    Handle<bool> uvs =
        add(flag("uvs", "UVs", starting(FillVolumeOptions{}.uvs), "Of the nearest place of the surface"));
    Handle<bool> depth = add(flag("depth", "Keep depth", starting(FillVolumeOptions{}.depth),
                                  "Metres under the surface, as the channel depth"));
    Handle<int64_t> seed = add(seedSpec("Another number, other places in their cells"));
    Handle<Varying> mask = add(maskSpec());
} kFillVolume;

/// One object alone is filled in its own space, and its points go with it.
std::optional<SceneQuery::Placed> oneObject(const StepInput& in) {
    std::string only;
    for (const std::string& id : in.params[kFillVolume.of]) {
        if (id.empty()) continue;
        if (!only.empty()) return {};
        only = id;
    }
    if (only.empty() || !in.query || in.query->kindOf(only) != SceneQuery::Kind::Object) return {};
    const SceneQuery::Placed placed = in.query->placed(only);
    return placed.world.determinant() != 0.0f ? std::optional(placed) : std::nullopt;
}

std::vector<SurfacePtr> filledBy(const StepInput& in) {
    std::vector<SurfacePtr> out;
    for (const std::string& id : in.params[kFillVolume.of])
        if (!id.empty()) {
            if (!in.query) throw Error("cannot see other objects here", id, "Fill the layer's own surface");
            out.push_back(in.query->surface(id));
        }
    if (out.empty() && in.surface) out.push_back(in.surface);
    return out;
}

Geometry applyFillVolume(const StepInput& in) {
    FillVolumeOptions o;
    o.spacing = float(in.params[kFillVolume.spacing]);
    o.share = in.share;
    if (in.draft && in.params[kFillVolume.viewSpacing] > 0.0)
        o.spacing = std::max(o.spacing, float(in.params[kFillVolume.viewSpacing])), o.share = 1.0;
    o.pattern = in.params[kFillVolume.pattern];
    o.jitter = float(in.params[kFillVolume.jitter]);
    o.from = in.params[kFillVolume.from], o.to = in.params[kFillVolume.to];
    o.normals = in.params[kFillVolume.normals], o.uvs = in.params[kFillVolume.uvs],
    o.depth = in.params[kFillVolume.depth];
    o.seed = uint64_t(in.params[kFillVolume.seed]);
    o.mask = in.params[kFillVolume.mask];
    o.memoryLimit = in.memoryLimit;
    const auto own = oneObject(in);
    const std::vector<SurfacePtr> surfaces = own ? std::vector<SurfacePtr>{own->shape} : filledBy(in);
    if (own) {
        const float scale = std::cbrt(std::abs(own->world.determinant()));
        o.spacing /= scale;
        for (Varying* depth : {&o.from, &o.to})
            if (!o.from.field && !o.to.field) depth->low /= scale, depth->high /= scale;
        o.world = own->world;
    }
    const auto made = fillVolume(surfaces, o, in.progress);
    const auto open =
        std::count_if(surfaces.begin(), surfaces.end(), [](const auto& s) { return !s->closed(); });
    if (open) in.note("what is filled is open: the inside is what it surrounds more than half");
    if (elementCount(made) == 0) in.note("no point lies within: the spacing is larger than what is filled");
    return made;
}

}  // namespace

bool fillsInRows(const std::string& stepType, const ParamMap& params) {
    const auto at = params.find(kFillPattern);
    const auto* pattern = at == params.end() ? nullptr : std::get_if<std::string>(&at->second.value);
    return stepType == kFillVolumeId && pattern && *pattern == kFillStrict;
}

StepType fillVolumeStep() {
    return {.id = kFillVolumeId,
            .title = "Fill a volume",
            .phase = Phase::Place,
            .help = "Points within meshes, evenly, in all of the inside or between two depths",
            .takes = GeometryKind::Nothing,
            .gives = GeometryKind::Points,
            .params = kFillVolume.specs(),
            .masked = true,
            .followsDraft = [](const ParamMap& p) { return valueIn(p, kFillVolume.viewSpacing) > 0.0; },
            .draftPart =
                [](const ParamMap& p) {
                    const double view = valueIn(p, kFillVolume.viewSpacing),
                                 all = valueIn(p, kFillVolume.spacing);
                    const double part = view > all && all > 0.0 ? all / view : 1.0;
                    return view > 0.0 ? part * part * part : 0.0;
                },
            .apply = applyFillVolume};
}

}  // namespace ovrix::ops
