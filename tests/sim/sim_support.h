// What tests of simulations read from them and start them with.
#pragma once
#include "base/error.h"
#include "geo/surface/surface.h"
#include "sim_run.h"
#include "support.h"

namespace ovrix::tests {

using namespace deliver;

inline const AttributeSet& particles(const SolverState& s) {
    return std::get<std::shared_ptr<const PointSet>>(s.geometry)->attributes;
}
inline std::span<const V3f> places(const SolverState& s) { return particles(s).find<V3f>("P"); }
inline std::span<const V3f> speeds(const SolverState& s) { return particles(s).find<V3f>("v"); }

/// Points that stand still, with the velocity that particles made of them start with.
inline std::function<Geometry(double)> points(std::vector<V3f> p, std::vector<V3f> v = {}) {
    PointSet set;
    std::vector<uint64_t> id(p.size());
    for (size_t i = 0; i < id.size(); ++i) id[i] = i;
    set.attributes.set("P", std::move(p));
    set.attributes.set("id", std::move(id));
    if (!v.empty()) set.attributes.set("v", std::move(v));
    const Geometry geometry = std::make_shared<const PointSet>(std::move(set));
    return [geometry](double) { return geometry; };
}

inline SceneQuery::Placed placed(const MeshPtr& mesh, const M44f& world = M44f()) {
    return {std::make_shared<const Surface>(mesh), world};
}

}  // namespace ovrix::tests
