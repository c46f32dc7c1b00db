#include "strands.h"

#include <fmt/format.h>

#include "eval/evaluator.h"
#include "eval/manual_work.h"
#include "ops/groom/comb_brush.h"
#include "pup.h"

namespace ovrix::demo {

namespace {

std::string text(const V3f& v) { return fmt::format("{:.4f},{:.4f},{:.4f}", v.x, v.y, v.z); }

std::string fibre(Maker& m, const std::string& name, const char* melanin, const char* redness,
                  const char* along, const char* around) {
    const std::string id = m.add("fibre", name);
    m.set(id,
          {{"melanin", melanin}, {"redness", redness}, {"roughness", along}, {"roughness_around", around}});
    return id;
}

/// A ball that goes with the pup.
void ball(Maker& m, const std::string& pup, const std::string& name, const V3f& at, const V3f& radii,
          const std::string& material) {
    const std::string id = m.add("sphere", name);
    Node node = m.document.get(id);
    node.parent = pup;
    m.document.put(node);
    m.set(id + "/radius", "1");
    m.set(id + "/position", text(at));
    m.set(id + "/scale", text(radii));
    m.set(id + "/material", material);
}

/// Combs the coat as a wet muzzle would: back from the face, down the sides, a whorl on the shoulder.
void combCoat(Maker& m, const std::string& layer, const std::string& pup) {
    Evaluator evaluator;
    const EvalOptions options{1, Purpose::Render, true};
    const SurfacePtr skin = evaluator.surface({m.document, m.folder}, pup, options, Progress::none());
    const LayerResult result = evaluator.layer({m.document, m.folder}, layer, options, Progress::none());
    if (!result.combable) return;
    const M44f world = m.document.worldMatrix(pup, 1);
    CombStroke stroke(result.combable, {}, skin, world.inverse(), {});
    CombBrush brush;
    brush.strength = 0.9f;
    brush.mirror = true;
    const auto run = [&](CombBrush::Mode mode, float radius, const std::vector<V3f>& path, const V3f& eye) {
        brush.mode = mode, brush.radius = radius;
        for (size_t i = 1; i < path.size(); ++i)
            for (int k = 1; k <= 4; ++k) {
                const V3f a = path[i - 1] * world, b = path[i] * world, step = (b - a) * 0.25f;
                stroke.apply(brush, {eye * world, a + step * float(k), step, 1.0f});
            }
    };
    const V3f side(0.1f, 0.3f, 1.2f), above(0.1f, 1.2f, 0.3f), front(1.0f, 0.35f, 0.6f);
    run(CombBrush::Comb, 0.03f, {{0.27f, 0.14f, 0.02f}, {0.22f, 0.17f, 0.05f}, {0.15f, 0.14f, 0.08f}}, front);
    run(CombBrush::Comb, 0.05f,
        {{0.14f, 0.12f, 0.09f}, {0.05f, 0.08f, 0.1f}, {-0.06f, 0.05f, 0.1f}, {-0.16f, 0.04f, 0.06f}}, side);
    run(CombBrush::Comb, 0.04f, {{0.10f, 0.16f, 0.03f}, {0.02f, 0.15f, 0.045f}, {-0.08f, 0.135f, 0.05f}},
        above);
    run(CombBrush::Bend, 0.035f, {{0.06f, 0.10f, 0.09f}, {0.055f, 0.095f, 0.09f}}, side);
    run(CombBrush::Raise, 0.05f, {{0.13f, 0.07f, 0.08f}, {0.11f, 0.06f, 0.085f}}, side);
    run(CombBrush::Smooth, 0.06f, {{0.15f, 0.12f, 0.08f}, {0.0f, 0.1f, 0.1f}, {-0.12f, 0.07f, 0.08f}}, side);
    m.document = withCombing(m.document, layer, stroke.edits(), 0);
}

void addCoat(Maker& m, const std::string& pup, const std::string& material) {
    const std::string coat = m.recipe("Coat", pup, material,
                                      {"scatter", "grow", "fill", "strand_length", "clump", "clump", "curl",
                                       "frizz", "flyaways", "strand_width", "strand_color"});
    // Shorter on the face and the flippers.
    FieldSource face = makeSource("distance");
    face.params["to"].value = Refs{"pup_nose"};
    face.params["range"].value = Range{0.012, 0.13};
    const auto& steps = m.document.get(coat).steps;
    const auto at = [&](size_t i, const char* param) { return coat + "/" + steps[i].id + "/" + param; };
    const std::vector<std::string> ids = [&] {
        std::vector<std::string> out;
        for (const Step& s : steps) out.push_back(s.id);
        return out;
    }();
    const auto set = [&](size_t step, const std::vector<std::pair<const char*, const char*>>& values) {
        m.set(coat + "/" + ids[step], values);
    };
    (void)at;
    set(0, {{"count", "1600"}, {"seed", "3"}});
    set(1, {{"length", "0.008..0.026"},
            {"segments", "10"},
            {"lean", "58"},
            {"bend", "14"},
            {"toward", "-1,-0.25,0"},
            {"scatter", "0.12"},
            {"seed", "5"}});
    m.drive(coat + "/" + ids[1] + "/length", {blended(face, Blend::Replace)}, 0.0, Range{0.0065, 0.031});
    set(2, {{"count", "250000"}, {"guides", "4"}, {"length", "0.8..1.12"}, {"seed", "2"}});
    set(3, {{"factor", "0.72..1"}, {"seed", "8"}});
    set(4, {{"size", "0.0068"},
            {"stray", "0.05"},
            {"seed", "4"},
            {"along", R"({"points": [[0, 0], [0.25, 0.35], [1, 0.96]], "smooth": true})"}});
    set(5, {{"size", "0.028"},
            {"stray", "0.06"},
            {"seed", "9"},
            {"along", R"({"points": [[0, 0], [0.5, 0.2], [1, 0.62]], "smooth": true})"}});
    // Wet at the belly: drawn together tightly there.
    FieldSource belly = makeSource("height");
    belly.params["range"].value = Range{0.01, 0.085};
    belly.params["from"].value = std::string("object");
    belly.invert = true;
    m.drive(coat + "/" + ids[4] + "/strength", {blended(belly, Blend::Replace)}, 0.84, 1.0);
    m.drive(coat + "/" + ids[5] + "/strength", {blended(belly, Blend::Replace)}, 0.72, 1.0);
    set(6, {{"radius", "0.0007"}, {"turns", "1.4"}, {"start", "0.5"}});
    set(7, {{"amplitude", "0.0005"}, {"bends", "3.5"}, {"octaves", "2"}});
    set(8, {{"fraction", "0.035"}, {"away", "30"}});
    set(9, {{"root", "0.16"}, {"tip", "0.03"}, {"variation", "0.35"}});
    set(10, {{"root", "0.42,0.36,0.29"},
             {"tip", "0.86,0.82,0.74"},
             {"brightness", "0.16"},
             {"clumps", "0.12"},
             {"grey_color", "0.2,0.18,0.16"}});
    m.drive(
        coat + "/" + ids[10] + "/tip",
        {blended(noise(0.075, 12, 2.6, 3), Blend::Replace), blended(inverted(belly), Blend::Multiply, 0.75)},
        Color(0.30f, 0.26f, 0.21f), Color(0.88f, 0.84f, 0.76f));
    m.drive(coat + "/" + ids[10] + "/grey", {blended(noise(0.03, 31, 4.0, 2), Blend::Replace)}, 0.02, 0.5);
    m.set(coat + "/" + ids[10] + "/seed", "6");
    m.set(coat + "/view_most", "60000");
    combCoat(m, coat, pup);
}

void addWhiskers(Maker& m, const std::string& pup, const std::string& material) {
    const std::string whiskers =
        m.recipe("Whiskers", pup, material, {"scatter", "grow", "lift_lean", "strand_width"});
    FieldSource cheeks = makeSource("distance");
    cheeks.params["to"].value = Refs{"pup_nose"};
    cheeks.params["range"].value = Range{0.014, 0.032};
    FieldSource ring = cheeks;
    ring.remap.points = {{0, 0}, {0.3f, 1}, {0.7f, 1}, {1, 0}};
    FieldSource sides = makeSource("facing");
    sides.params["direction"].value = V3d(0.5, -0.15, 0);
    sides.params["range"].value = Range{30, 100};
    const auto& steps = m.document.get(whiskers).steps;
    const std::string scatter = whiskers + "/" + steps[0].id, growing = whiskers + "/" + steps[1].id,
                      lean = whiskers + "/" + steps[2].id, width = whiskers + "/" + steps[3].id;
    m.set(scatter, {{"count", "9000"}, {"seed", "14"}});
    m.document = withField(m.document, ParamPath::parse(m.document, scatter + "/mask"),
                           std::make_shared<Field>(Field{{blended(ring, Blend::Replace)}}));
    m.set(growing, {{"length", "0.03..0.058"},
                    {"segments", "12"},
                    {"lean", "20"},
                    {"bend", "35"},
                    {"toward", "-0.4,-0.8,0"},
                    {"scatter", "0.3"},
                    {"seed", "4"}});
    m.set(lean, {{"lean", "12"}, {"toward", "-1,-0.5,0"}});
    m.set(width, {{"root", "0.5"}, {"tip", "0.06"}, {"form", "round"}});
}

}  // namespace

std::string addPup(Maker& m, const V3f& place, float turn) {
    const std::string skin = m.add("surface", "Pup skin");
    m.document = withValue(m.document, {skin, "", "base_color"}, Color(0.10f, 0.085f, 0.075f));
    m.set(skin + "/specular_roughness", "0.55");
    const std::string wet = m.add("surface", "Wet dark");
    m.document = withValue(m.document, {wet, "", "base_color"}, Color(0.012f, 0.010f, 0.010f));
    m.set(wet + "/specular_roughness", "0.08");
    const std::string id = m.mesh("Pup", pup(), skin, true);
    m.set(id + "/position", text(place));
    m.set(id + "/rotation", fmt::format("0,{},0", turn));
    const PupPlaces p;
    ball(m, id, "Pup eye, left", p.eye, V3f(p.eyeRadius), wet);
    ball(m, id, "Pup eye, right", V3f(p.eye.x, p.eye.y, -p.eye.z), V3f(p.eyeRadius), wet);
    ball(m, id, "Pup nose", p.nose, V3f(0.006f, 0.007f, 0.0105f), wet);
    addCoat(m, id, fibre(m, "Pup fur", "0.1", "0.3", "0.3", "0.38"));
    addWhiskers(m, id, fibre(m, "Whiskers", "0.06", "0.2", "0.2", "0.3"));
    const std::string camera = m.add("camera", "Pup, 85 mm");
    const M44f world = m.document.worldMatrix(id, 1);
    m.set(camera + "/position", text(V3f(1.02f, 0.30f, 0.95f) * world));
    m.set(camera + "/target", text(V3f(0.03f, 0.085f, 0.01f) * world));
    m.set(camera, {{"focal", "85"}, {"fstop", "16"}, {"exposure", "0.8"}});
    return id;
}

void addAnemone(Maker& m, const V3f& place) {
    const std::string skin =
        m.material("Anemone", Color(0.30f, 0.035f, 0.07f), Color(0.78f, 0.30f, 0.30f),
                   {perElement(5), blended(noise(0.02, 8, 1.2, 3), Blend::Multiply, 0.5)}, 0.25);
    m.set(skin + "/translucency", "0.25");
    const std::string flesh = m.material("Anemone flesh", Color(0.30f, 0.035f, 0.07f),
                                         Color(0.78f, 0.30f, 0.30f), {noise(0.02, 8, 1.2, 3)}, 0.25);
    m.set(flesh, {{"subsurface_weight", "0.85"},
                  {"subsurface_color", "0.8,0.2,0.22"},
                  {"subsurface_radius", "0.004"},
                  {"coat_weight", "0.8"},
                  {"coat_ior", "1.33"},
                  {"coat_roughness", "0.08"}});
    const std::string foot = m.mesh("Anemone foot", anemoneFoot(), flesh, true);
    m.set(foot + "/position", text(place));
    const std::string layer = m.recipe(
        "Tentacles", foot, skin, {"spread", "grow", "wave", "lift_lean", "strand_width", "strand_color"});
    const auto steps = m.document.get(layer).steps;
    const auto set = [&](size_t i, const std::vector<std::pair<const char*, const char*>>& values) {
        m.set(layer + "/" + steps[i].id, values);
    };
    set(0, {{"distance", "0.0048"}, {"seed", "2"}});
    set(1, {{"length", "0.04..0.062"},
            {"segments", "24"},
            {"lean", "24"},
            {"bend", "50"},
            {"toward", "0,0,0"},
            {"scatter", "1"}});
    set(2, {{"radius", "0.004"}, {"turns", "1.1"}, {"start", "1"}});
    set(3, {{"lift", "-10"}, {"lean", "14"}, {"toward", "1,0.2,0.4"}, {"gusts", "20"}, {"patch", "0.05"}});
    set(4, {{"root", "5"},
            {"tip", "1.5"},
            {"form", "round"},
            {"variation", "0.15"},
            {"along", R"({"points": [[0, 1], [0.7, 0.55], [1, 0]], "smooth": true})"}});
    set(5, {{"root", "0.42,0.06,0.10"},
            {"tip", "0.9,0.55,0.62"},
            {"along", R"({"points": [[0, 0], [0.6, 0.25], [0.9, 1]], "smooth": true})"},
            {"brightness", "0.12"},
            {"clumps", "0"}});
}

void addSponge(Maker& m, const V3f& place) {
    const std::string skin =
        m.material("Sponge", Color(0.42f, 0.22f, 0.03f), Color(0.85f, 0.58f, 0.14f),
                   {perElement(9), blended(noise(0.02, 4, 1.4, 3), Blend::Multiply, 0.5)}, 0.8);
    const std::string body = m.mesh("Sponge body", spongeBody(), skin, true);
    m.set(body + "/position", text(place));
    PrototypeMix tufts;
    for (int k = 0; k < 4; ++k) {
        const std::string tuft = m.add("tuft", fmt::format("Sponge tuft {}", k + 1));
        m.set(tuft, {{"strands", "9"},
                     {"height", "0.009"},
                     {"vary", "0.5"},
                     {"foot", "0.0022"},
                     {"open", "42"},
                     {"radius", "0.0007"},
                     {"turns", "1.5"},
                     {"pinch", "0.25"},
                     {"trim", "0.12"},
                     {"distortion", "0.0008"},
                     {"segments", "7"},
                     {"root_width", "1"},
                     {"tip_width", "0.5"},
                     {"form", "round"}});
        m.set(tuft + "/seed", std::to_string(11 + 7 * k));
        m.set(tuft + "/material", skin);
        m.set(tuft + "/shown", "false"), m.set(tuft + "/rendered", "false");
        tufts.push_back({tuft, 0.25});
    }
    const std::string layer =
        m.layer("Sponge tufts", body, tufts, 2600, 3, {0.6, 1.4}, 0.2, {}, 0.0, -0.0006);
    m.set(layer + "/orient/tilt", "0..24");
    m.set(layer + "/view_share", "0.5");
}

void addKelp(Maker& m, const std::string& surface, std::vector<FieldSource> mask) {
    const std::string blade = m.add("surface", "Kelp");
    m.document = withValue(m.document, {blade, "", "base_color"}, Color(0.14f, 0.10f, 0.02f));
    m.set(blade, {{"specular_roughness", "0.22"}, {"translucency", "0.45"}, {"specular_weight", "1.2"}});
    const std::string layer = m.recipe(
        "Kelp", surface, blade, {"scatter", "trace", "smooth_strands", "strand_width", "strand_color"});
    const auto steps = m.document.get(layer).steps;
    const auto set = [&](size_t i, const std::vector<std::pair<const char*, const char*>>& values) {
        m.set(layer + "/" + steps[i].id, values);
    };
    set(0, {{"count", "9000"}, {"seed", "6"}});
    m.document = withField(m.document, ParamPath::parse(m.document, layer + "/" + steps[0].id + "/mask"),
                           std::make_shared<Field>(Field{std::move(mask)}));
    set(1, {{"steps", "40"},
            {"length", "0.0035..0.007"},
            {"size", "0.11"},
            {"normal", "0.25"},
            {"bias", "0.1,-0.45,0.35"},
            {"hug", "0.86"},
            {"seed", "4"}});
    set(2, {{"rounds", "4"}});
    set(3, {{"root", "2.2"},
            {"tip", "7"},
            {"variation", "0.4"},
            {"along", R"({"points": [[0, 1], [0.35, 0.2], [0.8, 0], [1, 0.9]], "smooth": true})"}});
    set(4, {{"root", "0.10,0.07,0.02"},
            {"tip", "0.36,0.25,0.05"},
            {"brightness", "0.3"},
            {"hue", "12"},
            {"clumps", "0"}});
}

}  // namespace ovrix::demo
