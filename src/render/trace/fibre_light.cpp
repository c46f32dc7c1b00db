// Light that strands share: most of what comes from light hair was scattered by other hairs before.
#include <algorithm>

#include "base/hash.h"
#include "render/trace/vertex.h"

namespace ovrix::render {

namespace {

constexpr uint32_t kApart = 4;        // ways that go on from a fibre that the eye sees
constexpr float kAlikePixels = 8.0f;  // strands share their light within a cube of about so many
constexpr size_t kEach = 8;           // of so many that share one is followed

/// Alike for what lies in one cube of a grid that is shifted from path to path, so that its cubes are not
/// seen (Binder, Fricke, Keller, "Massively Parallel Path Space Filtering", MCQMC 2020), and looks the same
/// way.
/// @param pixel  metres of one, where the eye sees the fibre from which a path came
uint64_t placeOf(const SurfacePoint& at, const V3f& back, float pixel, const std::array<float, 4>& r) {
    const float side = std::exp2(std::round(std::log2(std::max(kAlikePixels * pixel, 1e-9f))));
    Hasher h;
    for (int k = 0; k < 3; ++k)
        h.add(std::floor(double(at.position[k]) / double(side) + double(r[size_t(k)])));
    const uint64_t octant =
        uint64_t(back.x > 0.0f) | uint64_t(back.y > 0.0f) << 1 | uint64_t(back.z > 0.0f) << 2;
    h.add(octant).add(uint64_t(at.object) << 32 | at.layer).add(uint64_t(at.material)).add(double(side));
    return h.value();
}

}  // namespace

bool Renderer::isFibre(const Arrival& at) const {
    return at.point.strand && scene_.materialOf(at.point).fibre;
}

/// From a fibre that the eye sees, straight or through what is clear, several ways go on. Those that come to
/// another fibre wait for share().
void Renderer::scatterApart(Path& path, const Arrival& at, std::vector<Waiting>& waiting) const {
    const Vertex vertex = vertexAt(path, at);
    gatherLight(path, vertex);
    const float pixel = path.width;
    const auto shared = path.sampler.next4();
    for (uint32_t i = 0; i < kApart; ++i) {
        Path one = path.fresh();
        one.sampler = path.sampler.parted(i);
        one.weight /= float(kApart);
        auto r = one.sampler.next4();
        r[0] = (float(i) + shared[0]) / float(kApart);  // each a part of the lobes
        if (bounce(one, vertex, r)) {
            const auto next = advance(one);
            const bool alike = next && isFibre(*next) && one.depth == path.depth + 1 && !one.wavelength;
            if (alike) {
                one.give();
                const uint64_t place = placeOf(next->point, one.ray.direction, pixel, one.sampler.next4());
                waiting.push_back({one, *next, place});
            } else if (next && scatterAt(one, *next)) {
                follow(one);
            }
        }
        one.give();
    }
    path.give();
}

/// Follows some of the paths that came to each place, and gives all that came there the mean of their light:
/// Keller, Dahm, Binder, "Path Space Filtering", MCQMC 2014, doi:10.1007/978-3-319-33507-0_21. The eye does
/// not see what shares: it is what lights the fibres that it sees, which is a mean of much in any case.
void Renderer::share(std::vector<Waiting>& waiting, Progress& progress) const {
    std::vector<uint32_t> order(waiting.size());
    for (uint32_t i = 0; i < order.size(); ++i) order[i] = i;
    std::sort(order.begin(), order.end(), [&](uint32_t a, uint32_t b) {
        return std::pair(waiting[a].place, a) < std::pair(waiting[b].place, b);
    });
    for (size_t begin = 0, end = 0; begin < order.size(); begin = end) {
        progress.check();
        while (end < order.size() && waiting[order[end]].place == waiting[order[begin]].place) ++end;
        shareAlike(waiting, std::span(order).subspan(begin, end - begin));
    }
}

void Renderer::shareAlike(std::vector<Waiting>& waiting, std::span<const uint32_t> alike) const {
    const size_t followed = (alike.size() + kEach - 1) / kEach, groups = waiting[alike[0]].path.groups.size();
    V3f sum(0.0f);
    std::vector<V3f> byGroup(groups, V3f(0.0f));
    for (size_t i = 0; i < followed; ++i) {
        const Waiting& w = waiting[alike[i * alike.size() / followed]];
        Path path = w.path.fresh();  // as if all of its light came, to no pixel
        path.weight = V3f(1.0f), path.groups = byGroup, path.lobed = false, path.pixel = nullptr;
        if (scatterAt(path, w.at)) follow(path);
        sum += path.direct + path.indirect;
    }
    const float share = 1.0f / float(followed);
    for (const uint32_t i : alike) {
        Path& path = waiting[i].path;
        const auto take = [&](const V3f& light, uint32_t group) {
            path.add(capped(path.weight * light * share, options_.limit), 2, group);
        };
        if (groups == 0) take(sum, 0);
        for (size_t g = 0; g < groups; ++g) take(byGroup[g], uint32_t(g));
        path.give();
    }
}

}  // namespace ovrix::render
