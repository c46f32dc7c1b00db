// What the renderer does with clouds of points, and in matter that is thick here and thin there.
#include "render/trace/path.h"

namespace ovrix::render {

CloudPicture::Options Renderer::cloudOptions(uint32_t pass) const {
    CloudPicture::Options o;
    const bool moves = scene_.moving() || camera_.moving();
    o.shutter = {.pass = pass,
                 .seed = options_.seed,
                 .open = moves && options_.shutter.size() != 1,
                 .time = options_.shutter.size() == 1 ? options_.shutter[0] : 1.0f,
                 .places = options_.shutter};
    const uint64_t own = mixBits(options_.seed + 0x0ffull);
    o.offset = V2f(options_.filter.offset(spreadNumber(own, pass, 0)),
                   options_.filter.offset(spreadNumber(mixBits(own), pass, 1)));
    return o;
}

/// Few enough points to be seen at once.
CloudPicture::Options Renderer::firstLook(int step) const {
    constexpr size_t kEnough = 500000;
    size_t points = 0;
    for (const auto& c : scene_.clouds()) points += c->size();
    CloudPicture::Options o = cloudOptions(0);
    o.step = step, o.offset = V2f(0.0f, 0.0f);
    o.oneOf = uint32_t(std::clamp<size_t>(points / kEnough, 1, 64));
    return o;
}

/// What the eye, or a path that goes on, loses on the way by clouds, and what they turn to the eye. Called
/// once for each piece of a path that ends or goes on after @p reach.
void Renderer::meetClouds(Path& path, float reach) const {
    if (!path.clouds) return;
    if (path.depth > 0) {
        const CloudPicture::Seen seen = path.clouds->along(path.ray.origin, path.ray.direction, reach);
        if (seen.light != V3f(0.0f)) path.add(path.weight * seen.light, path.depth + 1, 0, limitOf(path));
        if (std::isfinite(reach)) path.weight *= seen.through;
        return;
    }
    const V3f to = path.ray.origin - camera_.position() + path.ray.direction * std::min(reach, 1e30f);
    thread_local std::vector<V3f> beams;
    beams.assign(path.clouds->beams().size(), V3f(0.0f));
    CloudPicture::Met met{.beams = beams};
    constexpr uint32_t kDraws = 0xc10du;  // its own, so that light is the same whatever else is kept
    Sampler sampler = path.sampler.parted(kDraws);
    const float pick = sampler.next4()[0];
    met.pick = path.recorded ? 2.0f : 1.0f - (1.0f - pick) / std::max(path.cloudShade, 1e-6f);
    path.clouds->follow(path.among, std::isfinite(reach) ? to.dot(camera_.forward()) : reach, met);
    if (met.through == V3f(1.0f)) return;
    const auto split = path.split;
    const bool within = path.within;
    if (path.components) path.splitAll(Component::Volume);
    for (size_t b = 0; b < beams.size(); ++b)
        if (beams[b] != V3f(0.0f)) path.add(path.weight * beams[b], 1, path.clouds->beams()[b].group());
    if (met.own != V3f(0.0f)) path.add(path.weight * met.own, 0, met.ownGroup);
    path.split = split, path.within = within;
    path.weight *= met.through;
    path.cloudShade *= luminance(met.through);
    path.shade *= luminance(met.through);
    if (met.cloud) recordCloud(path, met);
}

/// What passes beside the light hold of a point: of each as often as it is seen.
void Renderer::recordCloud(Path& path, const CloudPicture::Met& met) const {
    const V3f axis = met.cloud->axisOf(met.row);
    Seen seen{.position = met.place,
              .normal = axis == V3f(0.0f) ? -path.ray.direction : axis,
              .albedo = V3f(met.cloud->albedo(met.row)),
              .depth = (met.place - camera_.position()).dot(camera_.forward()),
              .object = met.cloud->object(),
              .layer = met.cloud->layer(),
              .material = met.cloud->material() + 1,
              .element = elementNumber(met.cloud->idOf(met.row), met.cloud->object(), met.cloud->layer())};
    if (met.cloud->ofStrands()) seen.tangent = axis;
    if (path.film->has(render::Pass::Motion) && (scene_.moving() || camera_.moving())) {
        const auto from = camera_.project(met.cloud->at(met.row, 0.0f), 0.0f),
                   to = camera_.project(met.cloud->at(met.row, 1.0f), 1.0f);
        const V2i& whole = path.film->whole();
        if (from && to)
            seen.motion = V2f((to->x - from->x) * float(whole.x), (to->y - from->y) * float(whole.y));
    }
    path.film->see(path.pixel, path.pass, seen);
    const Samples one = met.cloud->samples().sub(met.row, 1);
    FieldsAt fields(one);
    recordFields(path, scene_.materials()[met.cloud->material()], fields);
    path.recorded = true;
}

namespace {

/// Numbers of one way: a function of where it begins in the sampler alone.
struct Draws {
    uint64_t state;
    float next() {
        state = mixBits(state + 0x9e3779b97f4a7c15ull);
        return float(state >> 40) * 0x1p-24f;
    }
};

/// How often a colour says what is met: as much as it still counts.
V3f chancesOf(const V3f& weight) {
    const float sum = weight.x + weight.y + weight.z;
    return sum > 0.0f ? weight / sum : V3f(1.0f / 3.0f);
}

/// Where a ray meets one volume, and by how much; or what comes through it without.
struct Tracked {
    float distance = -1.0f;  ///< below 0 for nowhere
    V3f weight{1.0f, 1.0f, 1.0f};
};
/// @param counts  how much red, green and blue count so far
Tracked trackedIn(const VolumeGrid& volume, const Ray& ray, float reach, const V3f& counts, Draws draws) {
    Tracked out;
    const V3f& loss = volume.look().loss;
    const float mostLoss = std::max({loss.x, loss.y, loss.z});
    volume.along(ray.origin, ray.direction, reach, [&](float from, float to, float most) {
        const float majorant = most * mostLoss;
        for (float t = from;;) {
            t -= std::log1p(-draws.next()) / majorant;
            if (!(t < to)) return true;
            const float density = volume.densityAt(ray.origin + ray.direction * t);
            const V3f part = loss * std::min(density / majorant, 1.0f / mostLoss);
            const float chance = chancesOf(counts * out.weight).dot(part);
            if (draws.next() < chance) {
                out.distance = t, out.weight *= part / chance;
                return false;
            }
            out.weight *= (V3f(1.0f) - part) / std::max(1.0f - chance, 1e-9f);
        }
    });
    return out;
}

}  // namespace

/// Where matter scatters or ends a path first, by null collisions: Woodcock et al., "Techniques Used in the
/// GEM Code for Monte Carlo Neutronics Calculations", 1965, brick by brick, each by its own most; for three
/// colours at once with chances that go by what each still counts: Kutz et al., "Spectral and Decomposition
/// Tracking for Rendering Heterogeneous Volumes", ACM TOG 36(4), 2017, doi:10.1145/3072959.3073665. What
/// comes through without is weighed here.
std::optional<Renderer::VolumeMeeting> Renderer::meetVolumes(Path& path, float reach) const {
    constexpr uint32_t kDraws = 0x701du;
    std::optional<VolumeMeeting> nearest;
    V3f through(1.0f);
    uint32_t number = 0;
    for (const VolumePtr& volume : scene_.volumes()) {
        Sampler sampler = path.sampler.parted(kDraws + 64u * uint32_t(path.depth) + number++);
        const auto r = sampler.next4();
        const Draws draws{uint64_t(r[0] * 0x1p24f) << 40 ^ uint64_t(r[1] * 0x1p24f) << 16 ^
                          uint64_t(r[2] * 0x1p16f) ^ uint64_t(path.hidden) << 8};
        const Tracked met =
            trackedIn(*volume, path.ray, nearest ? nearest->distance : reach, path.weight * through, draws);
        if (met.distance >= 0.0f)
            nearest = VolumeMeeting{volume.get(), met.distance, met.weight};
        else
            through *= met.weight;
    }
    if (nearest)
        nearest->weight *= through;
    else
        path.weight *= through;
    return nearest;
}

/// What it gives of its own there, and what goes on.
Renderer::Between Renderer::scatterInVolume(Path& path, const VolumeMeeting& meeting) const {
    const VolumeGrid& volume = *meeting.volume;
    const V3f place = path.ray.origin + path.ray.direction * meeting.distance;
    const V3f glow(volume.emissionAt(place)), albedo(volume.albedoAt(place));
    if (glow != V3f(0.0f))
        path.add(path.weight * meeting.weight * glow, path.depth, volume.look().group,
                 path.depth > 1 ? options_.limit : 0.0f);
    return scatterBetween(path, meeting.distance, meeting.weight * albedo, volume.look().forward, albedo,
                          &volume)
               ? Between::Scattered
               : Between::Ended;
}

}  // namespace ovrix::render
