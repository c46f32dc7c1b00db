#include <fmt/format.h>

#include "field/paint.h"
#include "field/sources.h"
#include "params/param_table.h"

namespace ovrix::field {

using namespace specs;

PaintParams::PaintParams()
    : map(add({.id = "map",
               .title = "Map",
               .type = ParamType::Map,
               .initial = MapValue(),
               .help = "What was painted"})),
      base(add(unitNumber("base", "Unpainted", 0, "What it gives where nothing is painted"))),
      resolution(add(number("resolution", "Resolution", 0.02, "m", 1e-4, 1e3, 0.002, 0.2,
                            "Distance between painted values where the mesh is coarser; finer takes more "
                            "memory"))) {}

const PaintParams kPaint;

namespace {

struct Painted : SourceKernel {
    SurfacePtr surface;
    std::shared_ptr<const PaintedMap> map;  // on the surface's own topology; null for bare
    float base = 0.0f;

    void evaluate(const Samples& s, std::span<float> out) const override {
        if (!map) return std::fill(out.begin(), out.end(), base);
        const PlacesOn places(*surface, s);
        for (size_t i = 0; i < out.size(); ++i) {
            const SurfaceHit hit = places[i];
            out[i] = hit.hit ? paintedAt(*map, hit.triangle, hit.u, hit.v) : base;
        }
    }
};

std::unique_ptr<SourceKernel> compilePainted(const ResolvedParams& p, const FieldContext& context) {
    auto kernel = std::make_unique<Painted>();
    kernel->base = float(p[kPaint.base]);
    const auto& map = p[kPaint.map].map;
    if (!map || !map->loaded()) return kernel;  // the checks say when a map is missing
    const Surface& surface = surfaceFor(context, "the painted map");
    kernel->surface = context.surface;
    kernel->map = map;
    // On a mesh of other topology each place takes the nearest painted value. Made once a surface and map.
    if (map->layout->topology != topologyOf(surface))
        kernel->map = surface.cached<PaintedMap>(fmt::format("painted {:x}", map->hash), [&] {
            const auto layout =
                makePaintLayout(surface, context.objectFromWorld, map->layout->resolution, SIZE_MAX);
            return transferred(*map, layout, *context.progress);
        });
    return kernel;
}

}  // namespace

SourceType paintSource() {
    return {.id = "paint",
            .title = "Painted",
            .help = "A mask painted on the surface with brushes",
            .params = kPaint.specs(),
            .compile = compilePainted,
            .painted = true};
}

}  // namespace ovrix::field
