#include "low_tide.h"

#include "io/mesh_writer.h"
#include "scene/edits.h"
#include "scene/scene_file.h"
#include "shapes.h"

namespace ovrix::demo {

namespace {

/// Puts a document together; every value goes through the same edits as in the program.
class Maker {
  public:
    Document document = Document::fresh();
    std::filesystem::path folder;

    void set(const std::string& path, const std::string& text) { document = withText(document, path, text); }

    std::string add(const std::string& type, const std::string& name) {
        Node n = makeNode(document, type, name);
        document.put(n);
        return n.id;
    }

    std::string mesh(const std::string& name, const MeshPtr& mesh, const std::string& material, bool stands) {
        const std::string id = add("mesh_file", name);
        writePlyMesh(folder / (id + ".ply"), *mesh);
        set(id + "/file", id + ".ply");
        set(id + "/material", material);
        if (!stands) set(id + "/shown", "false"), set(id + "/rendered", "false");
        return id;
    }

    /// A material whose colour runs from one to another where a field goes from 0 to 1.
    std::string material(const std::string& name, const Color& low, const Color& high,
                         std::vector<FieldSource> sources, double roughness) {
        const std::string id = add("surface", name);
        Param base;
        base.value = high;
        base.low = low;
        auto field = std::make_shared<Field>();
        field->sources = std::move(sources);
        base.field = field;
        document = withParam(document, {id, "", "base"}, base);
        document = withValue(document, {id, "", "roughness"}, roughness);
        return id;
    }

    std::string layer(const std::string& name, const std::string& surface, Shares prototypes, int64_t count,
                      int64_t seed, Range size, double favourSmall, std::vector<FieldSource> mask,
                      double upright, double lift) {
        std::string id;
        document = withLayer(document, surface, prototypes[0].ref, &id);
        Node named = document.get(id);
        document.remove(id);
        named.name = name;
        id = named.id = document.freeId(name);
        document.put(std::move(named));
        const auto value = [&](const char* step, const char* param, const Value& v) {
            document = withValue(document, {id, step, param}, v);
        };
        value("copies_of", "prototypes", prototypes);
        value("copies_of", "lift", lift);
        value("scatter", "count", count);
        for (const char* step : {"scatter", "orient", "vary_size", "copies_of"}) value(step, "seed", seed);
        value("vary_size", "between", size);
        value("vary_size", "small", favourSmall);
        value("orient", "to_up", upright);
        value("orient", "tilt", Range{0, 9});
        auto field = std::make_shared<Field>();
        field->sources = std::move(mask);
        if (!field->sources.empty()) document = withField(document, {id, "scatter", "keep"}, field);
        return id;
    }
};

FieldSource noise(double size, int64_t seed, double contrast, int64_t octaves = 3) {
    FieldSource s = makeSource("noise");
    s.params["size"].value = size;
    s.params["seed"].value = seed;
    s.params["contrast"].value = contrast;
    s.params["octaves"].value = octaves;
    return s;
}

/// 1 between two heights, with soft edges: where an animal lives above the sand and below the dry rock.
FieldSource heightBand(double from, double to, double soft) {
    FieldSource s = makeSource("height");
    s.params["range"].value = Range{from - soft, to + soft};
    const float edge = float(soft / (to - from + 2 * soft));
    s.remap.points = {{0, 0}, {edge * 2, 1}, {1 - edge * 2, 1}, {1, 0}};
    return s;
}

FieldSource slope(double from, double to, double soft) {
    FieldSource s = makeSource("slope");
    s.params["range"].value = Range{from, to};
    s.params["soft"].value = soft;
    return s;
}

FieldSource perElement(int64_t seed) {
    FieldSource s = makeSource("random");
    s.params["seed"].value = seed;
    return s;
}

FieldSource blended(FieldSource s, Blend blend, double strength = 1.0) {
    s.blend = blend;
    s.strength.value = strength;
    return s;
}

FieldSource inverted(FieldSource s) {
    s.invert = true;
    return s;
}

struct Looks {
    std::string rock, sand, plate, limpet, snail, stone, water;
};

Looks makeLooks(Maker& m) {
    Looks l;
    l.rock = m.material("Wet rock", Color(0.016f, 0.017f, 0.019f), Color(0.36f, 0.30f, 0.235f),
                        {noise(0.5, 4, 1.1, 6), blended(noise(0.05, 9, 1.9, 5), Blend::Multiply, 0.75),
                         blended(slope(0, 50, 40), Blend::Multiply, 0.4)},
                        0.42);
    Param dampRock;  // wet patches shine, dry ones do not
    dampRock.value = 0.78;
    dampRock.low = 0.3;
    dampRock.field = std::make_shared<Field>(
        Field{{noise(0.22, 17, 1.8, 4), blended(noise(0.02, 19, 1.6, 3), Blend::Multiply, 0.7)}});
    m.document = withParam(m.document, {l.rock, "", "roughness"}, dampRock);
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
    m.document = withParam(m.document, {l.sand, "", "roughness"}, rough);
    l.plate = m.material("Barnacle plates", Color(0.33f, 0.29f, 0.25f), Color(0.78f, 0.73f, 0.65f),
                         {perElement(3), blended(noise(0.004, 5, 1.5, 2), Blend::Multiply, 0.5)}, 0.7);
    l.limpet = m.material("Limpet shell", Color(0.10f, 0.075f, 0.055f), Color(0.52f, 0.42f, 0.29f),
                          {perElement(7), blended(noise(0.006, 2, 1.6, 2), Blend::Multiply, 0.6)}, 0.55);
    l.snail = m.material("Snail shell", Color(0.09f, 0.045f, 0.03f), Color(0.66f, 0.40f, 0.13f),
                         {perElement(11), blended(noise(0.005, 6, 1.2, 2), Blend::Multiply, 0.35)}, 0.28);
    l.stone = m.material("Stone", Color(0.05f, 0.052f, 0.055f), Color(0.34f, 0.31f, 0.28f),
                         {perElement(13), blended(noise(0.03, 1, 1.2, 4), Blend::Multiply, 0.5)}, 0.48);
    l.water = m.add("surface", "Water");
    m.document = withValue(m.document, {l.water, "", "base"}, Color(0.006f, 0.014f, 0.015f));
    m.document = withValue(m.document, {l.water, "", "roughness"}, 0.03);
    m.document = withValue(m.document, {l.water, "", "specular"}, 0.35);
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
    m.set("camera/exposure", "0.3");
    m.set("render/width", "1280");
    m.set("render/height", "720");
    m.set("scene/draft", "0.25");
}

void addLayers(Maker& m, const Looks& l, const std::string& ledge, const std::string& sandId) {
    const std::string open = m.mesh("Barnacle, open", barnacle(true, 3), l.plate, false);
    const std::string closed = m.mesh("Barnacle, closed", barnacle(false, 8), l.plate, false);
    const std::string tent = m.mesh("Limpet", limpet(), l.limpet, false);
    const std::string snail = m.mesh("Snail shell", snailShell(), l.snail, false);
    const std::string stoneA = m.mesh("Stone, round", stone(17), l.stone, false),
                      stoneB = m.mesh("Stone, long", stone(29), l.stone, false);
    const Shares barnacles = {{closed, 0.66}, {open, 0.34}};
    const auto colony = [](double contrast) {
        return std::vector<FieldSource>{blended(heightBand(0.045, 0.36, 0.03), Blend::Replace),
                                        noise(0.24, 21, contrast, 4), slope(10, 100, 12)};
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
    m.layer("Pebbles", sandId, {{stoneA, 0.6}, {stoneB, 0.4}}, 22000, 3, {0.06, 0.34}, 0.35,
            {blended(noise(0.7, 14, 1.8, 4), Blend::Replace), blended(slope(0, 40, 10), Blend::Multiply)},
            0.2, -0.002);
    m.layer("Stones", sandId, {{stoneA, 0.5}, {stoneB, 0.5}}, 420, 9, {0.5, 2.4}, 0.5,
            {noise(0.9, 14, 1.6, 3)}, 0.5, -0.006);
    m.layer("Snails on sand", sandId, {{snail, 1}}, 2600, 8, {0.6, 1.5}, 0.2,
            {blended(heightBand(0.004, 0.6, 0.006), Blend::Replace), noise(0.5, 52, 2.0, 3)}, 0.6, -0.001);
}

}  // namespace

std::filesystem::path writeLowTide(const std::filesystem::path& folder) {
    std::filesystem::create_directories(folder);
    Maker m;
    m.folder = folder;
    const Looks looks = makeLooks(m);
    const std::string ledgeId = m.mesh("Ledge", ledge(), looks.rock, true);
    const std::string sandId = m.mesh("Sand", sand(), looks.sand, true);
    const std::string pool = m.add("plane", "Still water");
    m.set(pool + "/size", "600");
    m.set(pool + "/material", looks.water);
    m.set(pool + "/position", "0,-0.012,0");
    setStage(m);
    addLayers(m, looks, ledgeId, sandId);
    const auto path = folder / "low_tide.ovrix";
    saveScene(m.document, path);
    return path;
}

}  // namespace ovrix::demo
