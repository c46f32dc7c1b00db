// Paths side by side: all of some take a step, are sorted by the material that they came to, and scatter
// there, so that its fields are asked at many places at once (after Laine, Karras, Aila, "Megakernels
// Considered Harmful: Wavefront Path Tracing on GPUs", HPG 2013, doi:10.1145/2492045.2492060).
#include <algorithm>
#include <numeric>

#include "render/scene/point_columns.h"
#include "render/trace/path.h"
#include "render/trace/vertex.h"

namespace ovrix::render {

/// Lets paths that came to one material, as points of one kind, scatter.
/// @param run  their numbers; those that end, or go on as others, are taken out
void Renderer::scatterAlike(std::span<Flight> flights, std::vector<uint32_t>& run, Sharing* sharing) const {
    constexpr size_t kFew = 4;  // for which columns do not pay
    const SurfacePoint& first = flights[run[0]].at.point;
    const SurfaceMaterial& material = scene_.materialOf(first);
    if (run.size() < kFew || !PointColumns::possible(material, first)) {
        std::erase_if(run, [&](uint32_t i) {
            const Samples one = samplesAt(flights[i].at.point, material);
            FieldsAt fields(one);
            return !scatterAt(flights[i], fields, sharing);
        });
        return;
    }
    std::vector<const SurfacePoint*> points;
    points.reserve(run.size());
    for (const uint32_t i : run) points.push_back(&flights[i].at.point);
    const PointColumns columns(points);
    FieldsOver fields(columns.samples());
    size_t k = 0;
    std::erase_if(run, [&](uint32_t i) {
        FieldsAt here(fields, k++);
        return !scatterAt(flights[i], here, sharing);
    });
}

/// Follows paths to their ends. What a path gives does not depend on those beside it.
/// @param sharing  takes those whose light is shared; null where none is
/// @param arrived  whether they stand where they scatter already
void Renderer::follow(std::span<Flight> flights, Sharing* sharing, bool arrived) const {
    std::vector<uint32_t> flying(flights.size()), run, next;
    std::iota(flying.begin(), flying.end(), 0u);
    const auto keyOf = [&](uint32_t i) {
        const SurfacePoint& p = flights[i].at.point;
        return std::tuple(p.material, PointColumns::kindOf(p));
    };
    for (; !flying.empty(); flying.swap(next), arrived = false) {
        if (!arrived)
            std::erase_if(flying, [&](uint32_t i) {
                Flight& f = flights[i];
                return !advance(f.path, f.at) || (sharing && waits(f, *sharing));
            });
        std::stable_sort(flying.begin(), flying.end(),
                         [&](uint32_t a, uint32_t b) { return keyOf(a) < keyOf(b); });
        next.clear();
        for (size_t begin = 0, end = 0; begin < flying.size(); begin = end) {
            while (end < flying.size() && keyOf(flying[end]) == keyOf(flying[begin])) ++end;
            run.assign(flying.begin() + std::ptrdiff_t(begin), flying.begin() + std::ptrdiff_t(end));
            scatterAlike(flights, run, sharing);
            next.insert(next.end(), run.begin(), run.end());
        }
    }
}

void Renderer::followAll(std::span<Flight> flights, Sharing* sharing, bool arrived,
                         Progress& progress) const {
    for (size_t begin = 0; begin < flights.size(); begin += kTogether) {
        progress.check();
        follow(flights.subspan(begin, std::min(kTogether, flights.size() - begin)), sharing, arrived);
    }
}

}  // namespace ovrix::render
