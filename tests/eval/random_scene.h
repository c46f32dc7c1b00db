// Random scenes and random edits of them, from a seed that is printed.
#pragma once
#include <random>

#include "document/edits/edits.h"
#include "support.h"

namespace ovrix::tests {

using namespace deliver;

class RandomScenes {
  public:
    explicit RandomScenes(uint64_t seed) : random_(seed) {}

    uint64_t below(uint64_t n) { return random_() % n; }
    bool oneIn(uint64_t n) { return below(n) == 0; }
    double unit() { return double(random_() >> 11) * 0x1p-53; }

    /// Anything that a parameter may hold, often at its limits and sometimes far beyond.
    Value value(const Document& d, const ParamSpec& spec) {
        switch (spec.type) {
            case ParamType::Bool:
                return oneIn(2);
            case ParamType::Int:
                return int64_t(number(spec));
            case ParamType::Number:
                return number(spec);
            case ParamType::Range: {
                const double a = number(spec), b = number(spec);
                return Range{std::min(a, b), std::max(a, b)};
            }
            case ParamType::Vector:
                return V3d(number(spec), number(spec), number(spec));
            case ParamType::Color:
                return Color(float(unit()), float(unit()), float(10 * unit()));
            case ParamType::Choice:
                return spec.choices[below(spec.choices.size())];
            case ParamType::Choices: {
                Refs some;
                for (const std::string& choice : spec.choices)
                    if (below(3) == 0) some.push_back(choice);
                return some;
            }
            case ParamType::Ref:
                return anyNode(d);
            case ParamType::Refs:
                return Refs{anyNode(d), "", anyNode(d)};
            case ParamType::PrototypeMix:
                return PrototypeMix{{anyNode(d), unit()}, {anyNode(d), 3 * unit()}};
            case ParamType::Map:
                return MapValue();
            case ParamType::Edits: {
                ManualEdits edits;
                for (uint64_t i = 0, n = below(4); i < n; ++i) {
                    ManualEdit e;
                    e.id = below(50);
                    e.removed = oneIn(2);
                    e.move = V3f(float(unit()), float(unit()), 0);
                    e.size = float(unit());
                    edits.put(e);
                }
                return edits;
            }
            case ParamType::Strokes: {
                PictureStrokes strokes;
                for (uint64_t i = 0, n = below(4); i < n; ++i) {
                    PictureStroke s{{}, float(unit()), float(unit()), oneIn(2)};
                    for (uint64_t k = 0, m = below(4); k < m; ++k)
                        s.points.emplace_back(float(unit()), float(unit()));
                    strokes.list.push_back(std::move(s));
                }
                return std::get<PictureStrokes>(clampToSpec(spec, Value(strokes)));
            }
            case ParamType::Profile: {
                Curve curve;
                for (uint64_t i = 0, n = below(4); i < n; ++i)
                    curve.points.push_back({float(unit()), float(unit())});
                curve.smooth = oneIn(2);
                curve.tidy();
                return curve;
            }
            case ParamType::Points: {
                CurvePoints points;
                for (uint64_t i = 0, n = below(5); i < n; ++i)
                    points.list.push_back(V3f(float(unit()), float(unit()), float(2 * unit() - 1)));
                return points;
            }
            case ParamType::Combing: {
                StrandEdits edits;
                std::vector<StrandEdit> list;
                for (uint64_t i = 0, n = below(4); i < n; ++i) {
                    StrandEdit e;
                    e.id = below(50);
                    e.removed = oneIn(3);
                    e.length = float(unit()) + 0.1f;
                    for (uint64_t k = 0, m = below(4); k < m; ++k)
                        e.directions.push_back(V3f(float(unit()), 1.0f, float(unit())));
                    list.push_back(e);
                }
                edits.put(list);
                return edits;
            }
            default:
                return text();
        }
    }

    Param param(const Document& d, const ParamSpec& spec, int depth = 0) {
        Param p = paramOr(spec, {});
        p.value = clampToSpec(spec, value(d, spec));
        if (depth == 0 && oneIn(4) && keyable(spec))
            for (double frame = 1; frame < 60; frame += 1 + double(below(30)))
                p.keys.push_back({frame, clampToSpec(spec, value(d, spec)), KeyEase(below(5))});
        if (depth == 0 && spec.drivable && oneIn(2)) {
            p.field = std::make_shared<Field>(field(d));
            if (spec.type == ParamType::Number || spec.type == ParamType::Color)
                p.low = clampToSpec(spec, value(d, spec));
            if (spec.type == ParamType::Color && oneIn(2)) p.ramp = std::make_shared<Ramp>(ramp());
            if (spec.type == ParamType::Color && oneIn(3))
                p.curves = std::make_shared<ColorCurves>(ColorCurves{curve(), curve(), curve()});
        }
        return p;
    }

    Curve curve() {
        Curve c;
        for (uint64_t i = 0, n = below(3); i < n; ++i) c.points.push_back(V2f(float(unit()), float(unit())));
        c.smooth = oneIn(2);
        c.tidy();
        return c;
    }

    Ramp ramp() {
        Ramp r{.stops = {}, .kind = Ramp::Kind(below(3)), .perceptual = oneIn(2)};
        for (uint64_t i = 0, n = below(4); i < n; ++i)
            r.stops.push_back({float(unit()), Color(float(unit()), float(unit()), float(unit()))});
        r.tidy();
        return r;
    }

    Field field(const Document& d) {
        Field f;
        for (uint64_t i = 0, n = 1 + below(4); i < n; ++i) {
            const SourceType& type = sourceTypes()[below(sourceTypes().size())];
            FieldSource s = makeSource(type.id);
            for (const ParamSpec& spec : type.params)
                if (oneIn(2)) s.params[spec.id] = param(d, spec, 1);
            s.on = !oneIn(5);
            s.invert = oneIn(3);
            s.blend = Blend(below(9));
            s.strength.value = unit();
            if (oneIn(3)) {
                s.remap.points = {{float(unit()), float(unit())}, {float(unit()), float(unit())}};
                s.remap.smooth = oneIn(2);
                s.remap.tidy();
            }
            f.sources.push_back(std::move(s));
        }
        return f;
    }

    /// One change as the window makes them; the same document where none fits.
    Document edit(const Document& d) {
        try {
            switch (below(9)) {
                case 0: {
                    const NodeType& type = nodeTypes()[below(nodeTypes().size())];
                    if (type.category == Category::Settings) return d;
                    return withNode(d, makeNode(d, type.id, text()));
                }
                case 1: {
                    const auto objects = d.nodes(Category::Object);
                    if (objects.empty()) return d;
                    return withLayer(d, objects[below(objects.size())]->id,
                                     objects[below(objects.size())]->id);
                }
                case 2:
                    return withoutNode(d, anyNode(d));
                case 3:
                    return withDuplicate(d, anyNode(d));
                case 4: {
                    const Node& n = d.get(anyNode(d));
                    if (n.steps.empty()) return d;
                    const Step& s = n.steps[below(n.steps.size())];
                    if (oneIn(3)) return withoutStep(d, n.id, s.id);
                    if (oneIn(2)) return withStepOn(d, n.id, s.id, !s.on);
                    return withStepMoved(d, n.id, s.id, below(n.steps.size()));
                }
                case 5: {
                    const Node& n = d.get(anyNode(d));
                    if (n.category() != Category::Layer) return d;
                    const auto fitting = fittingSteps(n, n.steps.size());
                    if (fitting.empty()) return d;
                    return withStep(d, n.id, n.steps.size(), makeStep(fitting[below(fitting.size())]->id, n));
                }
                case 6:
                    return withText(d, anyNode(d) + "/name", text());
                default: {
                    const Node& n = d.get(anyNode(d));
                    ParamPath path{n.id, "", ""};
                    if (!n.steps.empty() && oneIn(2)) path.step = n.steps[below(n.steps.size())].id;
                    const auto& specs = path.step.empty() ? specsOf(n) : specsOf(*n.step(path.step));
                    if (specs.empty()) return d;
                    path.param = specs[below(specs.size())].id;
                    return withParam(d, path, param(d, specAt(d, path)));
                }
            }
        } catch (const Error&) {
            return d;  // what cannot be is refused; that is what the caller wants to see survive
        }
    }

    Document scene(int edits) {
        Document d = Document::fresh();
        for (int i = 0; i < edits; ++i) d = edit(d);
        return d;
    }

    std::string text() {
        static const char* words[] = {"Rock",  "rock", "Fels am Meer", "\u00e4\u4e2d\u6587\U0001f41a",
                                      "",      "a/b",  "\"quoted\"",   "tab\tand\nline",
                                      "../up", "null", "\\",           "0"};
        return words[below(std::size(words))];
    }

  private:
    static bool keyable(const ParamSpec& s) {
        return s.type == ParamType::Number || s.type == ParamType::Int || s.type == ParamType::Vector ||
               s.type == ParamType::Color || s.type == ParamType::Range;
    }
    double number(const ParamSpec& s) {
        switch (below(8)) {
            case 0:
                return s.hardMin;
            case 1:
                return s.hardMax;
            case 2:
                return -1e300;
            case 3:
                return std::numeric_limits<double>::quiet_NaN();
            default:
                return s.softMin + (s.softMax - s.softMin) * unit();
        }
    }
    std::string anyNode(const Document& d) {
        return d.nodes().empty() ? "" : d.nodes()[below(d.nodes().size())]->id;
    }

    std::mt19937_64 random_;
};

}  // namespace ovrix::tests
