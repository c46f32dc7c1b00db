#include "ops/groom/trace.h"

#include "base/noise.h"
#include "geo/surface/surface.h"
#include "ops/groom/grow.h"
#include "params/param_table.h"
#include "params/starting.h"

namespace ovrix::ops {

using namespace specs;

namespace {

const struct TraceParams : ParamTable {
    Handle<int64_t> steps = add(
        whole("steps", "Steps", starting(TraceOptions{}.steps), 1, 4096, 4, 200, "Pieces of each strand"));
    Handle<VaryingRange> length = add(drivable(range("length", "Step length", starting(TraceOptions{}.length),
                                                     "m", 0, 1e4, 0, 0.1, "Each strand picks one between")));
    Handle<double> size = add(number("size", "Whirl size", starting(TraceOptions{}.size), "m", 1e-6, 1e5,
                                     0.01, 2, "Width of a whirl: small is tight, large is loose"));
    Handle<std::string> kind =
        add(choice("kind", "Kind", "soft", {"soft", "ridged"}, "Even whirls, or sharp turns along crests"));
    Handle<int64_t> octaves = add(whole("octaves", "Octaves", starting(TraceOptions{}.octaves), 1, 6, 1, 4,
                                        "Finer whirls in the large ones"));
    Handle<Varying> normal =
        add(drivable(number("normal", "Outward", starting(TraceOptions{}.normal), "", -1e3, 1e3, -2, 3,
                            "Pull along the surface's normal at the root; the whirls pull by 1")));
    Handle<V3f> bias =
        add(vector("bias", "Bias", starting(TraceOptions{}.bias), "", 2, "A steady pull in the world"));
    Handle<Varying> hug = add(drivable(
        unitNumber("hug", "Hug surface", starting(TraceOptions{}.hug), "1 keeps strands on the surface")));
    Handle<V3f> drift = add(
        vector("drift", "Drift", starting(TraceOptions{}.drift), "m", 2, "Moves the whirls; key it to flow"));
    Handle<int64_t> seed = add(seedSpec("Another number, other whirls; it may be keyed"));
} kTrace;

/// The curl of a noise potential, by central differences over a hundredth of a whirl.
V3f curlNoise(const V3f& p, uint32_t seed, const FractalOptions& f) {
    constexpr float h = 0.01f;
    const auto potential = [&](const V3f& q) {
        return V3f(fractalNoise(q, seed, f), fractalNoise(q, seed + 7919u, f),
                   fractalNoise(q, seed + 104729u, f));
    };
    const V3f dx = potential(p + V3f(h, 0, 0)) - potential(p - V3f(h, 0, 0));
    const V3f dy = potential(p + V3f(0, h, 0)) - potential(p - V3f(0, h, 0));
    const V3f dz = potential(p + V3f(0, 0, h)) - potential(p - V3f(0, 0, h));
    return V3f(dy.z - dz.y, dz.x - dx.z, dx.y - dy.x) / (2.0f * h);
}

V3f directionOr(const V3f& v, const V3f& otherwise) {
    const float l = v.length();
    return l > 1e-9f ? v / l : otherwise;
}

}  // namespace

StrandsPtr trace(const PointSet& points, const Surface* surface, const TraceOptions& o, Progress& progress) {
    Progress::Task task(progress, "Drawing strands");
    GrowOptions g;
    g.length = o.length;
    g.segments = std::clamp(o.steps, 1, 4096);
    g.length.min *= float(g.segments), g.length.max *= float(g.segments);
    g.seed = o.seed;
    g.memoryLimit = o.memoryLimit;
    const StrandsPtr straight = grow(points, surface, g, progress);
    const Samples samples = samplesOf(*straight);
    const auto normals = samples.get(channel::normal);
    const auto normal = o.normal.over(samples, progress), hug = o.hug.over(samples, progress);
    const FractalOptions fractal{o.octaves, 0.5f, 2.0f, o.ridged ? NoiseKind::Ridged : NoiseKind::Soft};
    const float scale = 1.0f / std::max(o.size, 1e-6f);
    return reshaped(*straight, progress,
                    [&](size_t s, std::span<const V3f> from, std::span<V3f> to, StrandScratch&) {
                        const float step = (from[1] - from[0]).length();
                        V3f last = normals[s];
                        for (size_t i = 1; i < from.size(); ++i) {
                            const V3f at = (to[i - 1] + o.drift) * scale;
                            V3f d = directionOr(curlNoise(at, uint32_t(o.seed), fractal), last) +
                                    normals[s] * normal[s] + o.bias;
                            d = directionOr(d, last);
                            to[i] = to[i - 1] + d * step;
                            if (surface && hug[s] > 0.0f)
                                if (const SurfaceHit hit = surface->closest(to[i]); hit.hit) {
                                    const V3f pulled = to[i] + (hit.position - to[i]) * hug[s];
                                    d = directionOr(pulled - to[i - 1], d);
                                    to[i] = to[i - 1] + d * step;
                                }
                            last = d;
                        }
                    });
}

static Geometry applyTrace(const StepInput& in) {
    TraceOptions o;
    o.steps = int(in.params[kTrace.steps]);
    o.length = in.params[kTrace.length];
    o.size = float(in.params[kTrace.size]);
    o.ridged = in.params[kTrace.kind] == "ridged";
    o.octaves = int(in.params[kTrace.octaves]);
    o.normal = in.params[kTrace.normal];
    o.bias = in.params[kTrace.bias];
    o.hug = in.params[kTrace.hug];
    o.drift = in.params[kTrace.drift];
    o.seed = uint64_t(in.params[kTrace.seed]);
    o.memoryLimit = in.memoryLimit;
    return trace(*std::get<std::shared_ptr<const PointSet>>(in.in), in.surface.get(), o, in.progress);
}

StepType traceStep() {
    return {.id = "trace",
            .title = "Draw by noise",
            .phase = Phase::Place,
            .help = "Strands that follow whirls of noise from each point on",
            .takes = GeometryKind::Points,
            .gives = GeometryKind::Strands,
            .params = kTrace.specs(),
            .longest =
                [](const ParamMap& p) {  // they wind: about half of it is reach
                    return 0.5 * double(valueIn(p, kTrace.steps)) * valueIn(p, kTrace.length).max;
                },
            .apply = applyTrace};
}

}  // namespace ovrix::ops
