// Random scenes in which everything meets everything: each step, part and source, in any order that fits,
// over surfaces that are empty, open, deforming, or of other faces in each frame. Each scene follows from its
// own seed.
#pragma once
#include "deliver/render_scene_builder.h"
#include "document/model/step_registry.h"
#include "eval/random_scene.h"

namespace ovrix::tests {

using namespace deliver;

class Crossing {
  public:
    explicit Crossing(uint64_t seed) : random_(seed) {}

    Document scene() {
        Document d = Document::fresh();
        d = withText(d, "scene/memory", "0.05");
        d = surfaces(d);
        for (uint64_t n = 1 + random_.below(3); n-- > 0;) d = layer(d);
        if (random_.oneIn(3)) d = material(d);
        return d;
    }

  private:
    static Node named(const Document& d, const char* type, const char* id) {
        Node n = makeNode(d, type, id);
        n.id = id;
        return n;
    }

    /// One of each kind of surface, most of them small.
    Document surfaces(Document d) {
        const auto keyed = [](const Value& a, const Value& b) {
            Param p;
            p.value = a;
            p.keys = {{1, a, KeyEase::Linear}, {8, b, KeyEase::Linear}};
            return p;
        };
        Node ground = named(d, "terrain", "ground");
        ground.params["divisions"].value = int64_t(6);
        if (random_.oneIn(2)) ground.params["height"] = keyed(0.1, 0.8);  // deforms; its quads are bent
        d = withNode(d, ground);
        Node ball = named(d, "sphere", "ball");
        ball.params["segments"].value = int64_t(8);
        if (random_.oneIn(2)) ball.params["position"] = keyed(V3d(0, 0.5, 0), V3d(1, 0.2, 0));
        d = withNode(d, ball);
        Node open = named(d, "plane", "open");
        open.params["divisions"] =
            random_.oneIn(2) ? keyed(int64_t(2), int64_t(7)) : Param{int64_t(3), {}, nullptr};
        d = withNode(d, open);
        Node empty = named(d, "mesh_file", "empty");  // no file was chosen: it fails
        if (random_.oneIn(4)) d = withNode(d, empty);
        Node flat = named(d, "plane", "flat");  // without any area
        flat.params["scale"].value = V3d(0);
        if (random_.oneIn(3)) d = withNode(d, flat);
        Node line = named(d, "curve", "line");
        CurvePoints points;
        points.list = {V3f(-1, 0, 0), V3f(0, 0.4f, 0.3f), V3f(1, 0, 0)};
        if (findSpec(specsOf(line), "points")) line.params["points"].value = points;
        d = withNode(d, line);
        Node tuft = named(d, "tuft", "tuft");
        tuft.params["strands"].value = int64_t(3);
        d = withNode(d, tuft);
        return d;
    }

    std::string anyOf(const Document& d, const std::string& kinds) {
        std::vector<std::string> fits = {""};
        for (const NodePtr& n : d.nodes()) {
            const char* kind = n->category() == Category::Object  ? "object"
                               : n->category() == Category::Layer ? "layer"
                               : n->category() == Category::Curve ? "curve"
                                                                  : "";
            if (*kind && kinds.find(kind) != std::string::npos) fits.push_back(n->id), fits.push_back(n->id);
        }
        return fits[random_.below(fits.size())];
    }

    Value value(const Document& d, const ParamSpec& spec) {
        // What says how many there are stays small: this is no test of patience.
        static const std::map<std::string, double> most = {
            {"count", 60},      {"burst", 60}, {"rate", 400},   {"most", 100},    {"density", 30},
            {"segments", 8},    {"pieces", 6}, {"substeps", 3}, {"rounds", 3},    {"iterations", 2},
            {"generations", 3}, {"rays", 8},   {"sides", 5},    {"divisions", 5}, {"levels", 1},
            {"octaves", 3},     {"per", 4},    {"smooth", 3},   {"strands", 4},   {"points", 8}};
        if (const auto it = most.find(spec.id); it != most.end()) {
            const double x = std::max(spec.hardMin, std::floor(random_.unit() * it->second));
            return spec.type == ParamType::Int ? Value(int64_t(x)) : Value(x);
        }
        if (spec.type == ParamType::Ref) return anyOf(d, spec.refKind);
        if (spec.type == ParamType::Refs) return Refs{anyOf(d, spec.refKind)};
        if (spec.type == ParamType::PrototypeMix)
            return PrototypeMix{{anyOf(d, spec.refKind), 1.0}, {"ball", 0.5}};
        if (spec.type == ParamType::File) return std::string();
        if (spec.type == ParamType::Text) return text(spec);
        if (random_.oneIn(12)) return clampToSpec(spec, random_.value(d, spec));  // at its limits, or beyond
        switch (spec.type) {
            case ParamType::Int:
                return int64_t(inSoft(spec));
            case ParamType::Number:
                return inSoft(spec);
            case ParamType::Range: {
                const double a = inSoft(spec), b = inSoft(spec);
                return Range{std::min(a, b), std::max(a, b)};
            }
            case ParamType::Vector:
                return V3d(inSoft(spec), inSoft(spec), inSoft(spec));
            default:
                return random_.value(d, spec);
        }
    }
    /// What fields may read by name; some of it is there for some elements, some for none.
    Value text(const ParamSpec& spec) {
        static const char* const names[] = {"scale", "age",   "v.x",       "speed", "along", "random",
                                            "P.y",   "clump", "curvature", "color", "frame", "none"};
        const std::string name = names[random_.below(std::size(names))];
        if (spec.id == "name") return name;
        return spec.id == "formula" ? name + " * 0.5 + x" : std::string();
    }
    double inSoft(const ParamSpec& s) { return s.softMin + (s.softMax - s.softMin) * random_.unit(); }

    Field field(const Document& d) {
        Field f;
        for (uint64_t n = 1 + random_.below(2); n-- > 0;) {
            const SourceType& type = sourceTypes()[random_.below(sourceTypes().size())];
            FieldSource s = makeSource(type.id);
            for (const ParamSpec& spec : type.params)
                if (spec.type == ParamType::Ref || spec.type == ParamType::Refs || random_.oneIn(3))
                    s.params[spec.id].value = value(d, spec);
            s.invert = random_.oneIn(3);
            f.sources.push_back(std::move(s));
        }
        return f;
    }

    void vary(const Document& d, const std::vector<ParamSpec>& specs, ParamMap& params) {
        for (const ParamSpec& spec : specs) {
            const bool refers = spec.type == ParamType::Ref || spec.type == ParamType::Refs ||
                                spec.type == ParamType::PrototypeMix;
            const bool counts = spec.id == "count" || spec.id == "density" || spec.id == "substeps";
            if (!refers && !counts && !random_.oneIn(3)) continue;
            Param p = paramOr(spec, params);
            p.value = clampToSpec(spec, value(d, spec));
            const bool number = spec.type == ParamType::Number || spec.type == ParamType::Vector;
            if (number && random_.oneIn(6)) {
                p.keys = {{1, p.value, KeyEase::Linear},
                          {9, clampToSpec(spec, value(d, spec)), KeyEase::Smooth}};
            }
            if (spec.drivable && random_.oneIn(3)) p.field = std::make_shared<Field>(field(d));
            params[spec.id] = std::move(p);
        }
    }

    Document layer(Document d) {
        std::string id;
        d = withLayer(d, anyOf(d, "object").empty() ? "ground" : onWhat(d), "ball", &id);
        Node n = d.get(id);
        n.steps.clear();
        if (random_.oneIn(4)) n.params["rest"].value = double(1 + random_.below(6));
        d.put(n);
        for (uint64_t steps = 1 + random_.below(5); steps-- > 0;) {
            const Node now = d.get(id);
            const auto fitting = fittingSteps(now, now.steps.size());
            if (fitting.empty()) break;
            const StepType* type = fitting[random_.below(fitting.size())];
            // Half of what may be simulated is.
            if (random_.oneIn(2))
                for (const StepType* t : fitting)
                    if (t->solver) type = t;
            if (type->solver && solverIn(now)) continue;
            d = withStep(d, id, now.steps.size(), makeStep(type->id, now));
            d = varied(d, id);
        }
        return d;
    }
    std::string onWhat(const Document& d) {
        for (int tries = 0; tries < 4; ++tries)
            if (const std::string id = anyOf(d, "object"); !id.empty() && id != "tuft") return id;
        return "ground";
    }
    static bool solverIn(const Node& n) {
        return std::any_of(n.steps.begin(), n.steps.end(), [](const Step& s) {
            const StepType* t = findStepType(s.type);
            return t && t->solver;
        });
    }

    /// The last stage of a recipe with values of its own, and with parts where it holds any.
    Document varied(Document d, const std::string& id) {
        std::string stage;
        for (const Step& s : d.get(id).steps)
            if (s.in.empty()) stage = s.id;
        const StepType& type = *findStepType(d.get(id).step(stage)->type);
        if (!type.holds.empty())
            for (uint64_t parts = random_.below(5); parts-- > 0;) {
                const auto fitting = fittingParts(*d.get(id).step(stage));
                d = withPart(d, id, stage, fitting[random_.below(fitting.size())]->id);
            }
        Node n = d.get(id);
        for (Step& s : n.steps)
            if (s.id == stage || s.in == stage) vary(d, specsOf(s), s.params);
        d.put(n);
        return d;
    }

    Document material(Document d) {
        Node m = named(d, random_.oneIn(4) ? "fibre" : random_.oneIn(4) ? "line_art" : "surface", "skin");
        vary(d, specsOf(m), m.params);
        d = withNode(d, m);
        for (const NodePtr& n : d.nodes())
            if (findSpec(specsOf(*n), "material") && random_.oneIn(2)) {
                Node worn = *n;
                worn.params["material"].value = std::string("skin");
                d.put(worn);
            }
        return d;
    }

    RandomScenes random_;
};

}  // namespace ovrix::tests
