#include "eval/pick/element_pick.h"

#include "eval/prototype.h"

namespace ovrix::eval {

namespace {

/// The row with the least of what @p away gives; none without rows.
template <class Away>
std::optional<size_t> leastOf(size_t count, const Away& away) {
    std::optional<size_t> best;
    float least = std::numeric_limits<float>::infinity();
    for (size_t i = 0; i < count; ++i)
        if (const float a = away(i); a < least) least = a, best = i;
    return best;
}

/// How far out a place lies in a box: 0 in its middle, 1 on its side.
float outwards(const Box3f& box, const V3f& place) {
    const V3f middle = box.center(), half = box.size() * 0.5f;
    const float least = std::max({half.x, half.y, half.z}) * 1e-3f;  // flat ones have a little depth
    float out = 0.0f;
    for (int k = 0; k < 3; ++k)
        out = std::max(out, std::abs(place[k] - middle[k]) / std::max(half[k], least));
    return out;
}

std::optional<size_t> copyNear(const Copies& copies, std::span<const Box3f> boxes, const V3f& place) {
    const ElementPlaces places(copies.attributes);
    const auto which = copies.attributes.find<int32_t>("prototype");
    return leastOf(places.size(), [&](size_t i) {
        const M44f matrix = places.matrix(i);
        if (size_t(which[i]) >= boxes.size() || boxes[size_t(which[i])].isEmpty() ||
            std::abs(matrix.determinant()) < 1e-30f)
            return std::numeric_limits<float>::infinity();
        return outwards(boxes[size_t(which[i])], place * matrix.inverse());
    });
}

std::optional<size_t> strandNear(const StrandSet& strands, const V3f& place) {
    const auto points = strands.points.find<V3f>("P");
    const auto point = leastOf(points.size(), [&](size_t i) { return (points[i] - place).length(); });
    if (!point) return std::nullopt;
    return size_t(std::upper_bound(strands.start.begin(), strands.start.end(), uint32_t(*point)) -
                  strands.start.begin()) -
           1;
}

}  // namespace

std::optional<ElementHit> elementAt(const Copies& copies, std::span<const Box3f> boxes, const V3f& origin,
                                    const V3f& direction) {
    const ElementPlaces places(copies.attributes);
    const auto which = copies.attributes.find<int32_t>("prototype");
    const auto id = copies.attributes.find<uint64_t>("id");
    std::optional<ElementHit> best;
    for (size_t i = 0; i < places.size(); ++i) {
        if (size_t(which[i]) >= boxes.size() || boxes[size_t(which[i])].isEmpty()) continue;
        const M44f matrix = places.matrix(i);
        if (std::abs(matrix.determinant()) < 1e-30f) continue;
        const M44f inverse = matrix.inverse();
        V3f o = origin * inverse, d;
        inverse.multDirMatrix(direction, d);  // not unit: distances stay those of the world
        float near = 0.0f, far = best ? best->distance : std::numeric_limits<float>::infinity();
        for (int a = 0; a < 3; ++a) {
            const Box3f& box = boxes[size_t(which[i])];
            float t0 = (box.min[a] - o[a]) / d[a], t1 = (box.max[a] - o[a]) / d[a];
            if (t0 > t1) std::swap(t0, t1);
            near = std::max(near, t0), far = std::min(far, t1);
        }
        if (near <= far && (!best || near < best->distance)) best = ElementHit{id[i], uint32_t(i), near};
    }
    return best;
}

std::optional<uint64_t> elementNear(Evaluator& evaluator, const SceneContext& scene, const std::string& layer,
                                    const EvalOptions& options, const V3f& place, Progress& progress) {
    const Geometry geometry = evaluator.layer(scene, layer, options, progress).geometry;
    const AttributeSet* elements = elementsOf(geometry);
    const auto ids = elements ? elements->find<uint64_t>("id") : std::span<const uint64_t>();
    std::optional<size_t> row;
    if (const auto* copies = std::get_if<std::shared_ptr<const Copies>>(&geometry)) {
        std::vector<Box3f> boxes;
        for (const std::string& id : (*copies)->prototypes)
            boxes.push_back(
                scene.document.find(id)
                    ? placedBox(evaluator.object(scene, id, options.frame, progress).mesh->bounds(),
                                prototypeMatrix(scene.document, id, options.frame))
                    : Box3f());
        row = copyNear(**copies, boxes, place);
    } else if (const auto* strands = std::get_if<std::shared_ptr<const StrandSet>>(&geometry)) {
        row = strandNear(**strands, place);
    } else if (elements) {
        const auto points = elements->find<V3f>("P");
        row = leastOf(points.size(), [&](size_t i) { return (points[i] - place).length(); });
    }
    return row && *row < ids.size() ? std::optional(ids[*row]) : std::nullopt;
}

}  // namespace ovrix::eval
