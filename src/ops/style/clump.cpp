#include "ops/style/clump.h"

#include <fmt/format.h>

#include "base/hash.h"
#include "geo/points/nearest.h"
#include "geo/surface/surface.h"
#include "params/param_table.h"
#include "params/starting.h"

namespace ovrix::ops {

using namespace specs;

namespace {

const struct ClumpParams : ParamTable {
    Handle<std::string> amount = add(
        choice("amount", "Amount by", "size", {"size", "count"}, "The width of a clump, or their number"));
    Handle<double> size = add(
        shownIf(number("size", "Size", 0.02, "m", 1e-6, 1e4, 0.001, 0.2, "Width of a clump"), "amount=size"));
    Handle<int64_t> count = add(shownIf(
        whole("count", "Count", 500, 1, 1e9, 1, 10000, "Clumps; more keep the centres that are there"),
        "amount=count"));
    EffectParams effect{*this, {{0, 0}, {0.35f, 0.35f}, {1, 0.9f}}, "Another number, other centres"};
    Handle<double> stray = add(unitNumber("stray", "Strays", 0.03, "Fraction of strands that join no clump"));
    Handle<int64_t> levels =
        add(whole("levels", "Levels", starting(ClumpOptions{}.levels), 1, 4, 1, 4, "Clumps of clumps"));
    Handle<double> gather = add(shownIf(number("gather", "Gather", starting(ClumpOptions{}.gather), "", 1,
                                               1e6, 2, 20, "Clumps that make one of the next level"),
                                        "levels!=1"));
    Handle<double> loosen = add(shownIf(unitNumber("loosen", "Loosen", starting(ClumpOptions{}.loosen),
                                                   "Strength of a level by the one before"),
                                        "levels!=1"));
} kClump;

/// The strands by their own random numbers, the lowest @p count of them, in that order.
std::vector<uint32_t> centres(const StrandSet& set, size_t count, uint64_t seed) {
    const auto id = set.strands.find<uint64_t>("id");
    std::vector<std::pair<uint64_t, uint32_t>> all(set.size());
    for (size_t s = 0; s < all.size(); ++s)
        all[s] = {random4(seed, id[s], Stream::Clump).word(1),
                  uint32_t(s)};  // the other half says who strays
    count = std::min(count, all.size());
    std::nth_element(all.begin(), all.begin() + std::ptrdiff_t(count), all.end());
    std::sort(all.begin(), all.begin() + std::ptrdiff_t(count));
    std::vector<uint32_t> out(count);
    for (size_t i = 0; i < count; ++i) out[i] = all[i].second;
    return out;
}

/// One level: every strand towards the nearest of the centres.
void gatherOnto(const StrandSet& set, std::span<const uint32_t> centre, std::span<const uint32_t> of,
                std::span<const float> strength, const AlongTable& along, float factor, std::span<V3f> p,
                Progress& progress) {
    // Centres stay where they are, so that all may read them while the others move.
    std::vector<uint8_t> isCentre(set.size());
    for (uint32_t c : centre) isCentre[c] = 1;
    parallelRanges(set.size(), 512, progress, [&](size_t begin, size_t end) {
        StrandScratch scratch, middle;
        for (size_t s = begin; s < end; ++s) {
            if (isCentre[s] || strength[s] * factor <= 0.0f) continue;
            const size_t c = centre[of[s]];
            const size_t n = set.pointsOf(s), m = set.pointsOf(c);
            const auto line = p.subspan(set.start[s], n), to = p.subspan(set.start[c], m);
            scratch.fit(n);
            alongOf(line, scratch.t);
            if (m != n) {
                middle.fit(m);
                alongOf(to, middle.t);
            }
            for (size_t i = 1; i < n; ++i) {
                const float w = std::clamp(along.at(scratch.t[i]) * strength[s] * factor, 0.0f, 1.0f);
                const V3f target = m == n ? to[i] : placeAlong(to, middle.t, scratch.t[i]);
                line[i] = line[i] * (1.0f - w) + target * w;
            }
        }
    });
}

}  // namespace

StrandsPtr clump(const StrandSet& in, const ClumpOptions& o, Progress& progress) {
    Progress::Task task(progress, "Clumping");
    if (in.size() == 0) return std::make_shared<StrandSet>(in);
    auto out = std::make_shared<StrandSet>(in);
    const auto id = in.strands.find<uint64_t>("id");
    const auto root = in.strands.find<V3f>("P");
    std::vector<float> strength = o.effect.strength.over(samplesOf(in), progress);
    parallelFor(in.size(), progress, [&](size_t s) {
        if (o.stray > 0.0f && random1(o.effect.seed, id[s], Stream::Clump) < o.stray) strength[s] = 0.0f;
    });
    std::vector<uint32_t> centre = centres(in, std::max<size_t>(1, o.count), o.effect.seed);
    const AlongTable along(o.effect.along);
    const auto p = out->points.add<V3f>("P");
    auto number = out->strands.add<int32_t>("clump");
    std::vector<uint32_t> of(in.size());
    float factor = 1.0f;
    for (int level = 0; level < std::clamp(o.levels, 1, 4); ++level) {
        std::vector<V3f> positions(centre.size());
        for (size_t c = 0; c < centre.size(); ++c) positions[c] = root[centre[c]];
        const NearestPoints tree(std::move(positions));
        parallelFor(in.size(), progress, [&](size_t s) {
            const size_t c = tree.nearest(root[s], std::numeric_limits<float>::infinity());
            of[s] = uint32_t(std::min(c, centre.size() - 1));
            if (level == 0) number[s] = int32_t(mixBits(id[centre[of[s]]]) & 0x7fffffff);
        });
        gatherOnto(in, centre, of, strength, along, factor, p, progress);
        centre.resize(std::max<size_t>(1, size_t(float(centre.size()) / std::max(1.0f, o.gather))));
        factor *= o.loosen;
    }
    return out;
}

namespace {

/// How many clumps of a width the surface under the strands takes.
size_t countForSize(const StepInput& in, double size) {
    if (!in.surface)
        throw Error("the size of clumps needs a surface", {}, "Choose a surface, or clump by number");
    return size_t(std::clamp(in.surface->area() / std::max(1e-12, size * size), 1.0, 1e9));
}

Geometry applyClump(const StepInput& in) {
    ClumpOptions o;
    o.effect = effectOf(in, kClump.effect);
    const auto strands = strandsOf(in);
    const bool bySize = in.params[kClump.amount] == "size";
    o.count = bySize ? countForSize(in, in.params[kClump.size]) : size_t(in.params[kClump.count]);
    if (!bySize && o.count > strands->size())
        in.note(fmt::format("{} clumps are more than the {} strands: each is a clump of its own", o.count,
                            strands->size()));
    o.stray = float(in.params[kClump.stray]);
    o.levels = int(in.params[kClump.levels]);
    o.gather = float(in.params[kClump.gather]);
    o.loosen = float(in.params[kClump.loosen]);
    return clump(*strands, o, in.progress);
}

}  // namespace

StepType clumpStep() {
    return {.id = "clump",
            .title = "Clump",
            .phase = Phase::Shape,
            .help = "Draws strands together, by default most at their tips",
            .takes = GeometryKind::Strands,
            .gives = GeometryKind::Strands,
            .params = kClump.specs(),
            .apply = applyClump};
}

}  // namespace ovrix::ops
