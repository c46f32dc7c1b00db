#include "field/field.h"

#include "base/error.h"
#include "base/hash.h"
#include "base/parallel.h"

namespace ovrix::field {

Samples Samples::sub(size_t begin, size_t count) const {
    const auto part = [&](auto span) { return span.empty() ? span : span.subspan(begin, count); };
    return {part(position), part(normal),   part(uv),  part(id),   part(triangle), part(bary),
            part(scale),    part(velocity), part(age), part(life), part(toObject)};
}

const Surface& surfaceFor(const FieldContext& context, const std::string& what) {
    if (!context.surface)
        throw Error("there is no surface for " + what, {}, "Use it in a layer that lies on a surface");
    return *context.surface;
}

SceneQuery& sceneQueryFor(const FieldContext& context, const std::string& what) {
    if (!context.query)
        throw Error(what + " cannot see other objects here", {}, "Use it in a layer that lies on a surface");
    return *context.query;
}

SurfaceHit placeOn(const Surface& surface, const Samples& s, size_t i) {
    if (!s.triangle.empty() && !s.bary.empty() && s.triangle[i] >= 0 &&
        size_t(s.triangle[i]) < surface.mesh().triangles().size()) {
        SurfaceHit hit;
        hit.hit = true;
        hit.triangle = uint32_t(s.triangle[i]), hit.u = s.bary[i].x, hit.v = s.bary[i].y;
        return hit;
    }
    return surface.closest(s.inObject(i));
}

SurfacePtr roomOf(SceneQuery& query, const std::string& id) {
    if (id.empty()) throw Error("has no object to be inside of", {}, "Choose a closed object");
    SurfacePtr room = query.surface(id);
    if (!room->closed())
        throw Error("the object has open edges, so nothing is inside", {}, "Choose a closed one");
    return room;
}

void SourceKernel::evaluateColor(const Samples& samples, std::span<V3f> out) const {
    std::vector<float> grey(samples.size());
    evaluate(samples, grey);
    for (size_t i = 0; i < out.size(); ++i) out[i] = V3f(grey[i]);
}

struct CompiledField::Entry {
    std::unique_ptr<SourceKernel> kernel;
    Curve remap;
    bool plainRemap, invert;
    Blend blend;
    float strength;

    float shape(float x) const {
        if (!std::isfinite(x)) return 0.0f;
        const float y = plainRemap ? x : remap.at(x);
        return invert ? 1.0f - y : y;
    }
    float mix(float above, float x) const {
        float full = x;
        switch (blend) {
            case Blend::Replace:
                break;
            case Blend::Multiply:
                full = above * x;
                break;
            case Blend::Add:
                full = above + x;
                break;
            case Blend::Min:
                full = std::min(above, x);
                break;
            case Blend::Max:
                full = std::max(above, x);
                break;
        }
        return strength == 1.0f ? full : above + (full - above) * strength;
    }
};

CompiledField::~CompiledField() = default;
size_t CompiledField::sourceCount() const { return entries_.size(); }

CompiledField::CompiledField(const Field& field, const FieldContext& context) {
    for (const FieldSource& source : field.sources) {
        if (!source.on) continue;
        const SourceType* type = findSourceType(source.type);
        if (!type)
            throw Error("there is no field source \"" + source.type + "\"", {},
                        "Remove it, or open the scene in a newer version");
        const ResolvedParams params(type->params, source.params, context);
        const Value strength = clampToSpec(strengthSpec(), source.strength.at(context.frame, context.rate));
        const double* number = std::get_if<double>(&strength);
        entries_.push_back({type->compile(params, context), source.remap, source.remap.isIdentity(),
                            source.invert, source.blend, number ? float(*number) : 1.0f});
    }
}

namespace {
constexpr size_t kBlock = 1024;  // values of one block stay in the first-level cache between sources
}

void CompiledField::evaluate(const Samples& samples, std::span<float> out) const {
    std::fill(out.begin(), out.end(), 1.0f);
    float values[kBlock];
    for (size_t begin = 0; begin < samples.size(); begin += kBlock) {
        const size_t n = std::min(kBlock, samples.size() - begin);
        const Samples block = samples.sub(begin, n);
        for (const Entry& e : entries_) {
            e.kernel->evaluate(block, {values, n});
            for (size_t i = 0; i < n; ++i) out[begin + i] = e.mix(out[begin + i], e.shape(values[i]));
        }
    }
}

void CompiledField::evaluateColor(const Samples& samples, std::span<V3f> out) const {
    std::fill(out.begin(), out.end(), V3f(1.0f));
    V3f values[64];
    for (size_t begin = 0; begin < samples.size(); begin += std::size(values)) {
        const size_t n = std::min(std::size(values), samples.size() - begin);
        const Samples block = samples.sub(begin, n);
        for (const Entry& e : entries_) {
            e.kernel->evaluateColor(block, {values, n});
            for (size_t i = 0; i < n; ++i)
                for (int c = 0; c < 3; ++c)
                    out[begin + i][c] = e.mix(out[begin + i][c], e.shape(values[i][c]));
        }
    }
}

std::vector<uint8_t> CompiledField::unusable(const Samples& samples) const {
    std::vector<uint8_t> out(samples.size());
    parallelRanges(samples.size(), kBlock, Progress::none(), [&](size_t begin, size_t end) {
        std::vector<float> values(end - begin);
        for (const Entry& e : entries_) {
            e.kernel->evaluate(samples.sub(begin, end - begin), values);
            for (size_t i = begin; i < end; ++i) out[i] |= !std::isfinite(values[i - begin]);
        }
    });
    return out;
}

void CompiledField::evaluateSource(size_t i, const Samples& samples, std::span<float> out) const {
    entries_[i].kernel->evaluate(samples, out);
    for (float& x : out) x = entries_[i].shape(x);
}

namespace {

/// Evaluates over all samples on all threads.
std::vector<float> evaluateAll(const CompiledField& field, const Samples& samples, Progress& progress) {
    std::vector<float> out(samples.size());
    parallelRanges(samples.size(), 4096, progress, [&](size_t begin, size_t end) {
        field.evaluate(samples.sub(begin, end - begin), {out.data() + begin, end - begin});
    });
    return out;
}

}  // namespace

std::vector<float> Varying::over(const Samples& samples, Progress& progress) const {
    if (constant()) return std::vector<float>(samples.size(), high);
    std::vector<float> out = evaluateAll(*field, samples, progress);
    for (float& x : out) x = lerp(low, high, x);
    return out;
}

std::vector<float> VaryingRange::over(const Samples& samples, uint64_t seed, Stream stream,
                                      Progress& progress) const {
    std::vector<float> out;
    if (field) {
        out = evaluateAll(*field, samples, progress);
    } else {
        out.resize(samples.size());
        parallelFor(out.size(), progress, [&](size_t i) { out[i] = random1(seed, samples.id[i], stream); });
    }
    for (float& x : out) x = lerp(min, max, x);
    return out;
}

Color VaryingColor::at(const Samples& one) const {
    if (!field) return high;
    V3f f(1.0f);
    field->evaluateColor(one, {&f, 1});
    return Color(low + (high - low) * f);
}

Param paramOr(const ParamSpec& spec, const ParamMap& params) {
    const auto it = params.find(spec.id);
    if (it == params.end() || !holdsType(spec.type, it->second.value)) {
        Param fresh;
        fresh.value = spec.initial;
        if (spec.type == ParamType::Color) fresh.low = Color(0.0f);
        return fresh;
    }
    return it->second;
}

ResolvedParams::ResolvedParams(std::span<const ParamSpec> specs, const ParamMap& params,
                               const FieldContext& context) {
    for (const ParamSpec& spec : specs) {
        const Param param = paramOr(spec, params);
        Entry e;
        e.value = clampToSpec(spec, param.at(context.frame, context.rate));
        if (!holdsType(spec.type, e.value)) e.value = spec.initial;
        e.low = param.low;
        if (spec.drivable && param.field) {
            try {
                e.field = std::make_shared<CompiledField>(*param.field, context);
            } catch (const Error& error) {
                throw Error(error.problem(),
                            error.where().empty() ? spec.title : spec.title + ", " + error.where(),
                            error.remedy());
            }
        }
        entries_[spec.id] = std::move(e);
    }
}

const ResolvedParams::Entry& ResolvedParams::entry(const std::string& id) const {
    const auto it = entries_.find(id);
    if (it == entries_.end()) throw std::logic_error("no parameter is declared as " + id);
    return it->second;
}

V3d ResolvedParams::numbers(const std::string& id) const {
    const Value& value = entry(id).value;
    if (const auto* v = std::get_if<V3d>(&value)) return *v;
    return V3d(std::get<double>(value), 0, 0);
}

Varying ResolvedParams::varying(const std::string& id) const {
    const Entry& e = entry(id);
    const double* low = std::get_if<double>(&e.low);
    return {low ? float(*low) : 0.0f, float(std::get<double>(e.value)), e.field};
}

VaryingRange ResolvedParams::varyingRange(const std::string& id) const {
    const Entry& e = entry(id);
    const Range& r = std::get<Range>(e.value);
    return {float(r.min), float(r.max), e.field};
}

VaryingColor ResolvedParams::varyingColor(const std::string& id) const {
    const Entry& e = entry(id);
    const Color* low = std::get_if<Color>(&e.low);
    return {low ? *low : Color(0.0f), std::get<Color>(e.value), e.field};
}

namespace {

void addFieldToHash(Hasher& h, const Field& field, double frame, const Stamps& stamps) {
    for (const FieldSource& s : field.sources) {
        if (!s.on) continue;
        h.add(std::string_view(s.type))
            .add(uint64_t(s.invert))
            .add(uint64_t(s.blend))
            .add(uint64_t(s.remap.smooth));
        for (const V2f& p : s.remap.points) h.add(double(p.x)).add(double(p.y));
        addToHash(h, s.strength.at(frame, stamps.rate));
        const SourceType* type = findSourceType(s.type);
        if (!type) continue;
        addParamsToHash(h, type->params, s.params, frame, stamps);
        if (type->followsTime && type->followsTime(s.params)) h.add(frame);
    }
}

/// The ids of nodes that a value names.
Refs refsIn(const ParamSpec& spec, const Value& value) {
    if (spec.type == ParamType::Ref) return {std::get<std::string>(value)};
    if (spec.type == ParamType::Refs) return std::get<Refs>(value);
    Refs out;
    if (spec.type == ParamType::Shares)
        for (const Share& s : std::get<Shares>(value)) out.push_back(s.ref);
    return out;
}

}  // namespace

void addParamsToHash(Hasher& h, std::span<const ParamSpec> specs, const ParamMap& params, double frame,
                     const Stamps& stamps) {
    for (const ParamSpec& spec : specs) {
        const Param param = paramOr(spec, params);
        const Value value = param.at(frame, stamps.rate);
        addToHash(h, value);
        if (spec.type == ParamType::File && stamps.file) h.add(stamps.file(std::get<std::string>(value)));
        if (stamps.ref)
            for (const std::string& id : refsIn(spec, value)) h.add(stamps.ref(spec, id));
        if (!param.field) continue;
        addToHash(h, param.low);
        addFieldToHash(h, *param.field, frame, stamps);
    }
}

}  // namespace ovrix::field
