#include "render/scene/cloud.h"

#include <algorithm>
#include <cmath>

#include "geo/points/point_measure.h"
#include "render/scene/render_scene.h"

namespace ovrix::render {

namespace {

constexpr size_t kPiece = 1u << 16;  // points whose fields are asked together

/// What a field gives each, made by @p make of what it gives.
template <class T, class From, class Make>
PerPoint<T> perPoint(const From& from, const Samples& samples, Progress& progress, const Make& make) {
    PerPoint<T> out;
    if (!from.field) {
        out.one = make(from.high);
        return out;
    }
    out.each.resize(samples.size());
    for (size_t begin = 0; begin < samples.size(); begin += kPiece) {
        const size_t count = std::min(kPiece, samples.size() - begin);
        const auto values = from.over(samples.sub(begin, count), progress);
        std::transform(values.begin(), values.end(), out.each.begin() + std::ptrdiff_t(begin), make);
    }
    return out;
}

PerPoint<float> numbers(const Varying& from, const Samples& samples, Progress& progress, float scale = 1.0f) {
    constexpr float kMost = 1e20f;
    return perPoint<float>(from, samples, progress, [&](float x) {
        const float scaled = x * scale;
        return std::isfinite(scaled) ? std::clamp(scaled, -kMost, kMost) : 0.0f;
    });
}

float mostOf(const Varying& v) { return std::max(v.high, v.field ? v.low : v.high); }

/// No less than nothing, and no more than is given.
float fraction(float x) { return x > 0.0f ? std::min(x, 1.0f) : 0.0f; }
Color fractions(const Color& c) { return Color(fraction(c.x), fraction(c.y), fraction(c.z)); }

}  // namespace

Cloud::Cloud(geo::AttributeSet points, Motion motion, uint32_t object, uint32_t layer, uint32_t material)
    : points_(std::move(points)),
      samples_(samplesOf(points_)),
      position_(points_.find<V3f>("P")),
      normal_(points_.find<V3f>("N")),
      orient_(points_.find<Quatf>("orient")),
      id_(points_.find<uint64_t>("id")),
      color_(points_.find<Color>("color")),
      motion_(std::move(motion)),
      object_(object),
      layer_(layer),
      material_(material) {
    for (const V3f& p : position_)
        if (isFinite(p)) bounds_.extendBy(p);
    for (size_t i = 0; moves() && i < size(); ++i)
        for (const float time : {0.0f, 0.5f})
            if (const V3f p = at(i, time); isFinite(p)) bounds_.extendBy(p);
    volume_ = volumeOfPoint(position_);
}

V3f Cloud::axisOf(size_t i) const {
    V3f axis(0.0f);
    const bool turned = !orient_.empty() && (ofStrands() || normal_.empty());
    if (turned)
        axis = rotate(orient_[i], V3f(0, 1, 0));
    else if (!normal_.empty())
        axis = normal_[i];
    const float length = axis.length();
    return length > 1e-12f ? axis / length : V3f(0.0f);
}

/// Of a material that is made for something else: dust of its colour that is well seen; of one for strands it
/// scatters as they do.
CloudMaterial Cloud::dustOf(const SurfaceMaterial& m) const {
    constexpr double kFitting = 3.0;  // optical depth
    constexpr size_t kEnough = 60000;
    CloudMaterial look;
    std::vector<V3f> some;
    const size_t step = std::max<size_t>(1, size() / kEnough);
    for (size_t i = 0; i < size(); i += step) some.push_back(position_[i]);
    const double thickness = measured(some).thickness();
    if (thickness > 0.0) look.density.high = float(kFitting / thickness);
    if (m.fibre) {
        look.scatter = CloudMaterial::Scatter::Fibre;
        look.fibre = m.fibre->shape;
    }
    return look;
}

void Cloud::wear(const SurfaceMaterial& m, Progress& progress) {
    look_ = m.cloud ? *m.cloud : dustOf(m);
    group_ = m.group;
    const float volume = float(volume_);
    area_ = numbers(look_.density, samples_, progress, volume);
    for (float& a : area_.each) a = std::max(a, 0.0f);
    area_.one = std::max(area_.one, 0.0f);
    toLight_ = numbers(look_.lightDensity, samples_, progress);
    forward_ = numbers(look_.forward, samples_, progress);
    back_ = numbers(look_.back, samples_, progress);
    backWeight_ = numbers(look_.backWeight, samples_, progress);
    roughness_ = numbers(look_.roughness, samples_, progress);
    shine_ = numbers(look_.shine, samples_, progress);
    radius_ = numbers(look_.radius, samples_, progress);
    if (look_.ownColors && !color_.empty()) {
        albedo_ = {};
        albedo_.each.resize(size());
        std::transform(color_.begin(), color_.end(), albedo_.each.begin(), fractions);
    } else {
        albedo_ = perPoint<Color>(m.base, samples_, progress, fractions);
    }
    emits_ = m.glows();
    emission_ = {};
    if (emits_) {
        const PerPoint<float> nits = numbers(m.luminance, samples_, progress, m.perNit);
        emission_ = perPoint<Color>(m.emission, samples_, progress, [](const Color& c) {
            return Color(std::max(c.x, 0.0f), std::max(c.y, 0.0f), std::max(c.z, 0.0f));
        });
        if (!nits.each.empty() && emission_.each.empty()) emission_.each.assign(size(), emission_.one);
        for (size_t i = 0; i < emission_.each.size(); ++i) emission_.each[i] *= nits[i];
        emission_.one *= nits.one;
    }
    // Beside what density takes, by what is left after the tint's depth where it is densest.
    const float densest = std::max(mostOf(look_.density), 1e-6f);
    for (int k = 0; k < 3; ++k) {
        const float more =
            -std::log(std::clamp(look_.tint[k], 1e-4f, 1.0f)) / (std::max(look_.tintDepth, 1e-6f) * densest);
        lossToEye_[k] = 1.0f + more;
        lossToLight_[k] = 1.0f + more / std::max(mostOf(look_.lightDensity), 1e-6f);
    }
}

size_t Cloud::bytes() const {
    size_t sum = (motion_.velocity.size() + motion_.bend.size()) * sizeof(V3f);
    for (const PerPoint<float>* p :
         {&area_, &toLight_, &forward_, &back_, &backWeight_, &roughness_, &shine_, &radius_})
        sum += p->bytes();
    return sum + albedo_.bytes() + emission_.bytes();
}

}  // namespace ovrix::render
