// Everything that is declared is built and run with its defaults, wherever it may stand.
#include "base/error.h"
#include "deliver/render_scene_builder.h"
#include "document/edits/edits.h"
#include "document/model/step_registry.h"
#include "eval/checks/checks.h"
#include "support.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;

namespace {

Node named(const Document& d, const std::string& type, const std::string& id) {
    Node n = makeNode(d, type, id);
    n.id = id;
    return n;
}

/// A ball to lie on, another thing to refer to, and a line.
Document world() {
    Document d = Document::fresh();
    Node ball = named(d, "sphere", "ball"), other = named(d, "sphere", "other"),
         line = named(d, "curve", "line");
    ball.params["segments"].value = int64_t(12);
    other.params["segments"].value = int64_t(8);
    other.params["position"].value = V3d(0.6, 0, 0);
    CurvePoints points;
    points.list = {V3f(-1, 0, 0), V3f(0, 0.4f, 0.3f), V3f(1, 0, 0)};
    line.params["points"].value = points;
    for (const Node& n : {ball, other, line}) d = withNode(d, n);
    return d;
}

/// What it refers to is chosen, as far as it asks for anything.
void choose(const std::vector<ParamSpec>& specs, ParamMap& params) {
    for (const ParamSpec& spec : specs) {
        const bool curve = spec.refKind == "curve";
        const std::string id = curve ? "line" : "other";
        if (!curve && spec.refKind.find("object") == std::string::npos) continue;
        if (spec.type == ParamType::Ref) params[spec.id].value = id;
        if (spec.type == ParamType::Refs) params[spec.id].value = Refs{id};
        if (spec.type == ParamType::PrototypeMix) params[spec.id].value = PrototypeMix{{id, 1.0}};
        if (spec.id == "count") params[spec.id].value = int64_t(30);
    }
}

Document withChosen(Document d, const std::string& layer) {
    Node n = d.get(layer);
    for (Step& s : n.steps) choose(specsOf(s), s.params);
    d.put(n);
    return d;
}

/// A layer whose last stage is of that type, after what gives what it takes.
std::pair<Document, std::string> recipeFor(const StepType& type) {
    std::string id;
    Document d = withLayer(world(), "ball", "other", &id);
    Node n = d.get(id);
    n.steps.clear();
    d.put(n);
    const auto add = [&](const std::string& step) {
        d = withStep(d, id, d.get(id).steps.size(), makeStep(step, d.get(id)));
    };
    if (type.takes != GeometryKind::Nothing) add("scatter");
    if (type.takes == GeometryKind::Strands) add("grow");
    if (type.takes == GeometryKind::Copies) add("copies_of");
    add(type.id);
    d = withChosen(d, id);
    if (type.id != "unique") return {d, id};
    // It is for tufts, and says so of others.
    d.put(named(d, "tuft", "tuft"));
    Node copies = d.get(id);
    for (Step& s : copies.steps)
        if (s.type == "copies_of") s.params["prototypes"].value = PrototypeMix{{"tuft", 1.0}};
    d.put(copies);
    return {d, id};
}

bool inside(const std::string& text) {
    return text.find("Something went wrong inside") != std::string::npos ||
           text.find("no parameter is declared") != std::string::npos ||
           text.find("std::") != std::string::npos;
}

/// Files are the only thing that a default cannot have.
bool wantsFile(const std::vector<ParamSpec>& specs) {
    return std::any_of(specs.begin(), specs.end(), [](const ParamSpec& s) {
        return s.type == ParamType::File && s.id != "light" && s.id != "starts_as";
    });
}

std::string problemsOf(const Document& d, const std::string& layer, double frame) {
    Evaluator evaluator;
    const LayerResult r = evaluator.layer(d, layer, {frame, Purpose::Render, true}, Progress::none());
    std::string all;
    for (const StepReport& s : r.steps) all += s.error;
    return all;
}

}  // namespace

TEST_CASE("every step runs with its defaults, and on an object where it takes a mesh", "[declared]") {
    size_t run = 0;
    for (const StepType& type : stepTypes()) {
        if (!type.partOf.empty() || type.finish) continue;  // those on pictures have tests of their own
        INFO(type.id);
        if (type.takes == GeometryKind::Mesh) {
            Document d = world();
            Node n = d.get("ball");
            n.steps.push_back(makeStep(type.id, n));
            choose(specsOf(n.steps[0]), n.steps[0].params);
            d.put(n);
            Evaluator evaluator;
            CHECK(evaluator.object(d, "ball", 1, Progress::none()).mesh->triangles().size() > 0);
            ++run;
            continue;
        }
        const auto [d, id] = recipeFor(type);
        for (const double frame : {1.0, 4.5}) {
            const std::string problems = problemsOf(d, id, frame);
            INFO(problems);
            CHECK_FALSE(inside(problems));
            if (!wantsFile(type.params)) CHECK(problems.empty());
        }
        ++run;
    }
    CHECK(run > 40);
}

TEST_CASE("every part runs in a recipe with its defaults", "[declared]") {
    for (const StepType& holder : stepTypes())
        for (const StepType& part : stepTypes()) {
            if (holder.holds.empty() ||
                std::find(part.partOf.begin(), part.partOf.end(), holder.holds) == part.partOf.end())
                continue;
            auto [d, id] = recipeFor(holder);
            std::string stage;
            for (const Step& s : d.get(id).steps)
                if (s.type == holder.id) stage = s.id;
            d = withChosen(withPart(d, id, stage, part.id), id);
            const std::string problems = problemsOf(d, id, 5);
            INFO(part.id << " in " << holder.id << ": " << problems);
            CHECK(problems.empty());
        }
}

TEST_CASE("every source drives masks, forces, strands, materials and lights with its defaults",
          "[declared]") {
    for (const SourceType& type : sourceTypes()) {
        auto field = std::make_shared<Field>();
        field->sources.push_back(makeSource(type.id));
        choose(type.params, field->sources[0].params);
        const bool file = wantsFile(type.params);
        const auto drive = [&](Document d, const std::string& node, const std::string& step,
                               const char* param) {
            return withField(d, {node, step, param}, field);
        };
        const auto stepOf = [](const Document& d, const std::string& id, const std::string& kind) {
            for (const Step& s : d.get(id).steps)
                if (s.type == kind) return s.id;
            return std::string();
        };
        INFO(type.id);
        {  // a mask
            auto [d, id] = recipeFor(*findStepType("vary_size"));
            d = drive(d, id, stepOf(d, id, "scatter"), "mask");
            const std::string problems = problemsOf(d, id, 3);
            INFO(problems);
            CHECK_FALSE(inside(problems));
            if (!file) CHECK(problems.empty());
        }
        for (const char* host : {"simulate", "simulate_strands"}) {  // the strength of a force
            auto [d, id] = recipeFor(*findStepType(host));
            d = drive(d, id, stepOf(d, id, std::string(host) == "simulate" ? "gravity" : "strand_gravity"),
                      "strength");
            const std::string problems = problemsOf(d, id, 4);
            INFO(host << ": " << problems);
            CHECK_FALSE(inside(problems));
            if (!file) CHECK(problems.empty());
        }
        for (const char* worn : {"object", "copies", "strands"}) {  // a material
            auto [d, id] = recipeFor(*findStepType(std::string(worn) == "strands" ? "clump" : "copies_of"));
            d = withNode(d, named(d, "surface", "skin"));
            d = withNode(d, named(d, "surface", "dust"));
            d = withValue(d, {"skin", "", "over"}, std::string("dust"));
            for (const char* param :
                 {"base_color", "geometry_opacity", "transmission_weight", "coat_weight",
                  "specular_roughness_anisotropy", "fuzz_weight", "over_weight", "emission_luminance",
                  "thin_film_weight", "subsurface_weight", "transmission_dispersion_scale"})
                d = drive(d, "skin", "", param);
            const std::string wearer = std::string(worn) == "object" ? "ball" : id;
            d = withValue(d, {wearer, "", "material"}, std::string("skin"));
            Evaluator evaluator;
            RenderSceneBuilder builder(evaluator);
            const RenderJob job = builder.build(d, {3, {}, false}, Progress::none());
            Film film(24, 16);
            const Renderer renderer(*job.scene, job.cameraFor(24, 16), job.options);
            renderer.renderPass(film, 0, {0, 0, 24, 16}, Progress::none());
            for (const FilmPixel& p : film.pixels()) REQUIRE(isFinite(p.direct + p.indirect));
            for (const std::string& p : job.problems) {
                INFO(worn << ": " << p);
                CHECK_FALSE(inside(p));
                CHECK(file);
            }
        }
    }
}

TEST_CASE("every kind of node is evaluated, checked and rendered with its defaults", "[declared]") {
    for (const NodeType& type : nodeTypes()) {
        if (type.category == Category::Settings) continue;
        Document d = withNode(world(), named(world(), type.id, "it"));
        INFO(type.id);
        Evaluator evaluator;
        LayerResults layers;
        for (const Check& c : findChecks(d, layers, evaluator, 1, Progress::none()))
            CHECK_FALSE(inside(c.text));
        RenderSceneBuilder builder(evaluator);
        const RenderJob job = builder.build(d, {}, Progress::none());
        for (const std::string& p : job.problems) CHECK_FALSE(inside(p));
        Film film(16, 9);
        const Renderer renderer(*job.scene, job.cameraFor(16, 9), job.options);
        renderer.renderPass(film, 0, {0, 0, 16, 9}, Progress::none());
    }
}
