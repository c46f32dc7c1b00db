#include <algorithm>

#include "base/error.h"
#include "base/hash.h"
#include "field/field.h"

namespace ovrix::field {

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
    SharedSources shared;
    for (const ParamSpec& spec : specs) {
        const Param param = paramOr(spec, params);
        Entry e;
        e.value = clampToSpec(spec, param.at(context.frame, context.rate));
        if (!holdsType(spec.type, e.value)) e.value = spec.initial;
        e.low = param.low;
        e.ramp = param.ramp, e.curves = param.curves;
        if (spec.drivable && param.field) {
            try {
                e.field = std::make_shared<CompiledField>(*param.field, context, shared);
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
    return {low ? *low : Color(0.0f), std::get<Color>(e.value), e.field, e.ramp, e.curves};
}

bool ResolvedParams::varies() const {
    return std::any_of(entries_.begin(), entries_.end(),
                       [](const auto& e) { return e.second.field != nullptr; });
}

bool ResolvedParams::reads(bool (SourceKernel::*what)() const) const {
    return std::any_of(entries_.begin(), entries_.end(),
                       [&](const auto& e) { return e.second.field && e.second.field->reads(what); });
}

namespace {

void addToHash(Hasher& h, const Ramp& ramp) {
    h.add(uint64_t(ramp.kind)).add(uint64_t(ramp.perceptual)).add(uint64_t(ramp.stops.size()));
    for (const RampStop& s : ramp.stops) {
        h.add(double(s.at));
        for (int k = 0; k < 3; ++k) h.add(double(s.color[k]));
    }
}

void addToHash(Hasher& h, const Curve& curve) {
    h.add(uint64_t(curve.smooth)).add(uint64_t(curve.points.size()));
    for (const V2f& p : curve.points) h.add(double(p.x)).add(double(p.y));
}

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
    if (spec.type == ParamType::PrototypeMix)
        for (const WeightedPrototype& s : std::get<PrototypeMix>(value)) out.push_back(s.ref);
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
        if (param.ramp) addToHash(h, *param.ramp);
        if (param.curves)
            for (const Curve* c : {&param.curves->hue, &param.curves->saturation, &param.curves->value})
                addToHash(h, *c);
        addFieldToHash(h, *param.field, frame, stamps);
    }
}

}  // namespace ovrix::field
