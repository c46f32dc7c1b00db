// Materials that nobody thought of, on everything that may wear one, under lights of all kinds.
#include <tbb/global_control.h>

#include "deliver/studio.h"
#include "deliver/worn.h"
#include "document/edits/aim.h"
#include "eval/random_scene.h"
#include "render/render_support.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;

namespace {

/// A ball that moves and grows, an open sheet, copies, strands and a mesh that changes its shape, each in one
/// of three random materials, one of which lies over another; under random lights.
struct Wild : Studio {
    RandomScenes random;
    std::vector<std::string> materials, layers;

    explicit Wild(uint64_t seed) : random(seed) {
        for (int i = 0; i < 3; ++i) {
            const char* const types[] = {"surface", "surface", "line_art", "fibre", "cloud", "cloud"};
            Node m = makeNode(document, i == 0 ? "surface" : types[random.below(6)]);
            for (const ParamSpec& spec : specsOf(m))
                if (random.oneIn(3) && spec.type != ParamType::Ref)
                    m.params[spec.id] = random.param(document, spec);
            if (random.oneIn(3)) m.params["contours"].value = true;
            if (findSpec(specsOf(m), "geometry_opacity"))
                m.params["geometry_opacity"] = Param{random.oneIn(4) ? 0.4 : 1.0, {}, nullptr, 0.0};
            if (findSpec(specsOf(m), "relief_detail")) {
                m.params["relief_displaced"] = Param{random.oneIn(2), {}, nullptr, 0.0};
                m.params["relief_detail"] = Param{0.3, {}, nullptr, 0.0};
                m.params["emission_group"] =
                    Param{std::string(random.oneIn(2) ? "glow" : ""), {}, nullptr, 0.0};
            }
            materials.push_back(m.id);
            document.put(m);
        }
        set(materials[0] + "/over", materials[1]);
        wear(materials[0]);
        Param moving = paramAt(document, {ball, "", "position"});
        moving.keys = {{1, V3d(0, 0, 0), KeyEase::Linear}, {3, V3d(0.5, 0, 0), KeyEase::Linear}};
        document = withParam(document, {ball, "", "position"}, moving);
        set(ball + "/scale", random.oneIn(4) ? "1,0,1" : "1,0.6,1");
        for (const ParamSpec& spec : findNodeType("surroundings")->params)
            if (random.oneIn(3) && spec.type != ParamType::File)
                document = withParam(document, {"surroundings", "", spec.id}, random.param(document, spec));
        set("render/shutter", random.oneIn(2) ? "0.5" : "0");
        const std::string sheet = add("plane");
        set(sheet + "/position", "0,-1.2,0");
        set(sheet + "/divisions", "8");
        set(sheet + "/material", materials[random.below(3)]);
        for (const char* step : {"copies_of", "grow", "set_channel"}) {  // the last are points
            Node layer = makeNode(document, "layer");
            layer.steps = {makeStep("scatter", layer)};
            layer.steps.push_back(makeStep(step, layer));
            layer.steps[0].params["count"].value = int64_t(std::string(step) == "copies_of" ? 12 : 200);
            if (std::string(step) == "copies_of")
                layer.steps[1].params["prototypes"].value = PrototypeMix{{ball, 1}};
            layer.params["surface"].value = sheet;
            layer.params["material"].value = materials[random.below(3)];
            layers.push_back(layer.id);
            if (random.oneIn(3)) document = withFocusOn(document, layer.id, random.oneIn(2) ? "" : "3", 1);
            document.put(layer);
        }
        for (uint64_t i = 0, n = random.below(3); i < n; ++i) {
            Node pass = makeNode(document, "field_pass");
            for (const ParamSpec& spec : specsOf(pass)) pass.params[spec.id] = random.param(document, spec);
            document.put(pass);
        }
        set("render/share_fibre_light", random.oneIn(4) ? "false" : "true");
        set("render/even_fireflies", random.oneIn(4) ? "false" : "true");
        set("render/limit", random.oneIn(3) ? "0.5" : "0");
        set("camera/fstop", random.oneIn(2) ? "0.4" : "0");
        for (uint64_t i = 0, n = random.oneIn(3) ? 12 : 0; i < n; ++i) {  // too many to be asked one by one
            const std::string lamp = add("area");
            set(lamp + "/position", std::to_string(i % 4) + ",1.5," + std::to_string(i / 4));
            set(lamp + "/width", random.oneIn(2) ? "3" : "0.1");
        }
        for (const char* type : {"sun", "sky", "area", "spot", "ball", "disk", "dome"}) {
            if (random.oneIn(2)) continue;
            Node light = makeNode(document, type);
            aim(light);
            document.put(light);
        }
    }
    void aim(Node& light) {
        if (findSpec(specsOf(light), "position")) light.params["position"].value = V3d(1, 3, 1);
        light.params["shadows"].value = !random.oneIn(3);
        light.params["lit"].value = std::string(random.oneIn(3) ? "all but" : "all");
        light.params["linked"].value = Refs{ball};
        light.params["group"].value = std::string(random.oneIn(2) ? "lamps" : "");
    }
    /// What the view shows of the strands: none or a colour for each point.
    void look(double frame) {
        Evaluator::Query query(evaluator, scene(), {frame, Purpose::Viewport, true}, Progress::none());
        WornLooks looks(evaluator);
        for (const std::string& id : layers) {
            const LayerResult made = evaluator.layer(scene(), id, query.options(), Progress::none());
            const auto* strands = std::get_if<StrandsPtr>(&made.geometry);
            if (!strands) continue;
            const Worn worn = looks.ofStrands(query, document.get(id), *strands, packedStrands(**strands));
            if (worn.places) REQUIRE(worn.places->size() == (*strands)->pointCount());
        }
    }
    /// @param whole  else by pieces, where paths have others beside them
    Film picture(double frame, bool whole = true) {
        RenderSceneBuilder builder(evaluator);
        JobOptions options;
        options.frame = frame;
        RenderJob job = builder.build(scene(), options, Progress::none());
        job.layout.passes = passesChosen(passChoices());
        Film film(20, 12, job.layout);
        const Renderer renderer(*job.scene, job.cameraFor(20, 12), job.options, job.lights);
        for (uint32_t pass = 0; pass < 2; ++pass)
            for (const Rect& r : whole ? std::vector<Rect>{{0, 0, 20, 12}} : pieces())
                renderer.renderPass(film, pass, r, Progress::none());
        return film;
    }
    static std::vector<Rect> pieces() {
        return {{0, 0, 7, 12}, {7, 0, 13, 1}, {7, 1, 1, 11}, {8, 1, 12, 11}};
    }
};

std::vector<V3f> lightOf(const Film& film) {
    std::vector<V3f> out;
    for (const FilmPixel& p : film.pixels()) out.push_back(p.direct + p.indirect);
    return out;
}

/// Whether the light of a pixel is within what a film adds up: half of 2^31 of what is white.
bool addsUp(const Film& film, size_t pixel) {
    const V3f sum = film.sum(pixel) * std::ldexp(1.0f, film.layout().exposure);
    return std::max({sum.x, sum.y, sum.z}) < 1e9f;
}

/// Groups of lights add up to the whole.
void checkGroups(const Film& film) {
    for (size_t i = 0; i < film.count() && !film.groups().empty(); ++i) {
        if (!addsUp(film, i)) continue;
        V3f sum(0.0f);
        for (size_t g = 0; g < film.groups().size(); ++g) sum += film.sum(i, int(g));
        for (int k = 0; k < 3; ++k) REQUIRE(sum[k] == Approx(film.sum(i)[k]).epsilon(1e-4).margin(1e-6));
    }
}

/// What light came by adds up to the whole, and so does coverage.
void checkComponents(const Film& film) {
    for (size_t i = 0; i < film.count(); ++i) {
        if (!addsUp(film, i)) continue;
        V3f sum = film.mean(Pass::Emission, i);
        for (size_t c = 0; c < kComponents; ++c)
            for (const bool indirect : {false, true})
                if (!indirect || c >= kFibreComponents) sum += film.mean(passOf(c, indirect), i);
        for (int k = 0; k < 3; ++k) REQUIRE(sum[k] == Approx(film.light(i)[k]).epsilon(1e-3).margin(1e-5));
        uint32_t seen = 0;
        for (const Coverage::Seen& s : film.coverage(Pass::ElementCover, i).all()) seen += s.count;
        REQUIRE(seen <= film.samples(i));
    }
}

}  // namespace

TEST_CASE("random materials on everything give finite light, and the same bits on any threads",
          "[translate][random][over]") {
    double lit = 0;
    for (uint64_t round = 0; round < 40; ++round) {
        INFO("round " << round << " of seed " << testSeed());
        Wild wild(testSeed() * 1000 + round);
        const Film film = wild.picture(2);
        const std::vector<V3f> many = lightOf(film);
        checkGroups(film);
        for (const V3f& c : many) {
            REQUIRE(isFinite(c));
            REQUIRE(std::min({c.x, c.y, c.z}) >= 0.0f);
            lit += c.x > 0;
        }
        wild.picture(3);  // and back again
        wild.look(2);
        const tbb::global_control one(tbb::global_control::max_allowed_parallelism, 1);
        REQUIRE(sameFilms(wild.picture(2), film));
        checkComponents(film);
        wild.set("render/share_fibre_light", "false");  // which goes by blocks
        REQUIRE(sameFilms(wild.picture(2, false), wild.picture(2)));
    }
    CHECK(lit > 1000);  // or it would prove little
}
