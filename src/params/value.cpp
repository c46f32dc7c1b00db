#include "params/value.h"

#include "base/hash.h"

namespace ovrix::params {

std::string typeName(ParamType type) {
    static const char* names[] = {"bool",   "int",   "number",  "range",   "vector",  "color",  "choice",
                                  "text",   "file",  "ref",     "refs",    "mix",     "map",    "edits",
                                  "points", "cells", "profile", "combing", "choices", "strokes"};
    return names[size_t(type)];
}

bool holdsType(ParamType type, const Value& value) {
    switch (type) {
        case ParamType::Bool:
            return std::holds_alternative<bool>(value);
        case ParamType::Int:
            return std::holds_alternative<int64_t>(value);
        case ParamType::Number:
            return std::holds_alternative<double>(value);
        case ParamType::Range:
            return std::holds_alternative<Range>(value);
        case ParamType::Vector:
            return std::holds_alternative<V3d>(value);
        case ParamType::Color:
            return std::holds_alternative<Color>(value);
        case ParamType::Refs:
        case ParamType::Choices:
            return std::holds_alternative<Refs>(value);
        case ParamType::PrototypeMix:
            return std::holds_alternative<PrototypeMix>(value);
        case ParamType::Map:
            return std::holds_alternative<MapValue>(value);
        case ParamType::Edits:
            return std::holds_alternative<ManualEdits>(value);
        case ParamType::Points:
            return std::holds_alternative<CurvePoints>(value);
        case ParamType::Profile:
            return std::holds_alternative<Curve>(value);
        case ParamType::Combing:
            return std::holds_alternative<StrandEdits>(value);
        case ParamType::Strokes:
            return std::holds_alternative<PictureStrokes>(value);
        default:
            return std::holds_alternative<std::string>(value);
    }
}

static double clampNumber(const ParamSpec& spec, double x) {
    return std::isfinite(x) ? std::clamp(x, spec.hardMin, spec.hardMax)
                            : std::clamp(0.0, spec.hardMin, spec.hardMax);
}

/// As a picture can have it, with some room about it.
static void tidy(PictureStroke& s) {
    const auto within = [](float x, float low, float high) {
        return std::isfinite(x) ? std::clamp(x, low, high) : low;
    };
    for (V2f& p : s.points) p = V2f(within(p.x, -2.0f, 3.0f), within(p.y, -2.0f, 3.0f));
    s.radius = within(s.radius, 1e-4f, 2.0f);
    s.softness = within(s.softness, 0.0f, 1.0f);
}

Value clampToSpec(const ParamSpec& spec, const Value& value) {
    const auto fix = [&](double x) { return clampNumber(spec, x); };
    if (auto* x = std::get_if<double>(&value)) return fix(*x);
    if (auto* i = std::get_if<int64_t>(&value)) return int64_t(fix(double(*i)));
    if (auto* r = std::get_if<Range>(&value)) {
        const double a = fix(r->min), b = fix(r->max);
        return Range{std::min(a, b), std::max(a, b)};
    }
    if (auto* v = std::get_if<V3d>(&value)) return V3d(fix(v->x), fix(v->y), fix(v->z));
    if (auto* c = std::get_if<Curve>(&value)) {
        Curve out = *c;
        out.tidy();
        return out;
    }
    if (auto* c = std::get_if<CurvePoints>(&value)) {
        CurvePoints out = *c;
        for (V3f& p : out.list) p = V3f(V3d(fix(p.x), fix(p.y), fix(p.z)));
        return out;
    }
    if (auto* s = std::get_if<PictureStrokes>(&value)) {
        PictureStrokes out = *s;
        for (PictureStroke& stroke : out.list) tidy(stroke);
        return out;
    }
    return value;
}

Value mixValues(const Value& a, const Value& b, double t) {
    if (a.index() != b.index()) return t < 1.0 ? a : b;
    const auto mix = [t](double x, double y) { return x + (y - x) * t; };
    if (auto* x = std::get_if<double>(&a)) return mix(*x, std::get<double>(b));
    if (auto* i = std::get_if<int64_t>(&a))
        return int64_t(std::llround(mix(double(*i), double(std::get<int64_t>(b)))));
    if (auto* r = std::get_if<Range>(&a)) {
        const Range& s = std::get<Range>(b);
        return Range{mix(r->min, s.min), mix(r->max, s.max)};
    }
    if (auto* v = std::get_if<V3d>(&a)) {
        const V3d& w = std::get<V3d>(b);
        return V3d(mix(v->x, w.x), mix(v->y, w.y), mix(v->z, w.z));
    }
    if (auto* c = std::get_if<Color>(&a)) return Color(*c + (std::get<Color>(b) - *c) * float(t));
    return t < 1.0 ? a : b;
}

int componentsOf(const Value& value) {
    if (std::holds_alternative<double>(value) || std::holds_alternative<int64_t>(value)) return 1;
    if (std::holds_alternative<Range>(value)) return 2;
    return std::holds_alternative<V3d>(value) || std::holds_alternative<Color>(value) ? 3 : 0;
}

double component(const Value& value, int c) {
    if (auto* x = std::get_if<double>(&value)) return *x;
    if (auto* i = std::get_if<int64_t>(&value)) return double(*i);
    if (auto* r = std::get_if<Range>(&value)) return c ? r->max : r->min;
    if (auto* v = std::get_if<V3d>(&value)) return (*v)[c];
    if (auto* k = std::get_if<Color>(&value)) return double((*k)[c]);
    return 0.0;
}

void setComponent(Value& value, int c, double x) {
    if (auto* d = std::get_if<double>(&value)) *d = x;
    if (auto* i = std::get_if<int64_t>(&value)) *i = std::llround(std::clamp(x, -9e15, 9e15));
    if (auto* r = std::get_if<Range>(&value)) {
        (c ? r->max : r->min) = x;
        if (r->min > r->max) r->min = r->max = x;
    }
    if (auto* v = std::get_if<V3d>(&value)) (*v)[c] = x;
    if (auto* k = std::get_if<Color>(&value)) (*k)[c] = float(x);
}

namespace {

struct AddValue {
    Hasher& h;
    void operator()(bool x) { h.add(uint64_t(x)); }
    void operator()(int64_t x) { h.add(uint64_t(x)); }
    void operator()(double x) { h.add(x); }
    void operator()(const Range& r) { h.add(r.min).add(r.max); }
    void operator()(const V3d& v) { h.add(v.x).add(v.y).add(v.z); }
    void operator()(const Color& c) { h.add(double(c.x)).add(double(c.y)).add(double(c.z)); }
    void operator()(const std::string& s) { h.add(std::string_view(s)); }
    void operator()(const MapValue& map) { h.add(map.hash()); }
    void operator()(const ManualEdits& edits) {
        h.add(uint64_t(edits.list.size()));
        for (const ManualEdit& e : edits.list) {
            h.add(e.id).add(uint64_t(e.added)).add(uint64_t(e.removed)).add(double(e.size));
            (*this)(V3d(e.move));
            (*this)(V3d(e.turn.v));
            h.add(double(e.turn.r)).add(std::string_view(e.prototype));
        }
    }
    void operator()(const CurvePoints& points) {
        h.add(uint64_t(points.list.size()));
        for (const V3f& p : points.list) (*this)(V3d(p));
    }
    void operator()(const Curve& curve) {
        h.add(uint64_t(curve.points.size())).add(uint64_t(curve.smooth));
        for (const V2f& p : curve.points) h.add(double(p.x)).add(double(p.y));
    }
    void operator()(const PictureStrokes& strokes) {
        h.add(uint64_t(strokes.list.size()));
        for (const PictureStroke& s : strokes.list) {
            h.add(uint64_t(s.points.size())).add(uint64_t(s.erases));
            h.add(double(s.radius)).add(double(s.softness));
            for (const V2f& p : s.points) h.add(double(p.x)).add(double(p.y));
        }
    }
    void operator()(const StrandEdits& edits) {
        h.add(uint64_t(edits.list.size())).add(edits.topology);
        for (const StrandEditPtr& e : edits.list) {
            h.add(e->id).add(uint64_t(e->added)).add(uint64_t(e->removed)).add(double(e->length));
            h.add(uint64_t(e->triangle)).add(double(e->bary.x)).add(double(e->bary.y));
            (*this)(V3d(e->position));
            h.add(std::string_view(reinterpret_cast<const char*>(e->directions.data()),
                                   e->directions.size() * sizeof(V3f)));
        }
    }
    void operator()(const Refs& refs) {
        h.add(uint64_t(refs.size()));
        for (const auto& r : refs) h.add(std::string_view(r));
    }
    void operator()(const PrototypeMix& mix) {
        h.add(uint64_t(mix.size()));
        for (const auto& s : mix) {
            h.add(std::string_view(s.ref)).add(s.weight);
            (*this)(s.size);
            (*this)(s.tilt);
        }
    }
};

}  // namespace

void addToHash(Hasher& hasher, const Value& value) {
    hasher.add(uint64_t(value.index()));
    std::visit(AddValue{hasher}, value);
}

void addToHash(Hasher& hasher, const M44f& m) {
    for (int r = 0; r < 4; ++r)
        for (int c = 0; c < 4; ++c) hasher.add(double(m[r][c]));
}

ParamSpec seedSpec(std::string help) {
    return {.id = "seed",
            .title = "Seed",
            .type = ParamType::Int,
            .initial = int64_t(1),
            .hardMin = 0,
            .hardMax = 9e15,
            .softMin = 0,
            .softMax = 100,
            .help = std::move(help)};
}

}  // namespace ovrix::params
