#include "ops/groom/fill.h"

#include <fmt/format.h>

#include "base/lanes.h"
#include "geo/points/nearest.h"
#include "geo/surface/surface.h"
#include "ops/groom/grow.h"
#include "ops/place/along.h"
#include "ops/place/place_points.h"
#include "ops/place/scatter.h"
#include "ops/rebind.h"
#include "params/param_table.h"
#include "params/starting.h"

namespace ovrix::ops {

using namespace specs;

namespace {

constexpr size_t kMostGuides = 8, kMostSeen = 32;

const struct FillParams : ParamTable {
    Handle<std::string> amount = add(choice("amount", "Amount by", "count", {"count", "density"},
                                            "A fixed number, or so many per square metre"));
    Handle<int64_t> count =
        add(shownIf(whole("count", "Count", 20000, 0, 1e12, 0, 500000,
                          "Strands before the mask; raising it keeps those that are there"),
                    "amount=count"));
    Handle<double> density = add(shownIf(number("density", "Density", 50000, "1/m2", 0, 1e12, 0, 1e6,
                                                "Strands per square metre before the mask"),
                                         "amount=density"));
    Handle<Varying> mask = add(maskSpec());
    Handle<int64_t> guides =
        add(whole("guides", "Guides", starting(FillOptions{}.guides), 1, double(kMostGuides), 1, 6,
                  "How many of the nearest guides shape one strand"));
    Handle<double> reach =
        add(number("reach", "Max distance", starting(FillOptions{}.reach), "m", 0, 1e6, 0, 1,
                   "Guides further off do not count, and strands without one are left out; 0 has "
                   "no limit"));
    Handle<Refs> partings = add(refs("partings", "Partings", "curve", "Lines that no strand looks across"));
    Handle<Varying> zone =
        add(drivable(unitNumber("zone", "Zone", starting(FillOptions{}.zone),
                                "Give it a field, painted perhaps: strands follow guides on their own "
                                "side of 0.5")));
    Handle<VaryingRange> length =
        add(drivable(range("length", "Length", Range{0.85, 1.1}, "", 0, 1e3, 0, 2,
                           "Factors on what the guides give; each strand picks one between")));
    Handle<int64_t> seed = add(seedSpec("Another number, another arrangement"));
} kFill;

/// Guides as filling reads them: points from their roots, all with as many.
struct Guides {
    size_t per = 0;
    std::vector<Float4> offset;  // x y z from the root, and the width
    std::vector<V3f> rest, normal;
    std::vector<float> zone;
    std::unique_ptr<NearestPoints> tree;
};

/// Where roots are on the surface at rest: where they were grown, if it has the same faces.
std::vector<V3f> rootsAt(const Surface& rest, const Surface& now, const AttributeSet& strands) {
    const auto p = strands.find<V3f>("P");
    std::vector<V3f> out(p.begin(), p.end());
    const auto triangle = strands.find<int32_t>("triangle");
    const auto bary = strands.find<V2f>("bary");
    if (&rest == &now || triangle.empty() || bary.empty() || !sameTopology(rest, now)) return out;
    for (size_t i = 0; i < out.size(); ++i)
        if (triangle[i] >= 0 && size_t(triangle[i]) < rest.mesh().triangles().size())
            out[i] = rest.sampleAt(uint32_t(triangle[i]), bary[i].x, bary[i].y).position;
    return out;
}

bool uniform(const StrandSet& set) {
    for (size_t s = 1; s < set.size(); ++s)
        if (set.pointsOf(s) != set.pointsOf(0)) return false;
    return true;
}

std::vector<float> zonesOf(const Varying& zone, const AttributeSet& strands, std::span<const V3f> rest,
                           Progress& progress) {
    if (zone.constant()) return {};
    Samples samples = samplesOf(strands);
    samples.with(channel::position, rest);
    return zone.over(samples, progress);
}

Guides prepare(const StrandSet& in, const Surface& rest, const Surface& now, const Varying& zone,
               Progress& progress) {
    Guides g;
    const StrandsPtr even = uniform(in) ? nullptr : resampled(in, in.pointsOf(0), progress);
    const StrandSet& set = even ? *even : in;
    g.per = set.pointsOf(0);
    g.rest = rootsAt(rest, now, set.strands);
    const auto p = set.points.find<V3f>("P"), n = set.strands.find<V3f>("N");
    const auto width = set.points.find<float>("width");
    g.normal.assign(n.begin(), n.end());
    g.offset.resize(p.size());
    parallelFor(set.size(), progress, [&](size_t s) {
        const V3f& root = p[set.start[s]];
        for (size_t i = set.start[s]; i < set.start[s + 1]; ++i) {
            const V3f d = p[i] - root;
            g.offset[i] = Float4{d.x, d.y, d.z, width.empty() ? 0.0f : width[i]};
        }
    });
    g.zone = zonesOf(zone, set.strands, g.rest, progress);
    g.tree = std::make_unique<NearestPoints>(g.rest);
    return g;
}

/// Whether a parting runs between two roots, seen along the normal.
class Partings {
  public:
    explicit Partings(std::shared_ptr<const CurveSet> curves) : curves_(std::move(curves)) {}

    bool near(const V3f& root, float reach) const {
        return curves_ && curves_->closest(root, reach).has_value();
    }

    bool between(const V3f& root, const V3f& normal, const V3f& guide) const {
        V3f x, y;
        basis(normal, x, y);
        const auto flat = [&](const V3f& p) { return V2f((p - root).dot(x), (p - root).dot(y)); };
        const V2f to = flat(guide);
        const float far = 2.0f * (guide - root).length();
        for (size_t c = 0; c < curves_->size(); ++c) {
            const auto& line = curves_->line(c);
            for (size_t i = 1; i < line.size(); ++i) {
                if ((line[i] - root).length() > far + (line[i] - line[i - 1]).length()) continue;
                if (cross(to, flat(line[i - 1]), flat(line[i]))) return true;
            }
        }
        return false;
    }

  private:
    /// Whether the way from the origin to @p to meets the piece from a to b.
    static bool cross(const V2f& to, const V2f& a, const V2f& b) {
        const V2f d = b - a;
        const float det = to.x * d.y - to.y * d.x;
        if (det == 0.0f) return false;
        const float t = (a.x * d.y - a.y * d.x) / det, u = (a.x * to.y - a.y * to.x) / det;
        return t >= 0.0f && t <= 1.0f && u >= 0.0f && u <= 1.0f;
    }

    std::shared_ptr<const CurveSet> curves_;
};

/// The guides that one root follows, with weights that add up to 1.
struct Followed {
    std::array<uint32_t, kMostGuides> guide;
    std::array<float, kMostGuides> weight;
    size_t count = 0;
};

Followed follow(const Guides& g, const Partings& partings, const V3f& root, const V3f& normal, float zone,
                const FillOptions& o) {
    const size_t most = std::clamp<size_t>(size_t(o.guides), 1, kMostGuides);
    std::array<uint32_t, kMostSeen> index;
    std::array<float, kMostSeen> d2;
    const bool picky = o.partings || !g.zone.empty();
    const size_t seen = g.tree->closestFew(root, picky ? kMostSeen : most + 1, index.data(), d2.data());
    Followed f;
    if (seen == 0) return f;
    const float reach2 = o.reach > 0.0f ? o.reach * o.reach : std::numeric_limits<float>::max();
    const bool parted = o.partings && partings.near(root, std::sqrt(d2[seen - 1]) * 1.0001f + 1e-6f);
    float fade2 = reach2;  // where the weight of the last has gone to 0
    for (size_t k = 0; k < seen && d2[k] < reach2; ++k) {
        if (!g.zone.empty() && (g.zone[index[k]] >= 0.5f) != (zone >= 0.5f)) continue;
        if (parted && partings.between(root, normal, g.rest[index[k]])) continue;
        if (f.count == most) {
            fade2 = std::min(fade2, d2[k]);
            break;
        }
        f.guide[f.count] = index[k];
        f.weight[f.count++] = d2[k];
    }
    float sum = 0.0f;
    const float fade = std::sqrt(fade2);
    for (size_t k = 0; k < f.count; ++k) {
        const float d = std::sqrt(f.weight[k]);
        if (d <= 1e-9f) {  // at a guide's root: that guide
            f.guide[0] = f.guide[k], f.weight[0] = 1.0f, f.count = 1;
            return f;
        }
        const float w = fade2 < 1e30f ? std::max(0.0f, fade - d) / (fade * d) : 1.0f / d;
        sum += f.weight[k] = w * w;
    }
    if (!(sum > 0.0f)) {  // all equally far, at the fade's end
        for (size_t k = 0; k < f.count; ++k) f.weight[k] = 1.0f / float(f.count);
        return f;
    }
    for (size_t k = 0; k < f.count; ++k) f.weight[k] /= sum;
    return f;
}

/// Columns of the turn from one normal to another, times a weight.
struct Turned {
    Float4 x, y, z;
    Turned(const V3f& from, const V3f& to, float weight, float size) {
        const Quatf q = turnBetween(from, to);
        const auto column = [&](const V3f& axis) {
            const V3f v = rotate(q, axis) * (weight * size);
            return Float4{v.x, v.y, v.z, 0.0f};
        };
        x = column({1, 0, 0}), y = column({0, 1, 0}), z = column({0, 0, 1});
    }
};

void shape(const Guides& g, const Followed& f, const V3f& root, const V3f& normal, float size,
           std::span<V3f> p, std::span<float> width) {
    std::array<Float4, 64> sum;
    for (size_t begin = 0; begin < g.per; begin += sum.size()) {
        const size_t n = std::min(sum.size(), g.per - begin);
        std::fill_n(sum.begin(), n, Float4{root.x, root.y, root.z, 0.0f});
        for (size_t k = 0; k < f.count; ++k) {
            const Turned m(g.normal[f.guide[k]], normal, f.weight[k], size);
            const Float4* from = &g.offset[f.guide[k] * g.per + begin];
            const Float4 w{0, 0, 0, f.weight[k]};
            for (size_t i = 0; i < n; ++i)
                sum[i] += m.x * from[i][0] + m.y * from[i][1] + m.z * from[i][2] + w * from[i];
        }
        for (size_t i = 0; i < n; ++i) {
            p[begin + i] = V3f(sum[i][0], sum[i][1], sum[i][2]);
            width[begin + i] = sum[i][3];
        }
    }
}

/// The columns of strands on roots, without their points.
std::shared_ptr<StrandSet> strandsOn(AttributeSet roots, const Surface& now, size_t per, Progress& progress) {
    auto out = std::make_shared<StrandSet>();
    out->strands = std::move(roots);
    const size_t count = out->strands.size();
    const auto normal = out->strands.find<V3f>("N");
    const auto triangle = out->strands.find<int32_t>("triangle");
    out->strands.set("orient", std::vector<Quatf>(count));
    auto orient = out->strands.add<Quatf>("orient");
    out->start.resize(count + 1);
    parallelFor(count, progress, [&](size_t s) {
        out->start[s + 1] = uint32_t((s + 1) * per);
        orient[s] = rootFrame(normal[s], edgeOf(now.mesh(), uint32_t(triangle[s])));
    });
    out->points.set("P", std::vector<V3f>(count * per));
    out->points.set("width", std::vector<float>(count * per));
    return out;
}

}  // namespace

StrandsPtr fill(const StrandSet& in, const Surface& rest, const Surface& now, const FillOptions& o,
                Progress& progress, size_t* lonely) {
    if (in.size() == 0)
        throw Error("there are no guides to fill between", {},
                    "Raise the number of guides, or grow all strands");
    const double wanted = double(o.count) * std::clamp(o.share, 0.0, 1.0);
    requireMemory(bytesPerStrand(in.pointsOf(0)) * wanted, o.memoryLimit, wanted);
    if (wanted * double(in.pointsOf(0)) > 4e9)
        throw Error("the strands would have more points than one layer can hold", {}, "Lower the count");
    Progress::Task task(progress, "Filling");
    const Guides g = prepare(in, rest, now, o.zone, progress);
    ScatterOptions s;
    s.count = o.count, s.seed = o.seed, s.share = o.share, s.mask = o.mask, s.memoryLimit = o.memoryLimit;
    const auto roots = scatterOnSurface(rest, s, progress);
    const auto zone = zonesOf(o.zone, roots->attributes, roots->attributes.find<V3f>("P"), progress);
    const auto size = o.length.over(samplesOf(roots->attributes), o.seed, Stream::Length, progress);
    const auto carried = &rest == &now ? roots : pointsRebound(*roots, rest, now, progress, nullptr);
    auto out = strandsOn(carried->attributes, now, g.per, progress);
    const auto restRoot = roots->attributes.find<V3f>("P"), restNormal = roots->attributes.find<V3f>("N");
    const auto root = out->strands.find<V3f>("P"), normal = out->strands.find<V3f>("N");
    auto p = out->points.add<V3f>("P");
    auto width = out->points.add<float>("width");
    const Partings partings(o.partings);
    std::vector<uint8_t> found(out->size());
    parallelRanges(out->size(), 256, progress, [&](size_t begin, size_t end) {
        for (size_t i = begin; i < end; ++i) {
            const Followed f =
                follow(g, partings, restRoot[i], restNormal[i], zone.empty() ? 1.0f : zone[i], o);
            found[i] = f.count > 0;
            shape(g, f, root[i], normal[i], size[i], p.subspan(i * g.per, g.per),
                  width.subspan(i * g.per, g.per));
        }
    });
    breakUnusable(*out, samplesOf(roots->attributes), {o.length.field, o.zone.field});
    std::vector<uint32_t> kept;
    for (size_t i = 0; i < found.size(); ++i)
        if (found[i]) kept.push_back(uint32_t(i));
    if (lonely) *lonely = found.size() - kept.size();
    if (kept.size() == found.size()) return out;
    return std::get<StrandsPtr>(gathered(StrandsPtr(out), kept));
}

static Geometry applyFill(const StepInput& in) {
    const Surface& now = surfaceOf(in);
    FillOptions o;
    const double wanted = in.params[kFill.amount] == "density"
                              ? std::round(in.params[kFill.density] * now.area())
                              : double(in.params[kFill.count]);
    requireCount(wanted * in.share);
    const auto guides = strandsOf(in);
    requireMemory(bytesPerStrand(guides->size() ? guides->pointsOf(0) : 2) * wanted * in.share,
                  in.memoryLimit, wanted * in.share);
    o.count = size_t(wanted);
    o.share = in.share;
    o.mask = in.params[kFill.mask];
    o.guides = int(in.params[kFill.guides]);
    o.reach = float(in.params[kFill.reach]);
    o.zone = in.params[kFill.zone];
    o.length = in.params[kFill.length];
    o.seed = uint64_t(in.params[kFill.seed]);
    o.memoryLimit = in.memoryLimit;
    const Refs& partings = in.params[kFill.partings];
    if (std::any_of(partings.begin(), partings.end(), [](const std::string& id) { return !id.empty(); }))
        o.partings = curvesOf(in, kFill.partings);
    size_t lonely = 0, broken = 0;
    const auto made =
        withoutBroken(fill(*guides, in.rest ? *in.rest : now, now, o, in.progress, &lonely), &broken);
    if (lonely)
        in.note(fmt::format("{} {} no guide within reach and {} left out", lonely,
                            lonely == 1 ? "strand found" : "strands found", lonely == 1 ? "was" : "were"));
    in.note(droppedNote(broken));
    return made;
}

StepType fillStep() {
    return {.id = "fill",
            .title = "Fill",
            .phase = Phase::Place,
            .help = "Lays many strands between the guides that come before it",
            .takes = GeometryKind::Strands,
            .gives = GeometryKind::Strands,
            .params = kFill.specs(),
            .fills = true,
            .apply = applyFill};
}

}  // namespace ovrix::ops
