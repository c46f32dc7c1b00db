#include "deliver/worn.h"

#include "base/error.h"
#include "base/parallel.h"
#include "base/random.h"
#include "base/srgb.h"
#include "document/model/values.h"
#include "geo/mesh/corner_places.h"
#include "geo/points/elements.h"
#include "geo/surface/surface.h"

namespace ovrix::deliver {

namespace {

uint8_t toByte(float x) { return uint8_t(x > 0.0f ? std::min(x, 1.0f) * 255.0f + 0.5f : 0.0f); }

/// What a material is at places, as numbers.
struct Numbers {
    std::vector<Color> color;
    std::vector<float> roughness, metalness, coat, clear, opacity;
};

void mix(std::vector<float>& a, const std::vector<float>& b, const std::vector<float>& t) {
    for (size_t i = 0; i < a.size(); ++i) a[i] = lerp(a[i], b[i], t[i]);
}

Numbers numbersOf(const SurfaceMaterial& m, const Samples& s, Progress& progress) {
    Numbers n{
        m.base.over(s, progress),       m.roughness.over(s, progress),          m.metalness.over(s, progress),
        m.coatWeight.over(s, progress), m.transmissionWeight.over(s, progress), m.opacity.over(s, progress)};
    const std::vector<float> weight = m.baseWeight.over(s, progress);
    const std::vector<float> beneath = m.subsurfaceWeight.over(s, progress);
    const std::vector<Color> flesh = m.subsurfaceColor.over(s, progress);
    const std::vector<Color> through = m.transmissionColor.over(s, progress);
    const std::vector<float> nits = m.luminance.over(s, progress);
    const std::vector<Color> glow = m.emission.over(s, progress);
    for (size_t i = 0; i < n.color.size(); ++i) {
        V3f c = V3f(n.color[i]) * weight[i];
        c = c * (1.0f - beneath[i]) + V3f(flesh[i]) * beneath[i];
        // What is clear shows what lies behind, dimmed in its colour.
        c = c * (1.0f - n.clear[i]) + V3f(through[i]) * (0.35f * n.clear[i]);
        const V3f light = V3f(glow[i]) * (nits[i] * m.perNit);
        n.color[i] =
            Color(c + V3f(std::max(0.0f, light.x), std::max(0.0f, light.y), std::max(0.0f, light.z)));
    }
    if (!m.over) return n;
    std::vector<float> cover = m.overWeight.over(s, progress);
    for (float& t : cover) t = t > 0.0f ? std::min(t, 1.0f) : 0.0f;
    const Numbers above = numbersOf(*m.over, s, progress);
    for (size_t i = 0; i < cover.size(); ++i)
        n.color[i] = Color(V3f(n.color[i]) * (1.0f - cover[i]) + V3f(above.color[i]) * cover[i]);
    for (std::vector<float> Numbers::*x :
         {&Numbers::roughness, &Numbers::metalness, &Numbers::coat, &Numbers::clear, &Numbers::opacity})
        mix(n.*x, above.*x, cover);
    return n;
}

/// Whether it goes on while its numbers stay, or looks at other things of the scene.
bool followsTime(const Node& node) {
    for (const auto& [id, p] : node.params) {
        if (p.animated()) return true;
        for (const FieldSource& s : p.field ? p.field->sources : std::vector<FieldSource>()) {
            const SourceType* type = findSourceType(s.type);
            if (type && type->followsTime && type->followsTime(s.params)) return true;
            for (const auto& [name, param] : s.params)
                if (param.animated()) return true;
        }
    }
    return false;
}

bool looksAround(const Node& node) {
    for (const auto& [id, p] : node.params)
        for (const FieldSource& s : p.field ? p.field->sources : std::vector<FieldSource>())
            for (const auto& [name, param] : s.params)
                if (const Refs* refs = std::get_if<Refs>(&param.value); refs && !refs->empty()) return true;
    return false;
}

/// The materials of an object's slots: its own, or those of the file.
std::vector<std::string> slotsOf(const Document& d, const Node& object, double frame) {
    const std::string own = d.value(object.id, kObject.object.material, frame);
    if (!own.empty() || !findSpec(specsOf(object), kObject.slots.id())) return {own};
    const Refs slots = d.value(object.id, kObject.slots, frame);
    return slots.empty() ? std::vector<std::string>{own} : slots;
}

}  // namespace

std::vector<WornPlace> wornOver(const SurfaceMaterial& m, const Samples& samples, Progress& progress) {
    const Numbers n = numbersOf(m, samples, progress);
    std::vector<WornPlace> out(samples.size());
    for (size_t i = 0; i < out.size(); ++i) {
        WornPlace& w = out[i];
        for (int k = 0; k < 3; ++k) {
            const float c = n.color[i][k];
            w.color[size_t(k)] = toByte(encodeSrgb(c > 0.0f ? std::min(c, 1.0f) : 0.0f));
        }
        w.roughness = toByte(n.roughness[i]), w.metalness = toByte(n.metalness[i]);
        w.coat = toByte(n.coat[i]), w.clear = toByte(n.clear[i]), w.opacity = toByte(n.opacity[i]);
    }
    return out;
}

WornLooks::Key WornLooks::keyOf(Evaluator::Query& query, std::shared_ptr<const void> shape,
                                const std::string& wearer, const std::vector<std::string>& materials) const {
    const Document& d = query.document();
    Key key{.shape = std::move(shape), .nodes = {}, .world = d.worldMatrix(wearer, query.options().frame)};
    std::vector<std::string> todo = materials;
    bool around = false;
    for (size_t i = 0; i < todo.size(); ++i) {  // and what lies over them
        if (!d.find(todo[i])) continue;
        const NodePtr node = d.nodes()[d.indexOf(todo[i])];
        if (std::find(key.nodes.begin(), key.nodes.end(), node) != key.nodes.end()) continue;
        key.nodes.push_back(node);
        around = around || looksAround(*node);
        if (followsTime(*node)) key.frame = query.options().frame;
        if (const auto over = node->params.find("over"); over != node->params.end())
            if (const auto* id = std::get_if<std::string>(&over->second.value)) todo.push_back(*id);
    }
    if (around) key.nodes.insert(key.nodes.end(), d.nodes().begin(), d.nodes().end());
    return key;
}

Worn WornLooks::kept(const std::string& name, Key key, const std::function<std::vector<WornPlace>()>& make) {
    const auto known = kept_.find(name);
    if (known != kept_.end() && known->second.key == key) {
        known->second.used = true;
        return known->second.worn;
    }
    Worn worn{nullptr, ++stamp_};
    try {
        auto places = make();
        if (!places.empty()) worn.places = std::make_shared<const std::vector<WornPlace>>(std::move(places));
    } catch (const Error&) {  // checks and the render say it; the view shows a plain colour
    }
    kept_[name] = {std::move(key), worn, true};
    return worn;
}

void WornLooks::dropUnused() {
    std::erase_if(kept_, [](const auto& entry) { return !entry.second.used; });
    for (auto& [name, kept] : kept_) kept.used = false;
}

Worn WornLooks::ofObject(Evaluator::Query& query, const Node& object, const MeshPtr& mesh) {
    const Document& d = query.document();
    const double frame = query.options().frame;
    const std::vector<std::string> slots = slotsOf(d, object, frame);
    return kept(object.id, keyOf(query, mesh, object.id, slots), [&] {
        std::vector<WornPlace> out;
        const SurfacePtr surface = query.surface(object.id);
        if (surface->mesh().cornerPoint.size() != mesh->cornerPoint.size()) return out;
        const CornerPlaces corners(surface->mesh());
        const Samples samples = samplesOf(surface->mesh(), corners);
        const FieldContext context = evaluator_.fieldContext(object.id, frame, surface, query);
        std::vector<std::string> problems;  // the render says them
        for (size_t s = 0; s < slots.size(); ++s) {
            const Node* node = d.find(slots[s]);
            if (!node || node->category() != Category::Material) continue;
            const SurfaceMaterial m = materials_.make(d, *node, context, problems);
            if (m.fibre) continue;
            std::vector<WornPlace> all = wornOver(m, samples, query.progress());
            if (slots.size() == 1) return all;
            out.resize(all.size());
            const auto faces = mesh->slots();
            for (size_t c = 0; c < all.size() && !faces.empty(); ++c)
                if (faces[mesh->triangleFace(uint32_t(std::max(0, corners.triangle[c])))] == int32_t(s))
                    out[c] = all[c];
        }
        return out;
    });
}

Worn WornLooks::ofCopies(Evaluator::Query& query, const Node& layer,
                         const std::shared_ptr<const Copies>& copies, int32_t prototype) {
    const Document& d = query.document();
    const double frame = query.options().frame;
    const std::string& object = copies->prototypes[size_t(prototype)];
    std::string material = d.value(layer.id, kLayer.material, frame);
    const Node* model = d.find(object);
    if (material.empty() && model) material = slotsOf(d, *model, frame).front();
    return kept(layer.id + "/" + std::to_string(prototype), keyOf(query, copies, layer.id, {material}), [&] {
        const Node* node = d.find(material);
        if (!node || node->category() != Category::Material) return std::vector<WornPlace>();
        const AttributeSet& a = copies->attributes;
        Samples samples = samplesOf(a);
        const std::vector<V3f> up(samples.size(), V3f(0, 1, 0));
        if (samples.get(channel::normal).empty()) samples.with(channel::normal, up);
        FieldContext context = evaluator_.fieldContext({}, frame, nullptr, query);
        context.elements = &a;
        context.anyName = true;
        std::vector<std::string> problems;
        const SurfaceMaterial m = materials_.make(d, *node, context, problems);
        if (m.fibre) return std::vector<WornPlace>();
        const std::vector<WornPlace> all = wornOver(m, samples, query.progress());
        const auto of = a.find<int32_t>("prototype");
        std::vector<WornPlace> mine;
        for (size_t i = 0; i < all.size(); ++i)
            if (of[i] == prototype) mine.push_back(all[i]);
        return mine;
    });
}

ViewLight viewLightOf(std::span<const Light> lights) {
    constexpr int kDraws = 256;
    ViewLight out;
    V3f toKey(0.0f), key(0.0f), above(0.0f), below(0.0f);
    for (const Light& light : lights) {
        if (!light.bounds().far) continue;
        V3f mean(0.0f), all(0.0f), high(0.0f), low(0.0f);
        for (int i = 0; i < kDraws; ++i) {
            const Random4 r = random4(1, uint64_t(i), Stream::User);
            const LightSample s = light.sample(V3f(0.0f), r[0], r[1]);
            if (!(s.pdf > 0.0f) || !isFinite(s.radiance)) continue;
            const V3f given = s.radiance / (s.pdf * float(kDraws));
            mean += s.direction * luminance(given);
            all += given;
            (s.direction.y > 0.0f ? high : low) += given;
        }
        // From one direction: a sun. From all: half of each side comes to a face that looks there.
        if (luminance(all) > 0.0f && mean.length() > 0.9f * luminance(all)) {
            toKey += mean, key += all;
        } else {
            above += high * 0.5f, below += low * 0.5f;
        }
    }
    const float whole = luminance(key) + luminance(above);
    if (!(whole > 0.0f) || !std::isfinite(whole)) return out;
    const float bright = luminance(out.key) + luminance(out.above);
    if (toKey.length() > 0.0f) out.direction = toKey.normalized();
    out.key = key * (bright / whole), out.above = above * (bright / whole);
    out.below = below * (bright / whole) + V3f(0.12f);  // what lies in shadow is still seen
    return out;
}

}  // namespace ovrix::deliver
