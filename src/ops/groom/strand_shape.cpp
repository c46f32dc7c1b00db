#include "ops/groom/strand_shape.h"

namespace ovrix::ops {

AlongTable::AlongTable(const Curve& curve) {
    for (size_t i = 0; i < values_.size(); ++i) values_[i] = curve.at(float(i) / 256.0f);
}

specs::Specs effectSpecs(std::vector<V2f> along, const std::string& seedHelp) {
    using namespace specs;
    Specs specs{drivable(unitNumber("strength", "Strength", 1,
                                    "How much each strand takes part; a field says where")),
                profile("along", "Along", std::move(along), "How that goes from root (left) to tip")};
    if (!seedHelp.empty()) specs.push_back(seedSpec(seedHelp));
    return specs;
}

StrandEffect effectOf(const StepInput& in) {
    StrandEffect e;
    e.strength = in.params.varying("strength");
    e.along = in.params.profile("along");
    if (in.params.has("seed")) e.seed = uint64_t(in.params.integer("seed"));
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
    carryNormals(points, tangent, orient.empty() ? V3f(1, 0, 0) : rotate(orient[s], V3f(1, 0, 0)),
                 std::span(scratch.normal).first(points.size()));
    alongOf(points, scratch.t);
}

}  // namespace ovrix::ops
