#include "eval/overlay.h"

#include "base/error.h"
#include "base/hash.h"
#include "base/parallel.h"
#include "eval/evaluator_query.h"
#include "geo/mesh/corner_places.h"
#include "geo/surface/surface.h"

namespace ovrix::eval {

std::shared_ptr<const CornerPlaces> cornersOf(const Surface& surface) {
    return surface.cached<CornerPlaces>("corners",
                                        [&] { return std::make_shared<const CornerPlaces>(surface.mesh()); });
}

namespace {

constexpr size_t kSamples = 4096, kStripCells = 64;

/// Places spread evenly over a surface, sorted along X.
struct Places {
    std::vector<V3f> position, normal;
    std::vector<V2f> uv, bary;
    std::vector<uint64_t> id;
    std::vector<int32_t> triangle;
    explicit Places(const Surface& surface) {
        if (!(surface.area() > 0.0)) return;
        std::vector<Surface::Sample> samples(kSamples);
        surface.sample(1, 0, samples.size(), samples.data());
        std::sort(samples.begin(), samples.end(),
                  [](const auto& a, const auto& b) { return a.position.x < b.position.x; });
        for (const Surface::Sample& s : samples) {
            position.push_back(s.position);
            normal.push_back(s.normal);
            uv.push_back(surface.uvAt(s.triangle, s.u, s.v));
            id.push_back(id.size());
            triangle.push_back(int32_t(s.triangle));
            bary.push_back(V2f(s.u, s.v));
        }
    }
    Samples samples() const {
        return Samples(position)
            .with(channel::normal, normal)
            .with(channel::uv, uv)
            .with(channel::id, id)
            .with(channel::triangle, triangle)
            .with(channel::bary, bary);
    }
};

std::vector<float> overCorners(const CompiledField& field, const Surface& surface, Progress& progress) {
    const Mesh& mesh = surface.mesh();
    const auto corners = cornersOf(surface);
    std::vector<float> values(corners->position.size());
    const Samples samples = samplesOf(mesh, *corners);
    parallelRanges(values.size(), 4096, progress, [&](size_t begin, size_t end) {
        field.evaluate(samples.sub(begin, end - begin), {values.data() + begin, end - begin});
    });
    return values;
}

double meanOf(const std::vector<float>& values) {
    double sum = 0;
    for (float x : values) sum += double(std::clamp(x, 0.0f, 1.0f));
    return values.empty() ? 0.0 : sum / double(values.size());
}

/// Means over equal parts of the values, in order.
std::vector<float> stripOf(const std::vector<float>& values) {
    std::vector<float> strip(kStripCells, 0.0f);
    const float share = float(kStripCells) / float(std::max<size_t>(1, values.size()));
    for (size_t i = 0; i < values.size(); ++i) strip[i * kStripCells / values.size()] += values[i] * share;
    return strip;
}

uint64_t hashOf(const std::string& surface, const std::vector<float>& values) {
    Hasher h;
    h.add(std::string_view(surface));
    h.add(std::string_view(reinterpret_cast<const char*>(values.data()), values.size() * sizeof(float)));
    return h.value();
}

void fill(Overlay& overlay, const Field& source, Evaluator::Query& query, Evaluator& evaluator) {
    const double frame = query.options().frame;
    Progress& progress = query.progress();
    const SurfacePtr surface = query.surface(overlay.surface);
    overlay.ground = surface;
    const Evaluator::Query::CycleGuard guard(query, overlay.path.node);
    FieldContext context = evaluator.fieldContext(overlay.surface, frame, surface, query);
    context.anyName = true;  // what elements carry is not on the bare surface
    const CompiledField field(source, context);
    overlay.values = overCorners(field, *surface, progress);
    overlay.hash = hashOf(overlay.surface, overlay.values);
    const auto kept =
        surface->cached<Places>("places", [&] { return std::make_shared<const Places>(*surface); });
    const Places& places = *kept;
    std::vector<float> values(places.position.size());
    field.evaluate(places.samples(), values);
    overlay.mean = meanOf(values);
    overlay.spread = values;
    std::sort(overlay.spread.begin(), overlay.spread.end());
    for (size_t i = 0; i < field.sourceCount(); ++i) {
        field.evaluateSource(i, places.samples(), values);
        overlay.strips.push_back(stripOf(values));
    }
}

}  // namespace

namespace {

/// The object on which a material is previewed: one in view that wears it, else any that does, else a
/// prototype of a layer that does.
std::string wearerOf(const Document& document, const std::string& material, double frame) {
    std::string hidden;
    for (const NodePtr& object : document.nodes(Category::Object)) {
        if (!wearsMaterial(document, *object, material, frame)) continue;
        if (object->shown) return object->id;
        if (hidden.empty()) hidden = object->id;
    }
    if (!hidden.empty()) return hidden;
    for (const NodePtr& layer : document.nodes(Category::Layer))
        if (document.value(layer->id, kLayer.material, frame) == material)
            for (const std::string& id : prototypesOf(*recipeOf(document, *layer)))
                if (document.find(id)) return id;
    return {};
}

std::string surfaceUnder(const Document& document, const Node& node, double frame) {
    if (node.category() == Category::Object) return node.id;
    const bool material = node.category() == Category::Material;
    std::string id =
        material ? wearerOf(document, node.id, frame) : document.value(node.id, kLayer.surface, frame);
    if (id.empty()) throw Error(material ? "nothing wears the material" : "the layer lies on no surface");
    return id;
}

}  // namespace

double Overlay::shareFrom(float threshold) const {
    const auto from = std::lower_bound(spread.begin(), spread.end(), threshold);
    return spread.empty() ? 0.0 : double(spread.end() - from) / double(spread.size());
}

std::optional<Overlay> makeOverlay(const SceneContext& scene, const ParamPath& path, Evaluator& evaluator,
                                   const EvalOptions& options, Progress& progress) {
    const Document& document = scene.document;
    const Node* node = document.find(path.node);
    if (!node || (node->category() != Category::Layer && node->category() != Category::Material &&
                  node->category() != Category::Object))
        return std::nullopt;
    Overlay overlay;
    overlay.path = path;
    try {
        const Param param = paramAt(document, path);
        if (!param.field) return std::nullopt;
        overlay.surface = surfaceUnder(document, *node, options.frame);
        Evaluator::Query query(evaluator, scene, options, progress);
        fill(overlay, *param.field, query, evaluator);
    } catch (const Error& e) {
        overlay.values.clear();
        overlay.error = e.what();
    }
    return overlay;
}

}  // namespace ovrix::eval
