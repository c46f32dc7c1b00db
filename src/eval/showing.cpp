#include "eval/showing.h"

#include <numeric>

#include "base/hash.h"
#include "base/parallel.h"
#include "base/random.h"
#include "eval/camera_options.h"

namespace ovrix::eval {

Showing showingOf(const Document& document, const Node& layer, const EvalOptions& o) {
    const auto value = [&](const auto& handle) { return document.value(layer.id, handle, o.frame); };
    const bool view = o.purpose == Purpose::Viewport;
    Showing s;
    if (view) {
        s.share = value(kLayer.viewShare);
        if (const int64_t most = value(kLayer.viewMost); most > 0) s.most = size_t(most);
    }
    s.thinFrom = float(value(kLayer.thinFrom));
    const auto cull = value(kLayer.cull);
    s.cull = cull == "view and render" || (view && cull == "view");
    s.margin = float(value(kLayer.cullMargin));
    const auto camera = sceneCamera(document, o.frame);
    if (!camera) {  // nothing to look from
        s.cull = false;
        s.thinFrom = 0.0f;
        return s;
    }
    s.camera = *camera;
    s.aspect = pictureAspect(document, o.frame);
    return s;
}

void addToHash(Hasher& h, const Showing& s) {
    h.add(s.share).add(uint64_t(s.most)).add(double(s.thinFrom)).add(uint64_t(s.cull)).add(double(s.margin));
    if (!s.cull && s.thinFrom <= 0.0f) return;
    for (const V3f& v : {s.camera.position, s.camera.target})
        h.add(double(v.x)).add(double(v.y)).add(double(v.z));
    h.add(double(s.camera.roll)).add(double(s.camera.focal)).add(double(s.aspect));
}

namespace {

/// Whether a place lies in the camera's view, or nearer to it than the margin.
bool seen(const V3f& p, const Camera& camera, float margin) {
    const V3f d = p - camera.position();
    const float depth = d.dot(camera.forward());
    if (depth < -margin) return false;
    const float wide = std::max(0.0f, depth);
    // The distance to the planes of the view's sides, not along the picture.
    const auto inside = [&](float along, float half) {
        return (std::abs(along) - wide * half) / std::sqrt(1.0f + half * half) <= margin;
    };
    return inside(d.dot(camera.right()), camera.halfWidth()) &&
           inside(d.dot(camera.up()), camera.halfHeight());
}

}  // namespace

namespace {

/// The elements that are left of those at @p p, by their ids.
std::vector<uint32_t> shownIndices(std::span<const V3f> p, std::span<const uint64_t> id, const Showing& s) {
    const Camera camera(s.camera, s.aspect);
    const V3f eye = camera.position();
    std::vector<uint8_t> stays(p.size());
    parallelFor(p.size(), Progress::none(), [&](size_t i) {
        double chance = s.share;
        const float distance = (p[i] - eye).length();
        if (s.thinFrom > 0.0f && distance > s.thinFrom)
            chance *= double(s.thinFrom) * double(s.thinFrom) / (double(distance) * double(distance));
        stays[i] =
            double(random1(0, id[i], Stream::Show)) < chance && (!s.cull || seen(p[i], camera, s.margin));
    });
    std::vector<uint32_t> kept;
    for (size_t i = 0; i < stays.size(); ++i)
        if (stays[i]) kept.push_back(uint32_t(i));
    if (kept.size() <= s.most) return kept;
    // Those of the lowest numbers: raising the limit brings others, and takes none.
    const auto number = [&](uint32_t i) { return random4(0, id[i], Stream::Show).bits[1]; };
    std::nth_element(kept.begin(), kept.begin() + std::ptrdiff_t(s.most), kept.end(),
                     [&](uint32_t a, uint32_t b) {
                         return number(a) != number(b) ? number(a) < number(b) : id[a] < id[b];
                     });
    kept.resize(s.most);
    std::sort(kept.begin(), kept.end());
    return kept;
}

}  // namespace

Geometry shownOf(const Geometry& geometry, const Showing& s) {
    const AttributeSet* set = s.all() ? nullptr : elementsOf(geometry);
    if (!set) return geometry;
    const auto p = set->find<V3f>("P");
    const auto id = set->find<uint64_t>("id");
    return id.size() == p.size() ? gathered(geometry, shownIndices(p, id, s)) : geometry;
}

namespace {

/// Whether a place is in what is looked into.
struct Cut {
    enum class Kind { All, Slice, Box } kind = Kind::All;
    int axis = 0;
    Box3f box;
    bool has(const V3f& p) const {
        if (!isFinite(p)) return false;
        if (kind == Kind::Slice) return p[axis] >= box.min[axis] && p[axis] <= box.max[axis];
        return kind == Kind::All || box.intersects(p);
    }
};

Cut cutOf(const Document& document, const std::string& layer, double frame) {
    const auto value = [&](const auto& handle) { return document.value(layer, handle, frame); };
    Cut cut;
    const std::string kind = value(kLayer.cut);
    if (kind == "slice") {
        cut.kind = Cut::Kind::Slice;
        cut.axis = value(kLayer.cutAxis)[0] - 'x';
        const double at = value(kLayer.cutAt), half = 0.5 * value(kLayer.cutThickness);
        cut.box.min[cut.axis] = float(at - half), cut.box.max[cut.axis] = float(at + half);
    } else if (kind == "box") {
        cut.kind = Cut::Kind::Box;
        cut.box.extendBy(V3f(value(kLayer.cutFrom)));
        cut.box.extendBy(V3f(value(kLayer.cutTo)));
    }
    return cut;
}

/// A channel's numbers, or the lengths of its vectors; empty where there is none of that name.
std::vector<float> numbersOf(const AttributeSet& points, const std::string& channel) {
    if (const auto f = points.find<float>(channel); !f.empty()) return {f.begin(), f.end()};
    if (const auto n = points.find<int32_t>(channel); !n.empty()) return {n.begin(), n.end()};
    std::vector<float> out;
    if (const auto v = points.find<V3f>(channel); !v.empty())
        for (const V3f& x : v) out.push_back(x.length());
    return out;
}

/// A step through as many that comes to each once, and is nowhere for long.
size_t spreadStep(size_t count) {
    constexpr double kGolden = 0.6180339887498949;
    size_t step = std::max<size_t>(1, size_t(double(count) * kGolden));
    while (std::gcd(step, count) != 1) ++step;
    return step;
}

}  // namespace

PointsInView pointsInView(const Document& document, const std::string& layer, double frame,
                          const AttributeSet& points) {
    PointsInView out;
    const Cut cut = cutOf(document, layer, frame);
    const std::string as = document.value(layer, kLayer.pointsAs, frame);
    const auto p = points.find<V3f>("P"), v = points.find<V3f>("v"), n = points.find<V3f>("N");
    const V3f above = V3f(0.3f, 0.8f, 0.52f).normalized();
    const auto color = points.find<Color>("color");
    const auto radius = points.find<float>("radius"), scale = points.find<float>("scale");
    const std::string channel = document.value(layer, kLayer.pointsBy, frame);
    const std::vector<float> numbers = channel.empty() ? std::vector<float>() : numbersOf(points, channel);
    if (!numbers.empty()) out.channel = channel;
    out.least = std::numeric_limits<float>::infinity(), out.most = -out.least;
    for (const float x : numbers)
        if (std::isfinite(x)) out.least = std::min(out.least, x), out.most = std::max(out.most, x);
    if (!(out.least <= out.most)) out.least = out.most = 0.0f;
    out.lines = as == "streaks" && !v.empty();
    const size_t step = spreadStep(p.size());
    const float range = std::max(out.most - out.least, 1e-30f), shown = float(1.0 / document.rate());
    for (size_t k = 0, i = 0; k < p.size(); ++k, i = (i + step) % p.size()) {
        if (!cut.has(p[i])) continue;
        PointsInView::Dot dot{p[i], color.empty() ? V3f(-1.0f) : V3f(color[i]), -1.0f, 0.0f, 1.0f};
        if (!n.empty()) dot.shade = 0.7f + 0.3f * std::clamp(n[i].dot(above), -1.0f, 1.0f);
        if (!numbers.empty() && std::isfinite(numbers[i])) dot.value = (numbers[i] - out.least) / range;
        if (as == "sized") dot.size = !radius.empty() ? 2.0f * radius[i] : scale.empty() ? 0.0f : scale[i];
        if (!(dot.size >= 0.0f)) dot.size = 0.0f;
        out.dots.push_back(dot);
        if (!out.lines) continue;
        dot.place += isFinite(v[i]) ? v[i] * shown : V3f(0.0f);
        out.dots.push_back(dot);
    }
    return out;
}

uint64_t pointsInViewKey(const Document& document, const std::string& layer, double frame) {
    Hasher h;
    for (const auto& handle : {kLayer.pointsAs, kLayer.pointsBy, kLayer.cut, kLayer.cutAxis})
        h.add(std::string_view(document.value(layer, handle, frame)));
    for (const auto& handle : {kLayer.cutAt, kLayer.cutThickness})
        h.add(document.value(layer, handle, frame));
    for (const auto& handle : {kLayer.cutFrom, kLayer.cutTo})
        for (int k = 0; k < 3; ++k) h.add(document.value(layer, handle, frame)[k]);
    return h.add(document.rate()).value();
}

}  // namespace ovrix::eval
