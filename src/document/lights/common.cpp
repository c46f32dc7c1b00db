#include "document/lights/common.h"

#include <fmt/format.h>

#include "document/model/document.h"
#include "document/types/common.h"
#include "render/light/black_body.h"

namespace ovrix::document {

using namespace specs;

namespace {

// What power is counted in.
constexpr const char *kEach = "W/m2", *kWatts = "W", *kLumens = "lm", *kNits = "nits";
// Whom it lights.
constexpr const char *kAll = "all", *kAllBut = "all but", *kOnly = "only";

ParamSpec unitSpec() {
    return choice("unit", "Unit", kEach, {kEach, kWatts, kLumens, kNits},
                  "What power is counted in: for each square metre and steradian, in all as watts or lumens "
                  "whatever its size, or by its luminance");
}

ParamSpec temperatureSpec() {
    return number("temperature", "Temperature", 0, "K", 0, 40000, 0, 12000,
                  "Colour by heat: 1900 a candle, 3200 a lamp, 5600 noon; 0 leaves the colour alone");
}

}  // namespace

ParamSpec lightGroupSpec(const std::string& id) {
    return text(
        id, "Light group", "",
        "A name: what lights of that name give is kept apart in the render, to be seen alone and saved "
        "as a pass");
}

EmissionParams::EmissionParams(ParamTable& table)
    : exposure(table.add(exposureSpec())),
      power(table.add(powerSpec())),
      unit(table.add(unitSpec())),
      color(table.add(tintSpec())),
      temperature(table.add(temperatureSpec())) {}

LightUseParams::LightUseParams(ParamTable& table)
    : seen(table.add(flag("seen", "Visible", true, "Whether the light itself is in the picture"))),
      shadows(table.add(flag("shadows", "Shadows", true, "Whether what lies between keeps its light off"))),
      lit(table.add(choice("lit", "Lights", kAll, {kAll, kAllBut, kOnly},
                           "All of the scene, all but what is chosen, or that alone"))),
      linked(table.add(shownIf(refs("linked", "Chosen", "object or layer", "What it spares, or lights alone"),
                               "lit!=all"))),
      group(table.add(lightGroupSpec("group"))) {}

bool mayLight(const Document& document, const Node& light, const std::string& id, double frame) {
    static const struct Declared : ParamTable { LightUseParams use{*this}; } declared;
    if (!findSpec(specsOf(light), declared.use.lit.id())) return true;
    const std::string lit = document.value(light.id, declared.use.lit, frame);
    const Refs linked = document.value(light.id, declared.use.linked, frame);
    const bool chosen = std::find(linked.begin(), linked.end(), id) != linked.end();
    return lit == kAll || chosen == (lit == kOnly);
}

Light used(const LightInput& in, const LightUseParams& params, Light light) {
    const ResolvedParams& p = in.params;
    light.seen = p[params.seen], light.shadows = p[params.shadows];
    light.group = in.group(p[params.group]);
    if (p[params.lit] == kAll) return light;
    light.alone = p[params.lit] == kOnly;
    for (const std::string& id : p[params.linked])
        if (in.document.find(id)) light.linked.push_back(uint32_t(in.document.indexOf(id) + 1));
    return light;
}

V3f radianceOf(const ResolvedParams& values, const EmissionParams& p, float area) {
    V3f light = V3f(values[p.color]) * float(values[p.power] * std::exp2(values[p.exposure]));
    if (values[p.temperature] > 0) light *= V3f(blackBody(float(values[p.temperature])));
    const std::string& unit = values[p.unit];
    if (unit == kLumens || unit == kNits) light /= kLumensPerWatt;
    return unit == kWatts || unit == kLumens ? light / std::max(1e-12f, kPi * area) : light;
}

std::string darkness(const ResolvedParams& values, const Handle<Color>& color) {
    return luminance(values[color]) > 0 ? std::string() : "gives no light: its colour is black";
}

std::string darkness(const ResolvedParams& values, const Handle<double>& strength,
                     const Handle<Color>& color) {
    if (values[strength] <= 0) return fmt::format("gives no light: its {} is 0", strength.id());
    return darkness(values, color);
}

std::string darkness(const ResolvedParams& values, const EmissionParams& p) {
    return darkness(values, p.power, p.color);
}

std::vector<V3f> circle(float radius, const V3f& x, const V3f& y) {
    constexpr int kPieces = 32;
    std::vector<V3f> line;
    for (int k = 0; k <= kPieces; ++k) {
        const float a = 2 * kPi * float(k) / kPieces;
        line.push_back((x * std::cos(a) + y * std::sin(a)) * radius);
    }
    return line;
}

}  // namespace ovrix::document
