#include "render/trace/renderer.h"

#include "base/hash.h"
#include "base/parallel.h"
#include "render/trace/leave.h"
#include "render/trace/passing.h"
#include "render/trace/path.h"
#include "render/trace/vertex.h"

namespace ovrix::render {

static float shutterAt(const std::vector<float>& places, float u) {
    if (places.size() < 2) return u;
    const float at = u * float(places.size() - 1);
    const size_t i = std::min(size_t(at), places.size() - 2);
    return lerp(places[i], places[i + 1], at - float(i));
}

/// A shutter that opens at one place alone takes no draw: the picture is as if nothing moved.
float Renderer::timeOf(Sampler& sampler) const {
    if (!scene_.moving() && !camera_.moving()) return 0.0f;
    return options_.shutter.size() == 1 ? options_.shutter[0]
                                        : shutterAt(options_.shutter, sampler.next4()[0]);
}

Ray Renderer::primaryRay(const Film& film, int x, int y, Sampler& sampler, V2f* place) const {
    const auto r = sampler.next4();
    const float px = (float(film.from().x + x) + 0.5f + options_.filter.offset(r[0])) / float(film.whole().x);
    const float py = (float(film.from().y + y) + 0.5f + options_.filter.offset(r[1])) / float(film.whole().y);
    const float time = timeOf(sampler);
    if (place) *place = V2f(px, py);
    Ray ray = camera_.ray(px, py, r[2], r[3], time);
    ray.time = time;
    return ray;
}

/// What of light that is met may count at most.
float Renderer::limitOf(const Path& path) const {
    return path.depth > 1 || (path.depth == 1 && path.lobed) ? options_.limit : 0.0f;
}

/// How often that light was aimed at from where the path was last.
float Renderer::aimed(const Path& path, uint32_t light) const {
    return path.aimedAtAll ? 1.0f : lights_->tree().probability(path.receiver, light);
}

/// Light that the ray meets before or behind the surface it hit. True when the path ends at a light. What is
/// seen straight hides what lies behind it; for all else lamps are no obstacles, as they are none for rays
/// that are aimed at others: so both ways to find them agree where they overlap.
bool Renderer::meetLights(Path& path, const RayHit& hit) const {
    const float reach = hit.hit() ? hit.distance : std::numeric_limits<float>::infinity();
    const V3f origin = path.ray.origin, direction = path.ray.direction;
    LightHit best;
    uint32_t nearest = 0;  // the group of the best
    const auto meet = [&](uint32_t i) {
        const Light& light = *lights_->lamp(i);
        LightHit met = light.hit(origin, direction);
        if (!met.hit || met.distance > reach || (hit.hit() && met.distance == reach)) return;
        if (path.depth == 0 ? !light.seen : !light.shadows || !light.reaches(path.object, path.layer)) return;
        const float weight = path.depth == 0 ? 1.0f : powerHeuristic(path.pdf, met.pdf * aimed(path, i));
        met.radiance *= path.counted ? V3f(0.0f) : path.through(met.distance) * weight;
        if (path.depth > 0) met.radiance *= scene_.pointsThrough(origin, direction, met.distance);
        if (path.framed && !std::isinf(met.distance)) {
            if (!best.hit || met.distance < best.distance) best = met, nearest = light.group;
        } else if (path.depth > 0 || !options_.clearBackground) {
            path.add(path.weight * met.radiance, path.depth, light.group, limitOf(path));
        }
    };
    lights_->boxes().along(origin, direction, reach, meet);
    meetClouds(path, best.hit ? best.distance : reach);
    const bool behind = path.framed && options_.backdrop.kind != Backdrop::Kind::Lights;
    if (!best.hit && !hit.hit() && !behind)
        for (const uint32_t i : lights_->tree().far()) meet(i);
    if (best.hit) path.add(path.weight * best.radiance, path.depth, nearest, limitOf(path));
    return best.hit;
}

/// What of a path's light is of its wavelength: where it first goes on through what bends colours apart.
V3f Renderer::colorOf(const Path& path, const Vertex& v, const V3f& wi) {
    return v.shaded.disperses && wi.z < 0.0f && !path.parted ? path.wavelength.part : V3f(1.0f);
}

/// What the place gives of its own, by as much as rays from the last place that were aimed at it leave.
void Renderer::addEmission(Path& path, const RayHit& hit, const Vertex& v) const {
    if (v.shaded.emission == V3f(0.0f)) return;
    float weight = 1.0f;
    const SceneLights::Met met = lights_->met(hit, path.ray);
    if (path.depth > 0 && met.pdf > 0.0f)
        weight = path.counted ? 0.0f : powerHeuristic(path.pdf, met.pdf * aimed(path, met.light));
    path.add(path.weight * v.shaded.emission * weight, path.depth, scene_.materialOf(hit).group,
             path.depth > 1 ? options_.limit : 0.0f);
}

/// From what the camera sees each of few lights is aimed at, else one of all.
void Renderer::gatherLight(Path& path, const Vertex& v) const {
    path.receiver = v.receiver();
    path.object = v.point.object, path.layer = v.point.layer;
    path.aimedAtAll = path.depth == 0 && lights_->few();
    if (path.aimedAtAll) {
        for (uint32_t i = 0; i < lights_->count(); ++i) gatherFrom(path, v, i, 1.0f, path.sampler.next4());
        return;
    }
    const auto r = path.sampler.next4();
    const LightTree::Choice choice = lights_->tree().choose(path.receiver, r[0]);
    if (choice.probability > 0.0f)
        gatherFrom(path, v, choice.light, choice.probability, path.sampler.next4());
}

void Renderer::gatherFrom(Path& path, const Vertex& v, uint32_t index, float chance,
                          const std::array<float, 4>& r) const {
    const Light* lamp = lights_->lamp(index);
    if (lamp && !lamp->reaches(v.point.object, v.point.layer)) return;
    const LightSample s = lights_->sample(index, path.receiver.position, r[0], r[1], r[2], path.ray.time);
    if (s.pdf <= 0.0f) return;
    const V3f wi = v.frame.toLocal(s.direction);
    if (!v.agrees(s.direction, wi.z)) return;
    V3f f, broad;
    float scatterPdf;
    if (v.fibre()) {
        const Fibre::Value value =
            v.whole ? v.litBy(s.pdf).evaluateWhole(v.wo, wi) : v.litBy(s.pdf).evaluate(v.wo, wi);
        f = broad = value.f, scatterPdf = value.pdf;
        if (path.splits()) path.splitBy(value.lobe, Component::FibreReflected, value.f);
    } else {
        static_assert(std::tuple_size_v<Bsdf::Components> ==
                      size_t(Component::Transmission) + 1 - size_t(Component::Diffuse));
        Bsdf::Components components;
        const Bsdf::Value value = v.bsdf().evaluate(v.from, wi, path.splits() ? &components : nullptr);
        f = value.f, broad = value.broad, scatterPdf = value.pdf;
        if (path.splits()) path.splitBy(components, Component::Diffuse, f);
    }
    const float pdf = s.pdf * chance;
    if (!(luminance(f * s.radiance) > 0.0f)) return;  // before any ray is traced
    const Ray ray{v.originFor(s.direction), s.direction, path.ray.time};
    const bool shadows = !lamp || lamp->shadows;
    const Passed passed =
        shadows ? lightThrough(scene_, ray, s.distance, path.media) : Passed{V3f(1.0f), false};
    // Light that comes through what is clear is counted here alone: see bounce(). So is what nothing shades.
    // Where a path left what is no shine, that light was counted there: not again where it goes on.
    const bool again = wi.z < 0.0f && !v.fibre() && (path.counted || path.broad);
    const float share = shadows ? powerHeuristic(pdf, scatterPdf) : 1.0f;
    const bool broadAlone = passed.clear || again;
    if (broadAlone && path.splits() && !v.fibre()) path.keepBroad(broad, f);
    const V3f arriving = passed.clear ? broad : (again ? broad : f) * share;
    const V3f light3 = path.weight * arriving * colorOf(path, v, wi) * s.radiance * passed.light / pdf;
    if (!(light3.x + light3.y + light3.z > 0.0f)) return;
    // The glints of single strands are dots as bright as those of indirect light.
    path.add(light3, path.depth + 1, s.group, path.depth > 0 || v.fibre() ? options_.limit : 0.0f);
}

/// True where a boundary does nothing, since other clear matter is there: the path goes on behind it.
bool Renderer::passHidden(Path& path, const RayHit& hit, const SurfacePoint& p) const {
    const SurfaceMaterial& m = scene_.materialOf(p);
    if (!m.clear() || thinAt(m, p) || !path.media.hides(hit.instance, m.priority)) return false;
    const Samples one = samplesAt(p, m);
    FieldsAt at(one);
    pass(path.media, mediumOf(m, clearAt(m, p, at), hit.instance), p.backside);
    path.ray.origin = behind(p);
    return true;
}

/// Russian roulette by throughput.
bool Renderer::survive(Path& path, float r) const {
    if (path.depth <= 3) return true;
    const float stay = std::clamp(std::max({path.weight.x, path.weight.y, path.weight.z}), 0.05f, 1.0f);
    path.weight /= stay;
    return r < stay;
}

bool Renderer::bounce(Path& path, const Vertex& v) const { return bounce(path, v, path.sampler.next4()); }

/// @param r  which lobe, where in it, and whether the path lives on
bool Renderer::bounce(Path& path, const Vertex& v, const std::array<float, 4>& r) const {
    constexpr float kFibreSoftens = 2.0f;  // most of what comes to a fibre was on many others
    V3f wi, weight;
    float pdf;
    bool refracted = false, broad = true, beneath = false;
    if (v.fibre()) {
        const Fibre::Sample s = v.whole ? v.fibre()->sampleWhole(v.wo, r[0], r[1], r[2])
                                        : v.fibre()->sample(v.wo, r[0], r[1], r[2]);
        wi = s.wi, weight = s.weight, pdf = s.pdf;
        if (path.splits()) path.splitBy(s.lobes, Component::FibreReflected, s.weight);
    } else {
        Bsdf::Components components;
        const Bsdf::Sample s =
            v.bsdf().sample(v.from, r[0], r[1], r[2], path.splits() ? &components : nullptr);
        wi = s.wi, weight = s.weight, pdf = s.pdf;
        if (path.splits()) path.splitBy(components, Component::Diffuse, s.weight * s.pdf);
        if (path.splits() && s.beneath) path.splitAll(Component::Subsurface);
        refracted = s.refracted, broad = s.broad, beneath = s.beneath;
    }
    const V3f direction = v.frame.toWorld(wi).normalized();
    if (!(pdf > 0.0f) || !v.agrees(direction, wi.z)) return false;
    path.weight *= weight;
    if (broad)
        path.roughen =
            std::max(path.roughen, std::min(1.0f, (v.fibre() ? kFibreSoftens : 1.0f) * options_.roughen));
    path.sharp = path.sharp && !broad && v.shaded.sharp;
    if (beneath) return emerge(path, v, direction);
    path.weight *= colorOf(path, v, wi);
    path.parted = path.parted || (v.shaded.disperses && wi.z < 0.0f);
    path.pdf = pdf;
    ++path.depth;
    if (!survive(path, r[3])) return false;
    path.ray = {v.originFor(direction), direction, path.ray.time};
    // Through what is clear, the light behind it was counted where the path left what is no shine.
    path.framed = path.framed && refracted;
    path.counted = refracted && (path.counted || path.broad);
    path.broad = broad && !refracted;
    constexpr float kSpreads = 0.03f;  // what a matt surface sees of another is a mean of much
    if (path.broad) path.spread = std::max(path.spread, kSpreads);
    if (refracted && v.shaded.behind) pass(path.media, *v.shaded.behind, v.point.backside);
    return path.depth <= options_.bounces + 1;
}

/// Goes on within the body, and scatters where the path comes out again as a matt face there does.
bool Renderer::emerge(Path& path, const Vertex& v, const V3f& direction) const {
    const Ray into{behind(v.point), direction, path.ray.time};
    const M44f world = scene_.matrixOf(v.instance, into.time), toOwn = world.inverse();
    const bool flat = !(std::abs(world.determinant()) > 1e-20f);  // then there is nothing beneath
    V3f left(1.0f);
    const auto end = walk(*v.shaded.beneath, into, path.sampler, left, [&](const Ray& ray, float most) {
        return flat ? RayHit() : scene_.intersectOwn(v.instance, toOwn, ray, most);
    });
    if (!end) return false;
    path.weight *= left;
    SurfacePoint out = v.point;
    if (!end->open) {
        out = scene_.surfacePoint(end->hit, end->ray);
        out.normal = -out.normal, out.faceNormal = -out.faceNormal;  // it looks to where the ray came from
        out.tangent = V3f(0.0f);
    }
    Vertex vertex(out, {Bsdf({.base = Color(1.0f)}), Color(1.0f)}, out.normal);
    gatherLight(path, vertex);
    return bounce(path, vertex);
}

/// Pixels to the right and down, while the shutter is open.
V2f Renderer::motionOf(const Path& path, const RayHit& hit) const {
    if (!hit.onThing() || (!scene_.moving() && !camera_.moving())) return V2f(0.0f);
    const auto from = camera_.project(scene_.placeOf(hit, 0.0f), 0.0f),
               to = camera_.project(scene_.placeOf(hit, 1.0f), 1.0f);
    if (!from || !to) return V2f(0.0f);
    return V2f((to->x - from->x) * float(path.film->whole().x),
               (to->y - from->y) * float(path.film->whole().y));
}

/// Of a copy, strand or particle among all others; never 0.
uint32_t Renderer::elementNumber(uint64_t element, uint32_t object, uint32_t layer) {
    return uint32_t(Hasher().add(element).add(uint64_t(object) << 32 | layer).value()) | 1u;
}

/// By one ray of those that a matt face would send out.
float Renderer::occlusionAt(const Path& path, const SurfacePoint& point, const V3f& normal) const {
    constexpr uint32_t kDraws = 0x0cc1u;  // its own, so that light is the same with this pass and without
    Sampler sampler = path.sampler.parted(kDraws);
    const auto r = sampler.next4();
    V3f x, y;
    basis(normal, x, y);
    const float radius = std::sqrt(r[0]), angle = 2.0f * kPi * r[1];
    const V3f direction = x * (radius * std::cos(angle)) + y * (radius * std::sin(angle)) +
                          normal * std::sqrt(std::max(0.0f, 1.0f - r[0]));
    const V3f from = point.strand ? leaveStrand(point, direction)
                                  : leave(point.position, point.faceNormal, point.rounding);
    return 1.0f - scene_.passing(from, direction, options_.occlusionReach, path.ray.time);
}

/// What the film's fields are at the first thing that a ray meets.
void Renderer::recordFields(const Path& path, const SurfaceMaterial& material, FieldsAt& fields) {
    if (path.recorded) return;
    const size_t count = std::min(material.passes.size(), path.film->layout().fields.size());
    for (size_t f = 0; f < count; ++f) path.film->addField(f, path.pixel, material.passes[f].at(fields));
}

/// What passes beside the light hold of the first thing that a ray meets.
void Renderer::recordFirst(const Path& path, const SurfacePoint& point, const V3f& normal, const V3f& base,
                           const RayHit& hit) const {
    if (path.recorded) return;
    Seen seen{.position = point.position,
              .normal = normal,
              .albedo = base,
              .depth = (point.position - camera_.position()).dot(camera_.forward()),
              .uv = point.uv,
              .object = point.object,
              .layer = point.layer,
              .material = point.material + 1,
              .element = elementNumber(point.element, point.object, point.layer)};
    if (point.strand) seen.tangent = point.tangent;
    if (path.film->has(render::Pass::Motion)) seen.motion = motionOf(path, hit);
    if (path.film->has(render::Pass::Occlusion) && hit.onThing())
        seen.occlusion = occlusionAt(path, point, normal);
    path.film->see(path.pixel, path.pass, seen);
}

Renderer::Vertex Renderer::vertexAt(Path& path, const Arrival& at, FieldsAt& fields) const {
    constexpr float kNarrow = 2.0f;    // pixels
    constexpr float kOfFibres = 0.9f;  // roughness of a fibre that is as wide as that of a shine
    const SurfaceMaterial& material = scene_.materialOf(at.point);
    if (!path.wavelength && material.disperses()) {
        const auto r = path.sampler.next4();
        path.wavelength = Wavelength::draw(r[0], r[1]);
    }
    const PathState state{path.media, at.hit.instance, path.wavelength, path.roughen, 0.5f * path.width};
    Vertex vertex(at.point, shade(material, at.point, state, fields), -path.ray.direction);
    vertex.instance = at.hit.instance;
    vertex.whole = vertex.fibre() &&
                   (path.depth > 0 || at.point.radius < 0.5f * kNarrow * at.hit.distance * path.spread);
    if (vertex.fibre() && path.roughen > 0.0f)
        vertex.softened.emplace(vertex.fibre()->softened(std::min(1.0f, kOfFibres * path.roughen)));
    if (path.depth == 0) {
        recordFirst(path, at.point, vertex.normal(), vertex.shaded.base, at.hit);
        recordFields(path, material, fields);
        path.lobed = vertex.fibre() != nullptr;
    }
    return vertex;
}

/// What a material makes of a path. False where it ends, or goes on as several.
bool Renderer::scatterAt(Flight& f, FieldsAt& fields, Sharing* sharing) const {
    const Vertex vertex = vertexAt(f.path, f.at, fields);
    if (sharing && f.path.framed && vertex.fibre()) {
        scatterApart(f.path, vertex, *sharing);
        return false;
    }
    addEmission(f.path, f.at.hit, vertex);
    gatherLight(f.path, vertex);
    return bounce(f.path, vertex);
}

/// Goes on to the next place that scatters. False where the path ends.
bool Renderer::advance(Path& path, Arrival& at) const {
    constexpr int kMostHidden = 32;
    for (;;) {
        const RayHit hit = scene_.intersect(path.ray, path.depth == 0);
        const auto line = contourAhead(path, hit);
        const RayHit next = line ? hitAt(line->distance) : hit;
        if (const Between between = meetMatter(path, next); between != Between::Nothing) {
            path.seen = true;
            if (between == Between::Ended) return false;
            continue;
        }
        const bool ended = meetLights(path, next);
        if (path.weight == V3f(0.0f)) {  // clouds hide what comes
            path.seen = true;
            return false;
        }
        if (path.depth == 0) path.seen = next.hit() || ended;
        if (path.framed && !next.hit() && !ended && options_.backdrop.kind != Backdrop::Kind::Lights)
            meetBackdrop(path);
        if (line && !ended) {
            path.weight *= path.through(line->distance);
            draw(path, line->owner, next, true);
        }
        // The last ray only looks for lights, so that both ways to find them count.
        if (ended || line || !hit.hit() || path.depth > options_.bounces) return false;
        at = {hit, scene_.surfacePoint(hit, path.ray)};
        SurfacePoint& point = at.point;
        path.weight *= path.through(hit.distance);
        path.width += hit.distance * path.spread;
        point.width = path.width, point.uvWidth = path.width * point.uvPerMetre;
        path.far += hit.distance;
        if (path.hidden < kMostHidden && (passHidden(path, hit, point) || catchShadow(path, point))) {
            ++path.hidden;
            continue;
        }
        if (!scene_.materialOf(point).drawn) return true;
        draw(path, point, hit, false);
        return false;
    }
}

/// A path from the eye through a pixel.
Renderer::Flight Renderer::begin(int x, int y, const Pass& pass) const {
    const V2i& from = pass.film.from();
    Sampler sampler(uint32_t(from.x + x), uint32_t(from.y + y), pass.number, options_.seed,
                    options_.log2Passes);
    V2f place;
    const Ray first = primaryRay(pass.film, x, y, sampler, &place);
    Flight f{{first, sampler, &pass.film, pass.film.indexOf(x, y), pass.number, &pass.contours, place}, {}};
    f.path.spread = 2.0f * camera_.halfHeight() / float(pass.film.whole().y);
    f.path.components = pass.components;
    f.path.clouds = pass.clouds;
    if (pass.clouds) f.path.among = pass.clouds->walk(x, y);
    return f;
}

/// Once it was followed: the pixel has one sample more.
void Renderer::end(const Flight& f) const {
    const Path& p = f.path;
    p.film->finish(p.pixel, p.pass, p.seen || !options_.clearBackground ? 1.0f : 1.0f - p.shade);
}

namespace {

template <class Body>
void overTiles(const Rect& r, int size, Progress& progress, const Body& body) {
    // Cut as the whole picture is, wherever the region lies.
    const int left = r.x / size, top = r.y / size;
    const int columns = (r.x + r.width + size - 1) / size - left,
              rows = (r.y + r.height + size - 1) / size - top;
    if (r.width <= 0 || r.height <= 0) return;
    parallelRanges(size_t(columns) * size_t(rows), 1, progress, [&](size_t begin, size_t end) {
        for (size_t tile = begin; tile < end; ++tile) {
            const int x = (left + int(tile) % columns) * size, y = (top + int(tile) / columns) * size;
            const int x0 = std::max(x, r.x), y0 = std::max(y, r.y);
            body(Rect{x0, y0, std::min(x + size, r.x + r.width) - x0,
                      std::min(y + size, r.y + r.height) - y0});
        }
    });
}

bool keepsComponents(const Film& film) {
    for (size_t p = 0; p < kComponents; ++p)
        if (film.has(passOf(p, false)) || film.has(passOf(p, true))) return true;
    return false;
}

}  // namespace

/// @param shares  whether fibres share their light
void Renderer::renderTile(const Rect& tile, const Pass& pass, bool shares, Progress& progress) const {
    Sharing sharing;
    std::vector<Flight> flights;
    const int rows = std::max(1, int(kTogether) / std::max(1, tile.width));
    for (int top = tile.y; top < tile.y + tile.height; top += rows) {
        flights.clear();
        for (int y = top; y < std::min(top + rows, tile.y + tile.height); ++y)
            for (int x = tile.x; x < tile.x + tile.width; ++x)
                if (!pass.blocks || pass.blocks->active(x, y)) flights.push_back(begin(x, y, pass));
        followAll(flights, shares ? &sharing : nullptr, false, progress);
        for (const Flight& f : flights) end(f);
    }
    followAll(sharing.ways, &sharing, false, progress);
    share(sharing.waiting, pass.film.groups().size(), progress);
}

void Renderer::renderPass(Film& film, uint32_t number, const Rect& region, Progress& progress,
                          SampleBlocks* blocks) const {
    const ContourFinder contours(scene_, camera_, film.whole().y);
    std::optional<CloudPicture> clouds;
    if (!scene_.clouds().empty()) clouds.emplace(scene_, camera_, film, cloudOptions(number), progress);
    const Pass pass{film, contours, number, blocks, keepsComponents(film), clouds ? &*clouds : nullptr};
    const bool shares = options_.shareFibreLight && scene_.hasFibres();
    constexpr int kTile = 16, kSharing = 32;
    overTiles(region, shares ? kSharing : kTile, progress,
              [&](const Rect& tile) { renderTile(tile, pass, shares, progress); });
    if (blocks) blocks->update(film, number + 1);
}

void Renderer::renderPreview(Film& film, int step, const Rect& region, Progress& progress) const {
    const ContourFinder contours(scene_, camera_, film.whole().y);
    std::optional<CloudPicture> clouds;
    if (!scene_.clouds().empty()) clouds.emplace(scene_, camera_, film, firstLook(step), progress);
    const Pass pass{film, contours, 0, nullptr, keepsComponents(film), clouds ? &*clouds : nullptr};
    const auto block = [&](const Rect& r) {
        const int x = std::min(r.x + step / 2, film.width() - 1),
                  y = std::min(r.y + step / 2, film.height() - 1);
        film.clear(film.indexOf(x, y));
        Flight f = begin(x, y, pass);
        follow({&f, 1}, nullptr, false);
        end(f);
        for (int j = r.y; j < r.y + r.height; ++j)
            for (int i = r.x; i < r.x + r.width; ++i)
                if (i != x || j != y) film.copy(film.indexOf(i, j), film, film.indexOf(x, y));
    };
    constexpr int kTile = 16;
    overTiles(region, std::max(kTile, step), progress, [&](const Rect& tile) {
        const int right = tile.x + tile.width, bottom = tile.y + tile.height;
        for (int y = tile.y; y < bottom; y += step)
            for (int x = tile.x; x < right; x += step)
                block({x, y, std::min(step, right - x), std::min(step, bottom - y)});
    });
}

}  // namespace ovrix::render
