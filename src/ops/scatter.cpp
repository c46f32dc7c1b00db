#include "ops/scatter.h"

#include "base/parallel.h"

namespace ovrix {

namespace {

constexpr size_t kMostElements = size_t(1) << 31;
constexpr size_t kPiece = 1024;

struct Columns {
    std::span<V3f> p, n;
    std::span<uint64_t> id;
    std::span<V2f> uv;
};

Columns makeColumns(AttributeSet& set, size_t count, bool withUv) {
    // Sized without filling: each element is written once, by the thread that made it.
    set.set("P", std::vector<V3f>(count));
    set.set("N", std::vector<V3f>(count));
    set.set("id", std::vector<uint64_t>(count));
    if (withUv) set.set("uv", std::vector<V2f>(count));
    return {set.add<V3f>("P"), set.add<V3f>("N"), set.add<uint64_t>("id"),
            withUv ? set.add<V2f>("uv") : std::span<V2f>()};
}

void fillPiece(const Surface& surface, uint64_t seed, size_t begin, size_t end, const Columns& out) {
    std::array<Surface::Sample, kPiece> samples;
    for (size_t b = begin; b < end; b += kPiece) {
        const size_t n = std::min(kPiece, end - b);
        surface.sample(seed, b, n, samples.data());
        for (size_t i = 0; i < n; ++i) {
            out.p[b + i] = samples[i].position;
            out.n[b + i] = samples[i].normal;
            out.id[b + i] = b + i;
        }
        if (out.uv.empty()) continue;
        for (size_t i = 0; i < n; ++i)
            out.uv[b + i] = surface.uvAt(samples[i].triangle, samples[i].u, samples[i].v);
    }
}

/// Indices of the elements that their own random number lets through.
std::vector<uint32_t> passing(const PointSet& points, const ScatterOptions& options, Progress& progress) {
    const Samples samples = samplesOf(points.attributes);
    std::vector<uint8_t> pass(points.size());
    parallelRanges(points.size(), 4096, progress, [&](size_t begin, size_t end) {
        const Driven piece = options.keep;
        std::vector<float> chance(end - begin, piece.high);
        if (piece.field) {
            piece.field->evaluate(samples.sub(begin, end - begin), chance);
            for (float& x : chance) x = lerp(piece.low, piece.high, x);
        }
        for (size_t i = begin; i < end; ++i)
            pass[i] = random1(options.seed, samples.id[i], Stream::Keep) < chance[i - begin];
    });
    std::vector<uint32_t> indices;
    for (size_t i = 0; i < pass.size(); ++i)
        if (pass[i]) indices.push_back(uint32_t(i));
    return indices;
}

}  // namespace

std::shared_ptr<const PointSet> scatterOnSurface(const Surface& surface, const ScatterOptions& o,
                                                 Progress& progress) {
    if (!(surface.area() > 0.0))
        throw Error("the surface has no area", {}, "Check that its mesh has faces and its scale is not 0");
    const size_t count = size_t(std::ceil(double(o.count) * std::clamp(o.share, 0.0, 1.0)));
    const bool uv = o.uv && !surface.mesh().uvs().empty();
    const double perElement = 12 + 12 + 8 + (uv ? 8 : 0);
    askForMemory(perElement * double(count), o.memoryLimit, double(count));
    if (count > kMostElements)
        throw Error(fmt::format("{} elements are more than one layer can hold ({})", count, kMostElements),
                    {}, "Lower the count or density, or divide them over several layers");
    Progress::Task task(progress, "Scattering");
    auto points = std::make_shared<PointSet>();
    const Columns columns = makeColumns(points->attributes, count, uv);
    parallelRanges(count, 16384, progress,
                   [&](size_t begin, size_t end) { fillPiece(surface, o.seed, begin, end, columns); });
    if (o.keep.constant() && o.keep.high >= 1.0f) return points;
    const std::vector<uint32_t> indices = passing(*points, o, progress);
    if (indices.size() == points->size()) return points;
    auto kept = std::make_shared<PointSet>();
    kept->attributes = points->attributes.gathered(indices);
    return kept;
}

namespace {

Geometry applyScatter(const StepInput& in) {
    if (!in.surface) throw Error("the layer lies on no surface", {}, "Choose a surface for the layer");
    ScatterOptions o;
    const bool byDensity = in.params.text("amount") == "density";
    const double wanted = byDensity ? std::round(in.params.number("density") * in.surface->area())
                                    : double(in.params.integer("count"));
    // With what later steps add, and what the cache keeps of each.
    askForMemory(160.0 * wanted * in.share, in.memoryLimit, wanted * in.share);
    o.count = size_t(wanted);
    o.seed = uint64_t(in.params.integer("seed"));
    o.keep = in.params.driven("keep");
    o.share = in.share;
    o.memoryLimit = in.memoryLimit;
    return scatterOnSurface(*in.surface, o, in.progress);
}

}  // namespace

StepType scatterStep() {
    return {.id = "scatter",
            .title = "Scatter on surface",
            .phase = Phase::Place,
            .help = "Strews points over the surface at random, evenly by area",
            .takes = GeometryKind::Nothing,
            .gives = GeometryKind::Points,
            .params = {{.id = "amount",
                        .title = "Amount by",
                        .type = ParamType::Choice,
                        .initial = std::string("count"),
                        .help = "A fixed number, or so many per square metre",
                        .choices = {"count", "density"}},
                       {.id = "count",
                        .title = "Count",
                        .type = ParamType::Int,
                        .initial = int64_t(2000),
                        .hardMin = 0,
                        .hardMax = 1e12,
                        .softMin = 0,
                        .softMax = 50000,
                        .help = "Elements before the mask; raising it keeps those that are there",
                        .showIf = "amount=count"},
                       {.id = "density",
                        .title = "Density",
                        .initial = 500.0,
                        .unit = "1/m2",
                        .hardMin = 0,
                        .hardMax = 1e12,
                        .softMin = 0,
                        .softMax = 5000,
                        .help = "Elements per square metre before the mask",
                        .showIf = "amount=density"},
                       seedSpec("Another number, another arrangement"),
                       {.id = "keep",
                        .title = "Mask",
                        .initial = 1.0,
                        .hardMin = 0,
                        .hardMax = 1,
                        .softMin = 0,
                        .softMax = 1,
                        .drivable = true,
                        .help = "Chance that an element stays; a field says where"}},
            .apply = applyScatter};
}

}  // namespace ovrix
