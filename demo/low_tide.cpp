#include "low_tide.h"

#include <fmt/format.h>

#include "document/edits/edits.h"
#include "document/file/scene_file.h"
#include "eval/evaluator.h"
#include "eval/manual_work.h"
#include "maker.h"
#include "other_light.h"
#include "shapes.h"
#include "strands.h"

namespace ovrix::demo {

namespace {

/// Of the float's middle: it lies in the sand a little.
double floatHeight() { return double(sandHeight(0.452f, 0.615f) + 0.036f); }

struct Looks {
    std::string rock, sand, plate, limpet, snail, stone, water, grass, glass;
};

Looks makeLooks(Maker& m) {
    Looks l;
    l.rock = m.material("Wet rock", Color(0.016f, 0.017f, 0.019f), Color(0.36f, 0.30f, 0.235f),
                        {noise(0.5, 4, 1.1, 6), blended(noise(0.05, 9, 1.9, 5), Blend::Multiply, 0.75),
                         blended(noise(0.011, 29, 2.4, 4), Blend::Multiply, 0.6),
                         blended(slope(0, 50, 40), Blend::Multiply, 0.4)},
                        0.42);
    Param dampRock;  // wet patches shine, dry ones do not
    dampRock.value = 0.78;
    dampRock.low = 0.3;
    dampRock.field = std::make_shared<Field>(
        Field{{noise(0.22, 17, 1.8, 4), blended(noise(0.02, 19, 1.6, 3), Blend::Multiply, 0.7)}});
    m.document = withParam(m.document, {l.rock, "", "specular_roughness"}, dampRock);
    Param film;  // of water, where the waves still reach
    film.value = 0.0;
    film.low = 0.9;
    film.field = std::make_shared<Field>(
        Field{{heightBand(0.06, 0.5, 0.05), blended(noise(0.12, 37, 1.6, 3), Blend::Multiply, 0.6)}});
    m.document = withParam(m.document, {l.rock, "", "coat_weight"}, film);
    m.set(l.rock, {{"coat_ior", "1.33"}, {"coat_roughness", "0.16"}, {"coat_darkening", "0.8"}});
    l.sand =
        m.material("Wet sand", Color(0.085f, 0.066f, 0.048f), Color(0.34f, 0.27f, 0.19f),
                   {heightBand(-0.03, 0.2, 0.03), blended(noise(0.004, 3, 2.0, 2), Blend::Multiply, 0.45),
                    blended(noise(0.6, 8, 1.0, 3), Blend::Multiply, 0.4)},
                   0.5);
    Param rough;  // the low places are still wet and shine
    rough.value = 0.62;
    rough.low = 0.16;
    auto wet = std::make_shared<Field>();
    wet->sources = {heightBand(-0.01, 0.3, 0.03)};
    rough.field = wet;
    m.document = withParam(m.document, {l.sand, "", "specular_roughness"}, rough);
    Param drifted;  // sand lies on what is flat and low of the rock
    drifted.value = 1.0;
    drifted.low = 0.0;
    FieldSource low = blended(heightBand(0.05, 0.16, 0.04), Blend::Multiply);
    low.invert = true;
    drifted.field = std::make_shared<Field>(
        Field{{slope(0, 58, 24), low, blended(noise(0.05, 41, 2.4, 4), Blend::Multiply)}});
    m.set(l.rock + "/over", l.sand);
    m.document = withParam(m.document, {l.rock, "", "over_weight"}, drifted);
    l.plate = m.material("Barnacle plates", Color(0.33f, 0.29f, 0.25f), Color(0.78f, 0.73f, 0.65f),
                         {perElement(3), blended(noise(0.004, 5, 1.5, 2), Blend::Multiply, 0.5)}, 0.7);
    l.limpet = m.material("Limpet shell", Color(0.10f, 0.075f, 0.055f), Color(0.52f, 0.42f, 0.29f),
                          {perElement(7), blended(noise(0.006, 2, 1.6, 2), Blend::Multiply, 0.6)}, 0.55);
    l.snail = m.material("Snail shell", Color(0.09f, 0.045f, 0.03f), Color(0.66f, 0.40f, 0.13f),
                         {perElement(11), blended(noise(0.005, 6, 1.2, 2), Blend::Multiply, 0.35)}, 0.42);
    m.set(l.snail, {{"coat_weight", "0.7"},
                    {"coat_roughness", "0.12"},
                    {"thin_film_weight", "0.6"},
                    {"thin_film_ior", "1.6"}});
    Param nacre;  // in micrometres: the colours of mother-of-pearl
    nacre.value = 0.75;
    nacre.low = 0.35;
    nacre.field = std::make_shared<Field>(Field{{noise(0.012, 29, 1.2, 2)}});
    m.document = withParam(m.document, {l.snail, "", "thin_film_thickness"}, nacre);
    l.stone = m.material("Stone", Color(0.05f, 0.052f, 0.055f), Color(0.34f, 0.31f, 0.28f),
                         {perElement(13), blended(noise(0.03, 1, 1.2, 4), Blend::Multiply, 0.5)}, 0.48);
    // Grain that is finer than any mesh.
    m.drive(l.rock + "/geometry_bump", {noise(0.018, 61, 1.5, 5)}, 0.0, 0.0045);
    m.drive(l.sand + "/geometry_bump", {noise(0.0035, 63, 1.2, 3)}, 0.0, 0.0007);
    m.drive(l.stone + "/geometry_bump", {noise(0.009, 67, 1.4, 4)}, 0.0, 0.0012);
    l.grass = m.material("Sea grass", Color(0.035f, 0.075f, 0.02f), Color(0.19f, 0.27f, 0.055f),
                         {perElement(19), blended(noise(0.05, 12, 1.4, 3), Blend::Multiply, 0.5)}, 0.32);
    m.set(l.grass + "/translucency", "0.42");
    l.glass = m.material("Float glass", Color(0.010f, 0.055f, 0.045f), Color(0.045f, 0.17f, 0.13f),
                         {noise(0.05, 23, 1.3, 3)}, 0.3);
    Param salted;  // clear in places, and blind where salt has dried on it
    salted.value = 0.42;
    salted.low = 0.05;
    salted.field = std::make_shared<Field>(Field{{noise(0.035, 27, 2.2, 4), slope(60, 180, 50)}});
    m.document = withParam(m.document, {l.glass, "", "specular_roughness"}, salted);
    m.set(l.glass, {{"transmission_weight", "1"},
                    {"transmission_color", "0.25,0.62,0.5"},
                    {"transmission_depth", "0.05"},
                    {"transmission_dispersion_scale", "0.5"},
                    {"transmission_dispersion_abbe_number", "30"},
                    {"nested_priority", "1"}});
    const std::string brass = m.add("surface", "Brass");
    m.set(brass, {{"base_metalness", "1"}, {"base_color", "0.83,0.58,0.25"}});
    m.drive(brass + "/specular_roughness", {noise(0.01, 3, 1.6, 3)}, 0.16, 0.45);
    m.set(l.glass + "/over", brass);  // a band about the float, where its two halves meet
    m.drive(l.glass + "/over_weight", {heightBand(floatHeight() - 0.0032, floatHeight() + 0.0032, 0.0006)},
            0.0, 1.0);
    l.water = m.add("surface", "Water");
    m.set(l.water, {{"specular_roughness", "0.02"},
                    {"specular_ior", "1.33"},
                    {"transmission_weight", "1"},
                    {"transmission_color", "0.3,0.5,0.47"},
                    {"transmission_depth", "0.11"}});
    return l;
}

void setStage(Maker& m) {
    m.set("sun/name", "Low sun");
    m.set("sun/elevation", "8");
    m.set("sun/azimuth", "-66");
    m.set("sun/strength", "7");
    m.set("sun/angle", "1.2");
    m.set("sky/name", "Evening sky");
    m.set("sky/haze", "1.3");
    m.set("sky/exposure", "1.2");
    m.set("sky/ground", "0.16,0.13,0.1");
    m.set("camera/name", "Low, 42 mm");
    m.set("camera/position", "0.42,0.44,1.9");
    m.set("camera/target", "0.0,0.16,0.0");
    m.set("camera/focal", "42");
    m.set("camera/fstop", "11");
    m.set("camera/focus", "1.75");
    m.set("camera/exposure", "0.6");
    m.finish("glow", {{"radius", "10"}, {"strength", "0.08"}});
    m.finish("vignette", {{"stops", "-0.45"}});
    m.set("render/width", "1280");
    m.set("render/height", "720");
    m.set("surroundings", {{"fog_visibility", "1800"},
                           {"fog_height", "10"},
                           {"fog_color", "0.93,0.95,0.97"},
                           {"fog_forward", "0.7"}});
    m.set("scene/draft", "0.25");
}

/// Four sizes of the same stones on the flats of the ledge: one recipe, and three layers that follow it with
/// a count, a size and a seed of their own; two more follow it on the sand. Smaller ones keep off larger
/// ones; the largest carry a few pebbles.
void addStones(Maker& m, const std::string& ledge, const std::string& sandId, const std::string& stoneA,
               const std::string& stoneB) {
    const auto largest =
        m.layer("Stones, largest", ledge, {{stoneA, 0.5}, {stoneB, 0.5}}, 110, 9, {1.2, 2.2}, 0.3,
                {blended(slope(0, 24, 12), Blend::Replace), noise(0.5, 14, 2.4, 3),
                 blended(heightBand(-0.01, 0.6, 0.02), Blend::Multiply)},
                0.5, -0.012);
    m.document = withStep(m.document, largest, 4, makeStep("keep_apart", m.document.get(largest)));
    m.document = withText(m.document, largest + "/keep_apart/overlap", "0.15");
    Refs above = {largest};
    struct Size {
        const char *name, *surface, *count, *between, *seed, *lift;
    };
    for (const Size& size : {Size{"Stones, large", ledge.c_str(), "900", "0.6..1.2", "23", "-0.006"},
                             Size{"Stones, medium", ledge.c_str(), "5200", "0.25..0.6", "31", "-0.003"},
                             Size{"Pebbles", ledge.c_str(), "26000", "0.06..0.25", "3", "-0.0015"},
                             Size{"Stones on sand", sandId.c_str(), "1500", "0.5..2.2", "37", "-0.008"},
                             Size{"Pebbles on sand", sandId.c_str(), "26000", "0.06..0.3", "43", "-0.002"}}) {
        std::string id;
        m.document = withLinkedLayer(m.document, largest, size.surface, &id);
        Node named = m.document.get(id);
        m.document.remove(id);
        named.name = size.name;
        id = named.id = m.document.freeId(size.name);
        m.document.put(std::move(named));
        m.set(id + "/scatter/count", size.count);
        m.set(id + "/scatter/seed", size.seed);
        m.set(id + "/orient/seed", size.seed);
        m.set(id + "/vary_size/between", size.between);
        m.set(id + "/copies_of/lift", size.lift);
        m.document = withValue(m.document, {id, "keep_apart", "from"}, above);
        above.push_back(id);
    }
    m.layer("Pebbles on stones", largest, {{stoneA, 0.5}, {stoneB, 0.5}}, 900, 41, {0.05, 0.2}, 0.4,
            {blended(slope(0, 45, 12), Blend::Replace), noise(0.08, 5, 2.2, 3)}, 0.1, -0.001);
}

/// Tufts of two kinds along the water, with a clearing that was painted and a float that they leave room.
void addGrass(Maker& m, const Looks& l, const std::string& sandId) {
    const std::string ball = m.add("sphere", "Glass float");
    m.set(ball + "/radius", "0.05");
    m.set(ball + "/segments", "96");
    m.set(ball + "/position", fmt::format("0.452,{:.4f},0.615", floatHeight()));
    m.set(ball + "/material", l.glass);
    const auto tuft = [&](const char* name, std::vector<std::pair<const char*, const char*>> values) {
        const std::string id = m.add("blade", name);
        for (const auto& [param, value] : values) m.set(id + "/" + param, value);
        m.set(id + "/material", l.grass);
        m.set(id + "/shown", "false"), m.set(id + "/rendered", "false");
        return id;
    };
    const std::string tall = tuft("Tall sea grass", {{"height", "0.17"},
                                                     {"width", "0.006"},
                                                     {"blades", "9"},
                                                     {"spread", "0.016"},
                                                     {"bend", "55"},
                                                     {"curl", "35"},
                                                     {"twist", "40"},
                                                     {"wave", "12"},
                                                     {"segments", "9"}}),
                      low =
                          tuft("Low sea grass",
                               {{"height", "0.075"},
                                {"width", "0.008"},
                                {"blades", "13"},
                                {"spread", "0.022"},
                                {"bend", "70"},
                                {"curl", "25"},
                                {"profile", R"({"points": [[0, 0.6], [0.3, 1], [1, 0.3]], "smooth": true})"},
                                {"segments", "7"},
                                {"seed", "4"}});
    Evaluator evaluator;
    const SurfacePtr ground = evaluator.surface({m.document, m.folder}, sandId, {1}, Progress::none());
    struct Kind {
        const char* name;
        std::string prototype;
        const char* distance;
        int64_t seed;
        double low, high;
        const char* hue;
    };
    for (const Kind& kind : {Kind{"Sea grass, tall", tall, "0.02", 5, 0.004, 0.07, "-8..6"},
                             Kind{"Sea grass, low", low, "0.016", 6, 0.002, 0.10, "4..20"}}) {
        FieldSource clearing = makeSource("paint");
        clearing.params["base"].value = 1.0;
        clearing.params["resolution"].value = 0.03;
        const std::string id = m.layer(
            kind.name, sandId, {{kind.prototype, 1}}, 100, kind.seed, {0.55, 1.25}, 0.2,
            {blended(heightBand(kind.low, kind.high, 0.012), Blend::Replace),
             noise(0.32, 60 + kind.seed, 3.2, 3), blended(awayFrom({ball}, {0.02, 0.07}), Blend::Multiply),
             blended(clearing, Blend::Multiply)},
            0.75, -0.004);
        m.document = withStepReplaced(m.document, id, "scatter", "spread");
        m.set(id + "/spread/distance", kind.distance);
        m.set(id + "/view_share", "0.08");  // tufts have many faces: the view shows a few, as what they are
        m.set(id + "/show_as", "meshes");
        m.document = withStep(m.document, id, 3, makeStep("vary_color", m.document.get(id)));
        m.set(id + "/vary_color/hue", kind.hue);
        Brush brush;
        brush.mode = Brush::Subtract;
        brush.radius = 0.13f, brush.strength = 1.0f;
        std::vector<Dab> dabs;
        for (const auto& [x, z] : {std::pair(0.44f, 0.58f), {0.50f, 0.70f}, {0.36f, 0.50f}, {-0.34f, 0.72f}})
            dabs.push_back({V3f(x, sandHeight(x, z), z), V3f(0, 1, 0), 1});
        m.document = withDabs(m.document, {id, "spread", "mask", 3, "map"}, ground, brush, dabs, 1);
    }
}

/// What the last high water left: shells, stones and weed in a band along a curve on the sand.
void addStrandLine(Maker& m, const std::string& sandId, const PrototypeMix& things) {
    const std::vector<std::vector<std::pair<float, float>>> shores = {
        {{-0.70f, 0.48f}, {-0.52f, 0.61f}, {-0.38f, 0.69f}, {-0.30f, 0.80f}, {-0.34f, 0.95f}},
        {{0.35f, 0.47f}, {0.41f, 0.54f}, {0.48f, 0.63f}, {0.53f, 0.76f}, {0.50f, 0.92f}}};
    Refs lines;
    for (const auto& shore : shores) {
        Node line = makeNode(m.document, "curve", lines.empty() ? "High water, left" : "High water, right");
        CurvePoints points;
        for (const auto& [x, z] : shore) points.list.push_back(V3f(x, sandHeight(x, z), z));
        line.params["points"].value = points;
        lines.push_back(line.id);
        m.document.put(line);
    }
    const std::string id =
        m.layer("Strand line", sandId, things, 100, 12, {0.35, 1.25}, 0.45, {}, 0.5, -0.002);
    m.document = withStepReplaced(m.document, id, "scatter", "along");
    m.document = withValue(m.document, {id, "along", "curves"}, lines);
    for (const auto& [path, text] : {std::pair("along/amount", "count"),
                                     {"along/count", "520"},
                                     {"along/jitter", "1"},
                                     {"along/width", "0.07"},
                                     {"along/seed", "4"},
                                     {"orient/tilt", "0..38"}})
        m.set(id + "/" + path, text);
    m.document = withField(m.document, {id, "along", "mask"},
                           std::make_shared<Field>(Field{{noise(0.16, 81, 2.6, 3)}}));
    m.document = withStep(m.document, id, 4, makeStep("keep_apart", m.document.get(id)));
}

/// A few elements that were set down one by one.
void placeByHand(Maker& m, const std::string& surface, const std::string& layer,
                 const std::vector<std::pair<float, float>>& places,
                 const std::vector<std::string>& prototypes) {
    Evaluator evaluator;
    const SurfacePtr ground = evaluator.surface({m.document, m.folder}, surface, {1}, Progress::none());
    for (size_t i = 0; i < places.size(); ++i) {
        const SurfaceHit hit = ground->intersect(V3f(places[i].first, 5, places[i].second), V3f(0, -1, 0));
        if (hit.hit) m.document = withPlaced(m.document, layer, prototypes[i], hit.position, hit.normal);
    }
}

/// The pup on the ledge, and what else grows as strands.
void addStrands(Maker& m, const std::string& ledge) {
    Evaluator evaluator;
    const SurfacePtr ground = evaluator.surface({m.document, m.folder}, ledge, {1}, Progress::none());
    const auto on = [&](float x, float z, float lift) {
        const SurfaceHit hit = ground->intersect(V3f(x, 5, z), V3f(0, -1, 0));
        return V3f(x, (hit.hit ? hit.position.y : 0.0f) + lift, z);
    };
    addPup(m, on(-0.28f, -0.02f, -0.004f), -35.0f);
    addAnemone(m, on(0.16f, 0.36f, -0.004f));
    addSponge(m, on(0.62f, 0.2f, -0.008f));
    addKelp(m, ledge, {blended(heightBand(0.0, 0.11, 0.02), Blend::Replace), noise(0.3, 71, 2.6, 2)});
}

void addLayers(Maker& m, const Looks& l, const std::string& ledge, const std::string& sandId) {
    const std::string open = m.mesh("Barnacle, open", barnacle(true, 3), l.plate, false);
    const std::string closed = m.mesh("Barnacle, closed", barnacle(false, 8), l.plate, false);
    const std::string tent = m.mesh("Limpet", limpet(), l.limpet, false);
    const std::string snail = m.mesh("Snail shell", snailShell(), l.snail, false);
    const std::string stoneA = m.mesh("Stone, round", stone(17), l.stone, false),
                      stoneB = m.mesh("Stone, long", stone(29), l.stone, false);
    const PrototypeMix barnacles = {{closed, 0.66}, {open, 0.34}};
    const auto colony = [](double contrast) {
        return std::vector<FieldSource>{blended(heightBand(0.045, 0.36, 0.03), Blend::Replace),
                                        noise(0.24, 21, contrast, 4), slope(10, 100, 12),
                                        blended(shelter(0.07, 20), Blend::Multiply, 0.7)};
    };
    m.layer("Barnacles, small", ledge, barnacles, 60000, 2, {0.35, 0.9}, 0.25, colony(2.6), 0.0, 0.0);
    m.layer("Barnacles, large", ledge, barnacles, 9000, 5, {0.9, 2.1}, 0.45, colony(3.2), 0.0, 0.0);
    m.layer("Limpets", ledge, {{tent, 1}}, 1700, 4, {0.7, 1.8}, 0.35,
            {blended(heightBand(0.03, 0.6, 0.04), Blend::Replace), inverted(noise(0.3, 21, 1.4, 3))}, 0.0,
            -0.001);
    m.layer(
        "Snails on rock", ledge, {{snail, 1}}, 1400, 7, {0.7, 1.7}, 0.35,
        {blended(heightBand(0.03, 0.5, 0.025), Blend::Replace), slope(0, 35, 15), noise(0.35, 33, 1.6, 2)},
        0.1, -0.001);
    addStones(m, ledge, sandId, stoneA, stoneB);
    m.layer("Shells on sand", sandId, {{snail, 0.62}, {tent, 0.3}, {closed, 0.08}}, 2600, 8, {0.6, 1.5}, 0.2,
            {blended(heightBand(0.004, 0.6, 0.006), Blend::Replace), noise(0.5, 52, 2.0, 3)}, 0.6, -0.001);
    addGrass(m, l, sandId);
    addStrandLine(m, sandId, {{stoneA, 0.3}, {stoneB, 0.22}, {snail, 0.25}, {tent, 0.15}, {closed, 0.08}});
    addStrands(m, ledge);
    placeByHand(m, sandId, "shells_on_sand", {{-0.37f, 0.70f}, {0.405f, 0.55f}, {0.50f, 0.69f}},
                {snail, snail, tent});
}

}  // namespace

std::filesystem::path writeLowTide(const std::filesystem::path& folder) {
    std::filesystem::create_directories(folder);
    Maker m;
    m.folder = folder;
    const Looks looks = makeLooks(m);
    const std::string ledgeId = m.mesh("Ledge", ledge(), looks.rock, true);
    const std::string sandId = m.mesh("Sand", sand(), looks.sand, true);
    const std::string pool = m.add("ground", "Sea");
    m.set(pool + "/reach", "15000");
    m.set(pool + "/material", looks.water);
    m.set(pool + "/position", "0,-0.012,0");
    setStage(m);
    addLayers(m, looks, ledgeId, sandId);
    const auto path = folder / "low_tide.ovrix";
    saveScene(m.document, path);
    writeOtherLight(m, sandId);
    return path;
}

}  // namespace ovrix::demo
