// Stacks of steps on pictures at random, with fields of every source: finite, the same bits on any threads,
// and what cannot be done is said in words.
#include <tbb/global_control.h>

#include "deliver/pictures/film_file.h"
#include "deliver/studio.h"
#include "document/model/step_registry.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;

namespace {

double within(std::mt19937_64& random, double low, double high) {
    return std::uniform_real_distribution<double>(low, high)(random);
}

Value anyValue(const ParamSpec& spec, const Document& d, std::mt19937_64& random) {
    const auto pick = [&](size_t n) { return size_t(random() % n); };
    const double x = within(random, spec.softMin, spec.softMax);
    switch (spec.type) {
        case ParamType::Bool:
            return random() % 2 == 0;
        case ParamType::Int:
            return int64_t(std::llround(x));
        case ParamType::Number:
            return random() % 8 ? x : random() % 2 ? spec.hardMin : spec.hardMax;
        case ParamType::Range:
            return Range{std::min(x, spec.softMax), spec.softMax};
        case ParamType::Vector:
            return V3d(x, within(random, spec.softMin, spec.softMax), 0.5 * x);
        case ParamType::Color:
            return Color(float(within(random, 0, 1)), float(within(random, 0, 2)),
                         float(within(random, 0, 1)));
        case ParamType::Choice:
            return spec.choices[pick(spec.choices.size())];
        case ParamType::Ref:
            return d.nodes()[pick(d.nodes().size())]->id;
        case ParamType::Refs:
            return Refs{d.nodes()[pick(d.nodes().size())]->id};
        case ParamType::Strokes: {
            PictureStrokes strokes;
            for (size_t n = pick(3); n > 0; --n) {
                PictureStroke s{
                    {}, float(within(random, 0.01, 1)), float(within(random, 0, 1)), pick(3) == 0};
                for (size_t k = pick(5); k > 0; --k)
                    s.points.emplace_back(float(within(random, -1, 2)), float(within(random, -1, 2)));
                strokes.list.push_back(std::move(s));
            }
            return strokes;
        }
        default:
            return spec.initial;
    }
}

Field anyField(const Document& d, std::mt19937_64& random) {
    Field field;
    const auto& types = sourceTypes();
    for (size_t n = 1 + random() % 2; n > 0; --n) {
        FieldSource source = makeSource(types[random() % types.size()].id);
        for (const ParamSpec& spec : findSourceType(source.type)->params)
            if (random() % 3 == 0) source.params[spec.id].value = anyValue(spec, d, random);
        field.sources.push_back(std::move(source));
    }
    return field;
}

}  // namespace

TEST_CASE("random finishes stay finite, keep their bits and say what they lack", "[finish-picture][random]") {
    Studio s;
    s.add("dome");
    const std::string other = s.add("sphere"), layer = s.add("layer");
    s.set(other + "/position", "-1.4,0,-3"), s.set(layer + "/surface", other);
    s.set("render/width", "40"), s.set("render/height", "30");
    s.set("render/passes", "object_cover,uv,motion,position");
    RenderSceneBuilder builder(s.evaluator);
    const RenderJob job = builder.build(s.scene(), {}, Progress::none());
    Film film(40, 30, job.layout);
    const Renderer renderer(*job.scene, job.cameraFor(40, 30), job.options, job.lights);
    for (uint32_t pass = 0; pass < 2; ++pass)
        renderer.renderPass(film, pass, {0, 0, 40, 30}, Progress::none());
    const FilmPasses passes(film, job.objectNames, job.layerNames, job.materialNames);
    std::vector<const StepType*> types;
    for (const StepType& t : stepTypes())
        if (t.finish) types.push_back(&t);
    REQUIRE(types.size() > 15);
    std::mt19937_64 random(testSeed());
    size_t ran = 0, refused = 0;
    for (int round = 0; round < rounds(300); ++round) {
        SceneContext scene = s.scene();
        Document& d = scene.document;
        Node finish = *d.settings("finish");
        for (size_t n = 1 + random() % 5; n > 0; --n) {
            Step step = makeStep(types[random() % types.size()]->id, finish);
            for (const ParamSpec& spec : specsOf(step)) {
                if (random() % 2) step.params[spec.id].value = clampToSpec(spec, anyValue(spec, d, random));
                if (spec.drivable && random() % 2)
                    step.params[spec.id].field = std::make_shared<const Field>(anyField(d, random));
            }
            if (step.type == "crop") step.params["size"].value = within(random, 20, 150);
            finish.steps.push_back(std::move(step));
        }
        d.put(finish);
        std::vector<V3f> bits;
        for (const size_t threads : {size_t(1), size_t(4)}) {
            const tbb::global_control limit(tbb::global_control::max_allowed_parallelism, threads);
            const FinishedPicture done = finishPicture(scene, toFinish(film, nullptr, passes, job, 1),
                                                       s.evaluator, round % 2, Progress::none());
            REQUIRE(done.light.size() == size_t(done.width) * size_t(done.height));
            REQUIRE(done.alpha.size() == done.light.size());
            for (size_t i = 0; i < done.steps.size(); ++i) {
                const StepReport& r = done.steps[i];
                INFO("round " << round << ", " << finish.steps[i].type << ": " << r.error);
                CHECK(r.error.find("Something went wrong inside") == std::string::npos);
                CHECK(r.error.find("no parameter is declared") == std::string::npos);
                r.error.empty() ? ++ran : ++refused;
            }
            for (const V3f& c : done.light) REQUIRE(isFinite(c));
            if (bits.empty()) bits = done.light;
            INFO("round " << round);
            CHECK(bits == done.light);
        }
    }
    CHECK(ran > refused);
}
