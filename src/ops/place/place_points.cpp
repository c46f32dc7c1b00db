#include "ops/place/place_points.h"

#include <fmt/format.h>

#include "base/parallel.h"
#include "geo/surface/surface.h"

namespace ovrix::ops {

PointColumns makePointColumns(AttributeSet& set, size_t count, bool withUv) {
    set.set("P", std::vector<V3f>(count));
    set.set("N", std::vector<V3f>(count));
    set.set("id", std::vector<uint64_t>(count));
    set.set("triangle", std::vector<int32_t>(count));
    set.set("bary", std::vector<V2f>(count));
    if (withUv) set.set("uv", std::vector<V2f>(count));
    return {set.add<V3f>("P"),       set.add<V3f>("N"),
            set.add<uint64_t>("id"), set.add<int32_t>("triangle"),
            set.add<V2f>("bary"),    withUv ? set.add<V2f>("uv") : std::span<V2f>()};
}

double bytesPerPoint(bool withUv) { return 12 + 12 + 8 + 4 + 8 + (withUv ? 8 : 0); }

std::optional<std::vector<uint32_t>> survivors(const AttributeSet& elements, const Varying& mask,
                                               uint64_t seed, Progress& progress) {
    if (mask.constant() && mask.high >= 1.0f) return std::nullopt;
    const Samples samples = samplesOf(elements);
    const auto ids = samples.get(channel::id);
    const std::vector<float> chance = mask.over(samples, progress);
    std::vector<uint8_t> pass(samples.size());
    parallelFor(pass.size(), progress, [&](size_t i) {
        pass[i] = chance[i] >= 1.0f || random1(seed, ids[i], Stream::Keep) < chance[i];
    });
    std::vector<uint32_t> indices;
    for (size_t i = 0; i < pass.size(); ++i)
        if (pass[i]) indices.push_back(uint32_t(i));
    if (indices.size() == pass.size()) return std::nullopt;
    return indices;
}

std::shared_ptr<const PointSet> masked(std::shared_ptr<const PointSet> points, const Varying& mask,
                                       uint64_t seed, Progress& progress) {
    const auto stay = survivors(points->attributes, mask, seed, progress);
    if (!stay) return points;
    return std::get<std::shared_ptr<const PointSet>>(gathered(points, *stay));
}

ParamSpec maskSpec() {
    return specs::drivable(
        specs::unitNumber("mask", "Mask", 1, "Chance that an element stays; a field says where"));
}

const PlacedParams kPlaced;

const Surface& surfaceOf(const StepInput& in) {
    if (!in.surface) throw Error("the layer lies on no surface", {}, "Choose a surface for the layer");
    return *in.surface;
}

void requireArea(const Surface& surface) {
    if (!(surface.area() > 0.0))
        throw Error("the surface has no area", {}, "Check that its mesh has faces and its scale is not 0");
}

void requireCount(double count) {
    constexpr double kMost = double(size_t(1) << 31);
    if (count > kMost)
        throw Error(fmt::format("{:.0f} elements are more than one layer can hold ({:.0f})", count, kMost),
                    {}, "Lower the count or density, or divide them over several layers");
}

}  // namespace ovrix::ops
