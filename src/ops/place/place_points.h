// What steps that put points on a surface have in common.
#pragma once
#include <optional>

#include "geo/surface/surface.h"
#include "ops/step.h"

namespace ovrix::ops {

/// The columns that every point on a surface has; uv is empty where it has none.
struct PointColumns {
    std::span<V3f> p, n;
    std::span<uint64_t> id;
    std::span<int32_t> triangle;
    std::span<V2f> bary, uv;

    void put(size_t i, uint64_t elementId, const Surface::Sample& s) const {
        p[i] = s.position;
        n[i] = s.normal;
        id[i] = elementId;
        triangle[i] = int32_t(s.triangle);
        bary[i] = V2f(s.u, s.v);
    }
    void putUv(size_t i, const Surface& surface, const Surface::Sample& s) const {
        uv[i] = surface.uvAt(s.triangle, s.u, s.v);
    }
};

/// Columns of @p count points in an empty set, sized without filling: each is written once, by the thread
/// that made it.
PointColumns makePointColumns(AttributeSet& set, size_t count, bool withUv);
double bytesPerPoint(bool withUv);

/// The elements that their own random number lets through: each stays with the chance that @p mask gives
/// where it lies. Nothing when all stay.
std::optional<std::vector<uint32_t>> survivors(const AttributeSet& elements, const Varying& mask,
                                               uint64_t seed, Progress& progress);
/// The points that their own random number lets through: each stays with the chance that @p mask gives where
/// it lies.
std::shared_ptr<const PointSet> masked(std::shared_ptr<const PointSet> points, const Varying& mask,
                                       uint64_t seed, Progress& progress);

/// The mask that every step has which places elements.
ParamSpec maskSpec();
/// The handles that all of those have alike.
extern const struct PlacedParams : ParamTable {
    Handle<int64_t> seed = add(seedSpec({}));
    Handle<Varying> mask = add(maskSpec());
} kPlaced;

/// The layer's surface. Throws Error when there is none.
const Surface& surfaceOf(const StepInput& in);

/// Throws Error when the surface has no area, or @p count elements are more than one layer can hold.
void requireArea(const Surface& surface);
void requireCount(double count);

}  // namespace ovrix::ops
