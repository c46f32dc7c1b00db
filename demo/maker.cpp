#include "maker.h"

#include "io/mesh/mesh_writer.h"

namespace ovrix::demo {

void Maker::finish(const char* type, const std::vector<std::pair<const char*, const char*>>& values) {
    const Node node = document.get("finish");
    document = withStep(document, "finish", node.steps.size(), makeStep(type, node));
    set("finish/" + document.get("finish").steps.back().id, values);
}

std::string Maker::add(const std::string& type, const std::string& name) {
    Node n = makeNode(document, type, name);
    document.put(n);
    return n.id;
}

std::string Maker::mesh(const std::string& name, const MeshPtr& mesh, const std::string& material,
                        bool stands) {
    const std::string id = add("mesh_file", name);
    writePlyMesh(folder / (id + ".ply"), *mesh);
    set(id + "/file", id + ".ply");
    set(id + "/material", material);
    if (!stands) set(id + "/shown", "false"), set(id + "/rendered", "false");
    return id;
}

std::string Maker::material(const std::string& name, const Color& low, const Color& high,
                            std::vector<FieldSource> sources, double roughness) {
    const std::string id = add("surface", name);
    Param base;
    base.value = high;
    base.low = low;
    auto field = std::make_shared<Field>();
    field->sources = std::move(sources);
    base.field = field;
    document = withParam(document, {id, "", "base_color"}, base);
    document = withValue(document, {id, "", "specular_roughness"}, roughness);
    return id;
}

std::string Maker::layer(const std::string& name, const std::string& surface, PrototypeMix prototypes,
                         int64_t count, int64_t seed, Range size, double favourSmall,
                         std::vector<FieldSource> mask, double upright, double lift) {
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
    if (!field->sources.empty()) document = withField(document, {id, "scatter", "mask"}, field);
    return id;
}

std::string Maker::recipe(const std::string& name, const std::string& surface, const std::string& material,
                          const std::vector<const char*>& steps) {
    Node layer = makeNode(document, "layer", name);
    layer.params["surface"].value = surface;
    layer.params["material"].value = material;
    document.put(layer);
    for (const char* step : steps)  // with the parts that it comes with
        document = withStep(document, layer.id, SIZE_MAX, makeStep(step, document.get(layer.id)));
    return layer.id;
}

void Maker::drive(const std::string& path, std::vector<FieldSource> sources, const Value& low,
                  const Value& high) {
    Param p;
    p.value = high, p.low = low;
    p.field = std::make_shared<Field>(Field{std::move(sources)});
    document = withParam(document, ParamPath::parse(document, path), p);
}

FieldSource noise(double size, int64_t seed, double contrast, int64_t octaves) {
    FieldSource s = makeSource("noise");
    s.params["size"].value = size;
    s.params["seed"].value = seed;
    s.params["contrast"].value = contrast;
    s.params["octaves"].value = octaves;
    return s;
}

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

FieldSource blended(FieldSource s, Blend blend, double strength) {
    s.blend = blend;
    s.strength.value = strength;
    return s;
}

FieldSource inverted(FieldSource s) {
    s.invert = true;
    return s;
}

FieldSource shelter(double reach, int64_t rays) {
    FieldSource s = makeSource("occlusion");
    s.params["reach"].value = reach;
    s.params["rays"].value = rays;
    s.remap.points = {{0.04f, 0}, {0.45f, 1}, {1, 1}};
    return s;
}

FieldSource awayFrom(const Refs& things, Range between) {
    FieldSource s = makeSource("distance");
    s.params["to"].value = things;
    s.params["range"].value = between;
    return s;
}

}  // namespace ovrix::demo
