#include "deliver/variations.h"

#include <fmt/format.h>

#include <algorithm>

#include "base/random.h"
#include "base/srgb.h"
#include "params/oklab.h"

namespace ovrix::deliver {

namespace {

bool isSeed(const ParamSpec& spec) { return spec.id == "seed"; }

double clamped(const ParamSpec& spec, double x) { return std::clamp(x, spec.hardMin, spec.hardMax); }

std::vector<Value> numbers(const ParamSpec& spec, const Range& range, size_t count) {
    std::vector<Value> out;
    for (size_t i = 0; i < count; ++i) {
        const double t = count > 1 ? double(i) / double(count - 1) : 0.5;
        const double x = clamped(spec, range.min + (range.max - range.min) * t);
        out.emplace_back(spec.type == ParamType::Int ? Value(int64_t(std::llround(x))) : Value(x));
    }
    return out;
}

std::vector<Value> seeds(const Value& now, size_t count, uint64_t round) {
    std::vector<Value> out{now};
    for (uint64_t i = 0; out.size() < count; ++i)
        out.emplace_back(int64_t(random4(round, i, Stream::Pick).word(0) % 100000));
    out.resize(count);
    return out;
}

/// Around in a space where steps of hue look alike.
std::vector<Value> hues(const Color& now, size_t count, uint64_t round) {
    std::vector<Value> out;
    const V3f lab = toOklab(V3f(now));
    const float chroma = std::max(0.06f, std::hypot(lab.y, lab.z)), hue = std::atan2(lab.z, lab.y);
    const float step = 2 * kPi / float(std::max<size_t>(1, count)),
                shift = round ? step * random1(round, 0, Stream::Hue) : 0.0f;
    for (size_t i = 0; i < count; ++i) {
        if (i == 0 && round == 0) {
            out.emplace_back(now);
            continue;
        }
        const float a = hue + shift + step * float(i);
        V3f c = fromOklab({std::max(0.2f, lab.x), chroma * std::cos(a), chroma * std::sin(a)});
        for (int k = 0; k < 3; ++k) c[k] = std::clamp(c[k], 0.0f, std::max({1.0f, now.x, now.y, now.z}));
        out.emplace_back(Color(c));
    }
    return out;
}

/// Both ends by the same factor, which goes over the range as part of what they are.
std::vector<Value> ranges(const ParamSpec& spec, const params::Range& now, const Range& by, size_t count) {
    std::vector<Value> out;
    for (size_t i = 0; i < count; ++i) {
        const double t = count > 1 ? double(i) / double(count - 1) : 0.5, f = by.min + (by.max - by.min) * t;
        out.emplace_back(params::Range{clamped(spec, now.min * f), clamped(spec, now.max * f)});
    }
    return out;
}

}  // namespace

bool canVary(const ParamSpec& spec) {
    switch (spec.type) {
        case ParamType::Bool:
        case ParamType::Int:
        case ParamType::Number:
        case ParamType::Range:
        case ParamType::Color:
        case ParamType::Choice:
            return true;
        default:
            return false;
    }
}

Range usualRange(const ParamSpec& spec, const Value& now) {
    if (spec.type == ParamType::Range) return {0.5, 1.5};
    if (spec.type != ParamType::Number && spec.type != ParamType::Int) return {0, 1};
    const double x = component(now, 0);
    if (x == 0.0) return {std::max(spec.softMin, spec.hardMin), std::min(spec.softMax, spec.hardMax)};
    const double a = clamped(spec, 0.5 * x), b = clamped(spec, 1.5 * x);
    return {std::min(a, b), std::max(a, b)};
}

std::vector<Value> variedValues(const ParamSpec& spec, const Value& now, const Range& range, size_t count,
                                uint64_t round) {
    std::vector<Value> all;
    if (isSeed(spec))
        all = seeds(now, count, round);
    else if (spec.type == ParamType::Bool)
        all = {Value(false), Value(true)};
    else if (spec.type == ParamType::Choice)
        all.assign(spec.choices.begin(), spec.choices.end());
    else if (const auto* color = std::get_if<Color>(&now))
        all = hues(*color, count, round);
    else if (const auto* both = std::get_if<params::Range>(&now))
        all = ranges(spec, *both, range, count);
    else if (spec.type == ParamType::Number || spec.type == ParamType::Int)
        all = numbers(spec, range, count);
    std::vector<Value> once;
    for (const Value& v : all)
        if (std::find(once.begin(), once.end(), v) == once.end()) once.push_back(v);
    if (once.size() > count) once.resize(count);
    return once;
}

Range rangeAround(const Range& range, double middle) {
    const double half = 0.25 * (range.max - range.min);
    const double at = std::clamp(middle, range.min + half, range.max - half);
    return {at - half, at + half};
}

std::vector<ParamPath> seedsOf(const Document& document, const std::string& node) {
    std::vector<ParamPath> out;
    const Node& n = document.get(node);
    const auto look = [&](const std::string& step, const std::vector<ParamSpec>& specs,
                          const ParamMap& params) {
        for (const ParamSpec& spec : specs) {
            if (isSeed(spec)) out.push_back({node, step, spec.id});
            const auto at = params.find(spec.id);
            if (at == params.end() || !at->second.field) continue;
            const auto& sources = at->second.field->sources;
            for (size_t i = 0; i < sources.size(); ++i)
                if (const SourceType* type = findSourceType(sources[i].type);
                    type && findSpec(type->params, "seed"))
                    out.push_back({node, step, spec.id, int(i), "seed"});
        }
    };
    look({}, specsOf(n), n.params);
    for (const Step& step : n.steps) look(step.id, specsOf(step), step.params);
    return out;
}

Document varied(const Document& document, const Variation& variation) {
    Document out = document;
    for (const auto& [path, value] : variation) out = withValue(out, path, value);
    return out;
}

std::string textOfValue(const ParamSpec& spec, const Value& value) {
    const std::string unit = spec.unit.empty() ? "" : spec.unit == "deg" ? "\u00b0" : " " + spec.unit;
    if (const auto* x = std::get_if<double>(&value)) return fmt::format("{:.4g}{}", *x, unit);
    if (const auto* n = std::get_if<int64_t>(&value)) return fmt::format("{}{}", *n, unit);
    if (const auto* b = std::get_if<bool>(&value)) return *b ? "on" : "off";
    if (const auto* t = std::get_if<std::string>(&value)) return *t;
    if (const auto* r = std::get_if<params::Range>(&value))
        return fmt::format("{:.3g} to {:.3g}{}", r->min, r->max, unit);
    if (const auto* c = std::get_if<Color>(&value)) {
        const auto byte = [](float x) {
            return int(std::lround(255 * encodeSrgb(std::clamp(x, 0.0f, 1.0f))));
        };
        return fmt::format("#{:02x}{:02x}{:02x}", byte(c->x), byte(c->y), byte(c->z));
    }
    return {};
}

}  // namespace ovrix::deliver
