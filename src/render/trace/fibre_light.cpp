// Light that strands share: most of what comes from light hair was scattered by other hairs before.
#include <algorithm>
#include <numeric>

#include "base/hash.h"
#include "render/trace/vertex.h"

namespace ovrix::render {

namespace {

constexpr uint32_t kApart = 4;         // ways that go on from a fibre that the eye sees
constexpr float kAlikePixels = 16.0f;  // strands share their light within a cube of about so many
constexpr size_t kEach = 8;            // of so many that share one is followed

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

size_t followedOf(size_t alike) { return (alike + kEach - 1) / kEach; }

}  // namespace

bool Renderer::isFibre(const Arrival& at) const {
    return at.point.strand && scene_.materialOf(at.point).fibre;
}

/// Whether a path that has come from a fibre that the eye sees to another one waits for share().
bool Renderer::waits(Flight& f, Sharing& sharing) const {
    Path& path = f.path;
    if (path.depth != path.apart || path.wavelength || !isFibre(f.at)) return false;
    const uint64_t place = placeOf(f.at.point, path.ray.direction, path.apartPixel, path.sampler.next4());
    sharing.waiting.push_back({f, place});
    return true;
}

/// From a fibre that the eye sees, straight or through what is clear, several ways go on.
void Renderer::scatterApart(Path& path, const Vertex& vertex, Sharing& sharing) const {
    gatherLight(path, vertex);
    const auto shared = path.sampler.next4();
    for (uint32_t i = 0; i < kApart; ++i) {
        Path one = path;
        one.sampler = path.sampler.parted(i);
        one.weight /= float(kApart);
        one.apartPixel = path.width;
        auto r = one.sampler.next4();
        r[0] = (float(i) + shared[0]) / float(kApart);  // each a part of the lobes
        const bool on = bounce(one, vertex, r);
        one.apart = one.depth;
        if (on) sharing.ways.push_back({one, {}});
    }
}

/// Follows some of the paths that came to each place, and gives all that came there the mean of their light:
/// Keller, Dahm, Binder, "Path Space Filtering", MCQMC 2014, doi:10.1007/978-3-319-33507-0_21. The eye does
/// not see what shares: it is what lights the fibres that it sees, which is a mean of much in any case.
void Renderer::share(std::vector<Waiting>& waiting, size_t groups, Progress& progress) const {
    if (waiting.empty()) return;
    std::vector<uint32_t> order(waiting.size());
    std::iota(order.begin(), order.end(), 0u);
    std::sort(order.begin(), order.end(), [&](uint32_t a, uint32_t b) {
        return std::pair(waiting[a].place, a) < std::pair(waiting[b].place, b);
    });
    std::vector<std::span<const uint32_t>> alike;
    for (size_t begin = 0, end = 0; begin < order.size(); begin = end) {
        while (end < order.size() && waiting[order[end]].place == waiting[order[begin]].place) ++end;
        alike.push_back(std::span(order).subspan(begin, end - begin));
    }
    std::vector<Flight> followed;
    std::vector<V3f> byGroup(groups * waiting.size(), V3f(0.0f));
    for (const auto& some : alike)
        for (size_t i = 0, n = followedOf(some.size()); i < n; ++i) {
            Flight f = waiting[some[i * some.size() / n]].flight;
            f.path.weight = V3f(1.0f), f.path.film = nullptr;  // as if all of its light came, to no pixel
            f.path.gatheredGroups = std::span(byGroup).subspan(groups * followed.size(), groups);
            followed.push_back(std::move(f));
        }
    followAll(followed, nullptr, true, progress);
    size_t at = 0;
    for (const auto& some : alike) {
        const size_t n = followedOf(some.size());
        give(waiting, some, std::span(followed).subspan(at, n));
        at += n;
    }
}

/// Gives each of those that came to one place the mean of what those that were followed brought.
void Renderer::give(std::vector<Waiting>& waiting, std::span<const uint32_t> alike,
                    std::span<const Flight> followed) const {
    const float share = 1.0f / float(followed.size());
    const size_t groups = followed[0].path.gatheredGroups.size();
    std::vector<V3f> sums(std::max<size_t>(1, groups), V3f(0.0f));
    V3f cut(0.0f);
    for (const Flight& f : followed) {
        cut += f.path.gatheredCut;
        if (groups == 0) sums[0] += f.path.gathered;
        for (size_t g = 0; g < groups; ++g) sums[g] += f.path.gatheredGroups[g];
    }
    for (const uint32_t i : alike) {
        Path& path = waiting[i].flight.path;
        if (cut != V3f(0.0f)) path.cut(path.weight * cut * share);
        for (size_t g = 0; g < sums.size(); ++g)
            path.add(path.weight * sums[g] * share, 2, uint32_t(g), options_.limit);
    }
}

}  // namespace ovrix::render
