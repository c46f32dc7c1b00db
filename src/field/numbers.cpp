#include "field/numbers.h"

#include <fmt/format.h>

#include <algorithm>

#include "base/error.h"
#include "base/random.h"
#include "field/field.h"
#include "geo/surface/surface.h"

namespace ovrix::field {

namespace {

using Read = decltype(NumberReader::read);

/// Works a number out of each value of one channel.
template <class T, class Of>
Read from(const ChannelKey<T>& which, const Of& of, double otherwise = 0.0) {
    return [which, of, otherwise](const Samples& s, size_t begin, std::span<double> out) {
        const std::span<const T> values = s.get(which);
        for (size_t i = 0; i < out.size(); ++i) out[i] = values.empty() ? otherwise : of(values[begin + i]);
    };
}

template <class T>
Read component(const ChannelKey<T>& which, int k) {
    return from(which, [k](const T& v) { return double(v[k]); });
}

Read scalar(const ChannelKey<float>& which, double otherwise = 0.0) {
    return from(
        which, [](float x) { return double(x); }, otherwise);
}

double slopeOf(const V3f& normal) { return double(degrees(std::acos(std::clamp(normal.y, -1.0f, 1.0f)))); }

Read always(double x) {
    return [x](const Samples&, size_t, std::span<double> out) { std::fill(out.begin(), out.end(), x); };
}

Read curvature(const FieldContext& context) {
    const Surface& surface = surfaceFor(context, "curvature");
    auto perPoint = pointCurvature(surface, 2);
    return [on = context.surface, perPoint](const Samples& s, size_t begin, std::span<double> out) {
        const PlacesOn places(*on, s);
        const auto toObject = s.get(channel::toObject);
        for (size_t i = 0; i < out.size(); ++i) {
            const SurfaceHit hit = places[begin + i];
            out[i] = hit.hit ? double(on->between(*perPoint, hit.triangle, hit.u, hit.v)) : 0.0;
            if (!toObject.empty()) out[i] *= double(std::cbrt(std::abs(toObject[begin + i].determinant())));
        }
    };
}

struct Named {
    const char* name;
    Read (*read)(const FieldContext&);
    bool ofElement = false, ofLight = false;
};

const Named kNamed[] = {
    {"x", [](const FieldContext&) { return component(channel::position, 0); }},
    {"y", [](const FieldContext&) { return component(channel::position, 1); }},
    {"z", [](const FieldContext&) { return component(channel::position, 2); }},
    {"nx", [](const FieldContext&) { return component(channel::normal, 0); }},
    {"ny", [](const FieldContext&) { return component(channel::normal, 1); }},
    {"nz", [](const FieldContext&) { return component(channel::normal, 2); }},
    {"u", [](const FieldContext&) { return component(channel::uv, 0); }},
    {"v", [](const FieldContext&) { return component(channel::uv, 1); }},
    {"slope", [](const FieldContext&) { return from(channel::normal, slopeOf); }},
    {"scale", [](const FieldContext&) { return scalar(channel::scale, 1.0); }, true},
    {"random",
     [](const FieldContext&) {
         return from(channel::id, [](uint64_t id) { return double(random1(0, id, Stream::Field)); });
     }},
    {"id", [](const FieldContext&) { return from(channel::id, [](uint64_t id) { return double(id); }); }},
    {"age", [](const FieldContext&) { return scalar(channel::age); }, true},
    {"life", [](const FieldContext&) { return scalar(channel::life); }, true},
    {"speed",
     [](const FieldContext&) {
         return from(channel::velocity, [](const V3f& v) { return double(v.length()); });
     },
     true},
    {"along", [](const FieldContext&) { return scalar(channel::along); }},
    {"light", [](const FieldContext&) { return scalar(channel::arriving, 1.0); }, false, true},
    {"curvature", curvature},
    {"frame", [](const FieldContext& c) { return always(c.frame); }},
    {"time", [](const FieldContext& c) { return always(c.frame / c.rate); }}};

/// A name and the component behind its dot: -1 for none, -2 for one that is none.
std::pair<std::string, int> split(const std::string& name) {
    const size_t dot = name.rfind('.');
    if (dot == std::string::npos) return {name, -1};
    static constexpr std::string_view axes = "xyzwrgba";
    const size_t at = dot + 2 == name.size() ? axes.find(name[dot + 1]) : std::string_view::npos;
    return {name.substr(0, dot), at == std::string_view::npos ? -2 : int(at % 4)};
}

double wholeOf(float x) { return double(x); }
double wholeOf(int32_t x) { return double(x); }
double wholeOf(uint64_t x) { return double(x); }
double wholeOf(const V2f& v) { return double(v.length()); }
double wholeOf(const V3f& v) { return double(v.length()); }
double wholeOf(const V4f& v) { return double(v.length()); }
double wholeOf(const Color& c) { return double(luminance(c)); }

template <class T>
int componentsOf() {
    if constexpr (std::is_same_v<T, V2f>) return 2;
    if constexpr (std::is_same_v<T, V3f> || std::is_same_v<T, Color>) return 3;
    if constexpr (std::is_same_v<T, V4f>) return 4;
    return 0;
}

template <class T>
NumberReader attributeReader(const std::string& name, int k) {
    const ChannelKey<T> which(name);
    if constexpr (requires(T v) { wholeOf(v); }) {
        constexpr bool colored = std::is_same_v<T, V3f> || std::is_same_v<T, Color>;
        if (k == -1) return {from(which, [](const T& v) { return wholeOf(v); }), true, false, colored};
        if constexpr (requires(T v) { v[0]; })
            if (k >= 0 && k < componentsOf<T>()) return {component(which, k), true};
    }
    return {};
}

/// Its read is empty where none is called so.
NumberReader attributeNamed(const geo::AttributeSet& elements, const std::string& text) {
    const auto [name, k] = split(text);
    for (const auto& [key, column] : elements.columns())
        if (key == name)
            return std::visit(
                [&, &n = name, k = k]<class C>(const C&) -> NumberReader {
                    if constexpr (std::is_same_v<C, geo::StringColumn>)
                        return {};
                    else
                        return attributeReader<typename C::value_type>(n, k);
                },
                *column);
    return {};
}

Error nothingNamed(const std::string& who, const std::string& name, const FieldContext& context) {
    std::vector<std::string> names = numberNames();
    if (context.elements)
        for (const auto& [key, column] : context.elements->columns())
            if (attributeNamed(*context.elements, key).read) names.push_back(key);
    return Error(who + "nothing here is called \"" + name + "\"", {},
                 fmt::format("There are {}", fmt::join(names, ", ")));
}

}  // namespace

NumberReader numberNamed(const std::string& who, const std::string& name, const FieldContext& context) {
    for (const Named& known : kNamed)
        if (name == known.name) return {known.read(context), known.ofElement, known.ofLight};
    if (context.elements)
        if (NumberReader found = attributeNamed(*context.elements, name); found.read) return found;
    if (context.anyName) return {always(0.0)};
    throw nothingNamed(who, name, context);
}

bool namesTime(const std::string& name) { return name == "frame" || name == "time"; }

const std::vector<std::string>& numberNames() {
    static const std::vector<std::string> names = [] {
        std::vector<std::string> all;
        for (const Named& known : kNamed) all.push_back(known.name);
        return all;
    }();
    return names;
}

}  // namespace ovrix::field
