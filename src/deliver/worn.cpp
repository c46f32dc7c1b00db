#include "deliver/worn.h"

#include "base/error.h"
#include "base/hash.h"
#include "base/random.h"
#include "base/srgb.h"
#include "document/model/values.h"
#include "eval/overlay.h"
#include "geo/mesh/corner_places.h"
#include "geo/points/elements.h"
#include "geo/surface/surface.h"
#include "render/trace/shading.h"

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

/// The colours that many strands of each kind have in even light.
std::vector<Color> fibreColors(const SurfaceMaterial& m, const Samples& s, Progress& progress) {
    const FibreMaterial& f = *m.fibre;
    if (f.coloured == FibreMaterial::Coloured::Color) return m.base.over(s, progress);
    const std::vector<float> around = f.roughnessAround.over(s, progress);
    std::vector<Color> out(s.size());
    if (f.coloured == FibreMaterial::Coloured::Absorption) {
        const std::vector<Color> absorption = f.absorption.over(s, progress);
        for (size_t i = 0; i < out.size(); ++i) out[i] = colorOfAbsorption(V3f(absorption[i]), around[i]);
        return out;
    }
    const std::vector<float> melanin = f.melanin.over(s, progress), redness = f.redness.over(s, progress),
                             range = f.melaninRange.over(s, progress), grey = f.grey.over(s, progress);
    const auto id = s.get(channel::id);
    for (size_t i = 0; i < out.size(); ++i) {
        const float own = render::melaninOf(melanin[i], range[i], grey[i], id.empty() ? i : id[i]);
        out[i] = colorOfAbsorption(absorptionOfMelanin(own, redness[i]), around[i]);
    }
    return out;
}

std::array<uint8_t, 3> onScreen(const Color& c) {
    std::array<uint8_t, 3> out;
    for (int k = 0; k < 3; ++k)
        out[size_t(k)] = toByte(encodeSrgb(c[k] > 0.0f ? std::min(c[k], 1.0f) : 0.0f));
    return out;
}

/// A run of strands as they are packed, with a sample for each of their points.
struct StrandPiece {
    AttributeSet columns;  ///< of its strand, for each point
    std::vector<V3f> position, up;
    std::vector<float> along;
    std::vector<Color> own;  ///< empty where they have none

    StrandPiece(const StrandSet& set, std::span<const uint32_t> strands) {
        std::vector<uint32_t> rows, points;
        for (const uint32_t s : strands)
            for (size_t i = 0; i < set.pointsOf(s); ++i) {
                rows.push_back(s), points.push_back(set.start[s] + uint32_t(i));
                along.push_back(float(i) / float(std::max<size_t>(2, set.pointsOf(s)) - 1));
            }
        columns = set.strands.gathered(rows);
        up.assign(rows.size(), V3f(0, 1, 0));
        const auto p = set.points.find<V3f>("P");
        const auto color = set.points.find<Color>("color");
        for (const uint32_t i : points) position.push_back(p[i]);
        for (const uint32_t i : points)
            if (!color.empty()) own.push_back(color[i]);
    }
    Samples samples() const {
        Samples s = samplesOf(columns);
        if (s.size() != position.size()) s = Samples(position.size());
        if (s.get(channel::normal).empty()) s.with(channel::normal, up);
        return s.with(channel::position, position).with(channel::along, along);
    }
};

/// Whether its colour is one and the same everywhere.
bool plain(const SurfaceMaterial& m, const StrandSet& set) {
    if (!m.fibre || (m.fibre->ownColors && set.points.has("color"))) return false;
    const FibreMaterial& f = *m.fibre;
    if (f.coloured == FibreMaterial::Coloured::Color) return !m.base.field;
    const auto fixed = [](const auto& v) { return !v.field; };
    if (!fixed(f.roughnessAround)) return false;
    if (f.coloured == FibreMaterial::Coloured::Absorption) return fixed(f.absorption);
    return fixed(f.melanin) && fixed(f.redness) && fixed(f.melaninRange) && fixed(f.grey) &&
           !(f.melaninRange.high > 0.0f) && !(f.grey.high > 0.0f);
}

}  // namespace

std::string wornKey(const std::string& layer, size_t prototype) {
    return layer + "/" + std::to_string(prototype);
}

std::vector<WornPlace> wornOver(const SurfaceMaterial& m, const Samples& samples, Progress& progress) {
    const Numbers n = numbersOf(m, samples, progress);
    std::vector<WornPlace> out(samples.size());
    for (size_t i = 0; i < out.size(); ++i) {
        WornPlace& w = out[i];
        w.color = onScreen(n.color[i]);
        w.roughness = toByte(n.roughness[i]), w.metalness = toByte(n.metalness[i]);
        w.coat = toByte(n.coat[i]), w.clear = toByte(n.clear[i]), w.opacity = toByte(n.opacity[i]);
    }
    return out;
}

Worn WornLooks::kept(Evaluator::Query& query, const std::string& name, std::shared_ptr<const void> shape,
                     const std::string& wearer, const std::vector<std::string>& materials, const Make& make) {
    const Document& d = query.document();
    try {
        Hasher h;
        addToHash(h, d.worldMatrix(wearer, query.options().frame));
        for (const std::string& id : materials)
            if (const Node* node = d.find(id))
                h.add(std::string_view(id)).add(query.paramsHash(specsOf(*node), node->params));
        Key key{std::move(shape), h.value()};
        if (const auto known = kept_.find(name); known != kept_.end() && known->second.key == key) {
            known->second.used = true;
            return known->second.worn;
        }
        Worn worn{nullptr, ++stamp_};
        if (auto places = make(); !places.empty())
            worn.places = std::make_shared<const std::vector<WornPlace>>(std::move(places));
        kept_[name] = {std::move(key), worn, true};
        return worn;
    } catch (const Error&) {  // checks and the render say it; the view shows a plain colour
        return {};
    }
}

void WornLooks::dropUnused() {
    std::erase_if(kept_, [](const auto& entry) { return !entry.second.used; });
    for (auto& [name, kept] : kept_) kept.used = false;
}

std::optional<SurfaceMaterial> WornLooks::materialOf(Evaluator::Query& query, const std::string& id,
                                                     const FieldContext& context) {
    const Node* node = query.document().find(id);
    if (!node || node->category() != Category::Material) return std::nullopt;
    std::vector<std::string> problems;  // the render says them
    return materials_.make(query.document(), *node, context, problems);
}

std::vector<WornPlace> WornLooks::placesOf(Evaluator::Query& query, const std::string& material,
                                           const FieldContext& context, const Samples& samples) {
    const auto made = materialOf(query, material, context);
    if (!made || made->fibre) return {};
    const SurfaceMaterial& m = *made;
    requireMemory(double(sizeof(WornPlace)) * double(samples.size()), query.document().memoryLimit(),
                  double(samples.size()));
    constexpr size_t kPiece = 65536;
    std::vector<WornPlace> all;
    all.reserve(samples.size());
    for (size_t begin = 0; begin < samples.size(); begin += kPiece) {
        query.progress().check();
        const auto piece =
            wornOver(m, samples.sub(begin, std::min(kPiece, samples.size() - begin)), query.progress());
        all.insert(all.end(), piece.begin(), piece.end());
    }
    return all;
}

Worn WornLooks::ofObject(Evaluator::Query& query, const Node& object, const MeshPtr& mesh) {
    const double frame = query.options().frame;
    const std::vector<std::string> slots = materialsOf(query.document(), object, frame);
    return kept(query, object.id, mesh, object.id, slots, [&] {
        const SurfacePtr surface = query.surface(object.id);
        const std::shared_ptr<const CornerPlaces> corners = cornersOf(*surface);
        if (corners->position.size() != mesh->cornerPoint.size()) return std::vector<WornPlace>();
        const Samples samples = samplesOf(surface->mesh(), *corners);
        const FieldContext context = evaluator_.fieldContext(object.id, frame, surface, query);
        const auto faces = mesh->slots();
        if (slots.size() == 1 || faces.empty()) return placesOf(query, slots[0], context, samples);
        std::vector<WornPlace> out(samples.size());
        for (size_t s = 0; s < slots.size(); ++s) {
            const std::vector<WornPlace> all = placesOf(query, slots[s], context, samples);
            for (size_t c = 0; c < all.size(); ++c)
                if (faces[mesh->triangleFace(size_t(corners->triangle[c]))] == int32_t(s)) out[c] = all[c];
        }
        return out;
    });
}

Worn WornLooks::ofCopies(Evaluator::Query& query, const Node& layer,
                         const std::shared_ptr<const Copies>& copies, int32_t prototype) {
    const Document& d = query.document();
    const double frame = query.options().frame;
    std::string material = d.value(layer.id, kLayer.material, frame);
    if (const Node* model = d.find(copies->prototypes[size_t(prototype)]); material.empty() && model)
        material = materialsOf(d, *model, frame).front();
    return kept(query, wornKey(layer.id, size_t(prototype)), copies, layer.id, {material}, [&] {
        const AttributeSet& a = copies->attributes;
        Samples samples = samplesOf(a);
        const std::vector<V3f> up(samples.size(), V3f(0, 1, 0));
        if (samples.get(channel::normal).empty()) samples.with(channel::normal, up);
        FieldContext context = evaluator_.fieldContext({}, frame, nullptr, query);
        context.elements = &a;
        context.anyName = true;
        const std::vector<WornPlace> all = placesOf(query, material, context, samples);
        const auto of = a.find<int32_t>("prototype");
        std::vector<WornPlace> mine;
        for (size_t i = 0; i < all.size(); ++i)
            if (of[i] == prototype) mine.push_back(all[i]);
        return mine;
    });
}

Worn WornLooks::ofStrands(Evaluator::Query& query, const Node& layer, const StrandsPtr& strands,
                          const PackedStrands& packed) {
    constexpr size_t kPiece = 4096;  // strands
    const Document& d = query.document();
    const double frame = query.options().frame;
    const std::string material = d.value(layer.id, kLayer.material, frame);
    return kept(query, layer.id, strands, layer.id, {material}, [&] {
        const std::string under = d.value(layer.id, kLayer.surface, frame);
        FieldContext context =
            evaluator_.fieldContext(under, frame, under.empty() ? nullptr : query.surface(under), query);
        context.elements = &strands->strands;
        context.anyName = true;
        const auto m = materialOf(query, material, context);
        std::vector<WornPlace> out;
        if (!m || plain(*m, *strands)) return out;
        const double points = double(strands->pointCount());
        requireMemory(double(sizeof(WornPlace)) * points, d.memoryLimit(), points);
        out.reserve(strands->pointCount());
        const std::span<const uint32_t> order = packed.order;
        for (size_t begin = 0; begin < order.size(); begin += kPiece) {
            query.progress().check();
            const StrandPiece piece(*strands, order.subspan(begin, std::min(kPiece, order.size() - begin)));
            const Samples samples = piece.samples();
            std::vector<Color> colors;
            if (m->fibre && !(m->fibre->ownColors && !piece.own.empty()))
                colors = fibreColors(*m, samples, query.progress());
            else if (!piece.own.empty())
                colors = piece.own;
            else
                colors = numbersOf(*m, samples, query.progress()).color;
            for (const Color& c : colors) out.push_back({.color = onScreen(c)});
        }
        return out;
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
