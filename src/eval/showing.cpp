#include "eval/showing.h"

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
    const auto* copies = std::get_if<std::shared_ptr<const Copies>>(&geometry);
    const auto* strands = std::get_if<std::shared_ptr<const StrandSet>>(&geometry);
    if (s.all() || (!copies && !strands)) return geometry;
    const AttributeSet& set = copies ? (*copies)->attributes : (*strands)->strands;
    return gathered(geometry, shownIndices(set.find<V3f>("P"), set.find<uint64_t>("id"), s));
}

}  // namespace ovrix::eval
