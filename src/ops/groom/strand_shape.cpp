#include "ops/groom/strand_shape.h"

namespace ovrix::ops {

AlongTable::AlongTable(const Curve& curve) {
    for (size_t i = 0; i < values_.size(); ++i) values_[i] = curve.at(float(i) / 256.0f);
}

EffectParams::EffectParams(ParamTable& table, std::vector<V2f> points, const std::string& seedHelp)
    : strength(table.add(specs::drivable(specs::unitNumber(
          "strength", "Strength", 1, "How much each strand takes part; a field says where")))),
      along(table.add(
          specs::profile("along", "Along", std::move(points), "How that goes from root (left) to tip"))) {
    if (!seedHelp.empty()) seed.emplace(table.add(seedSpec(seedHelp)));
}

StrandEffect effectOf(const StepInput& in, const EffectParams& p) {
    StrandEffect e;
    e.strength = in.params[p.strength];
    e.along = in.params[p.along];
    if (p.seed) e.seed = uint64_t(in.params[*p.seed]);
    return e;
}

StrandsPtr strandsOf(const StepInput& in) { return std::get<StrandsPtr>(in.in); }

void StrandScratch::fit(size_t points) {
    if (t.size() >= points) return;
    t.resize(points), tangent.resize(points), normal.resize(points), place.resize(points);
}

void framesOf(std::span<const Quatf> orient, size_t s, std::span<const V3f> points, StrandScratch& scratch) {
    const std::span tangent = std::span(scratch.tangent).first(points.size());
    tangentsOf(points, tangent);
    transportNormals(points, tangent, orient.empty() ? V3f(1, 0, 0) : rotate(orient[s], V3f(1, 0, 0)),
                     std::span(scratch.normal).first(points.size()));
    alongOf(points, scratch.t);
}

}  // namespace ovrix::ops
