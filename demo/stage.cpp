#include "stage.h"

#include <fmt/format.h>

#include "shapes.h"

namespace ovrix::demo {

Param keyed(const std::vector<std::pair<double, Value>>& keys, KeyEase ease) {
    Param p;
    p.value = keys.front().second;
    for (const auto& [frame, value] : keys) p.keys.push_back({frame, value, ease});
    return p;
}

Stage::Stage(const std::filesystem::path& to) {
    folder = to;
    set("sun", {{"elevation", "9"}, {"azimuth", "-64"}, {"strength", "7"}, {"angle", "1.2"}});
    set("sky", {{"haze", "1.3"}, {"exposure", "1.2"}, {"ground", "0.16,0.13,0.1"}});
    set("surroundings", {{"fog_visibility", "1800"},
                         {"fog_height", "10"},
                         {"fog_color", "0.93,0.95,0.97"},
                         {"fog_forward", "0.7"}});
    set("camera/exposure", "0.6");
    set("render",
        {{"width", "640"}, {"height", "360"}, {"samples", "24"}, {"bounces", "8"}, {"shutter", "0.5"}});
    set("scene", {{"first", "1"}, {"last", "72"}, {"draft", "1"}});
    finish("glow", {{"radius", "9"}, {"strength", "0.1"}});
    finish("vignette", {{"stops", "-0.5"}});
    sandLook =
        material("Wet sand", Color(0.085f, 0.066f, 0.048f), Color(0.34f, 0.27f, 0.19f),
                 {noise(0.5, 4, 1.1, 4), blended(noise(0.004, 3, 2.0, 2), Blend::Multiply, 0.45)}, 0.5);
    drive(sandLook + "/specular_roughness", {noise(0.35, 8, 1.6, 3)}, 0.2, 0.62);
    drive(sandLook + "/geometry_bump", {noise(0.0035, 63, 1.2, 3)}, 0.0, 0.0007);
    stoneLook = material("Stone", Color(0.05f, 0.052f, 0.055f), Color(0.34f, 0.31f, 0.28f),
                         {perElement(13), blended(noise(0.03, 1, 1.2, 4), Blend::Multiply, 0.5)}, 0.42);
    drive(stoneLook + "/geometry_bump", {noise(0.009, 67, 1.4, 4)}, 0.0, 0.0012);
}

void Stage::look(const char* from, const char* to, const char* focal, const char* fstop) {
    set("camera", {{"position", from}, {"target", to}, {"focal", focal}, {"fstop", fstop}});
}

void Stage::sand(double size, double height) {
    const std::string id = add("terrain", "Sand");
    set(id, {{"feature", "0.7"}, {"ridges", "0.15"}});
    set(id + "/height", fmt::format("{}", height));
    set(id + "/size", fmt::format("{}", size));
    set(id + "/material", sandLook);
}

void Stage::sea(double level) {
    const std::string water = clear("Water", Color(0.3f, 0.5f, 0.47f), 0.11, 1.33, 0.03);
    // Swell that light alone shows.
    drive(water + "/geometry_bump", {noise(0.6, 21, 1.2, 3)}, 0.0, 0.006);
    const std::string id = add("ground", "Sea");
    set(id + "/reach", "15000");
    set(id + "/material", water);
    set(id + "/position", fmt::format("0,{},0", level));
}

void Stage::strew(double clearing, int stones, int pebbles, const Range& sizes) {
    const std::string a = mesh("Stone, round", stone(1), stoneLook, false),
                      b = mesh("Stone, long", stone(2), stoneLook, false);
    const std::string shellLook =
        material("Shell", Color(0.09f, 0.045f, 0.03f), Color(0.66f, 0.5f, 0.3f), {perElement(11)}, 0.35);
    set(shellLook + "/coat_weight", "0.6");
    const std::string snail = mesh("Snail shell", snailShell(), shellLook, false);
    FieldSource around = makeSource("formula");
    around.params["formula"].value = fmt::format("min(1, max(0, (sqrt(x*x + z*z) - {0}) / {0}))", clearing);
    const auto patches = [&](int64_t seed) {
        return std::vector<FieldSource>{around, blended(noise(0.5, seed, 2.4, 3), Blend::Multiply)};
    };
    layer("Stones", "sand", {{a, 0.5}, {b, 0.5}}, stones, 37, sizes, 0.5, patches(14), 0.5, -0.008);
    layer("Pebbles", "sand", {{a, 0.45}, {b, 0.45}, {snail, 0.1}}, pebbles, 43, {0.06, 0.3}, 0.5, patches(15),
          0.3, -0.002);
}

void Stage::submerge(const char* visibility, const char* color) {
    set("sun",
        {{"elevation", "64"}, {"azimuth", "-40"}, {"strength", "14"}, {"angle", "3"}, {"air", "false"}});
    set("sun/color", "0.85,0.97,1");
    set("sky", {{"haze", "10"}, {"exposure", "0"}, {"color", "0.6,0.9,1"}, {"ground", "0.02,0.05,0.06"}});
    set("camera/exposure", "0");
    set("surroundings",
        {{"fog_visibility", visibility}, {"fog_height", "2"}, {"fog_color", color}, {"fog_forward", "0.6"}});
}

std::string Stage::clear(const std::string& name, const Color& color, double depth, double ior,
                         double roughness) {
    const std::string id = add("surface", name);
    document = withValue(document, {id, "", "transmission_color"}, color);
    document = withValue(document, {id, "", "transmission_depth"}, depth);
    document = withValue(document, {id, "", "specular_ior"}, ior);
    document = withValue(document, {id, "", "specular_roughness"}, roughness);
    set(id + "/transmission_weight", "1");
    return id;
}

std::string Stage::plain(const std::string& name, const Color& color, double roughness, const Color& glow) {
    const std::string id = add("surface", name);
    document = withValue(document, {id, "", "base_color"}, color);
    document = withValue(document, {id, "", "specular_roughness"}, roughness);
    if (glow != Color(0.0f)) {
        document = withValue(document, {id, "", "emission_color"}, glow);
        document = withValue(document, {id, "", "emission_luminance"}, 179.0);
    }
    return id;
}

void Stage::keys(const std::string& path, const Param& p) {
    const ParamPath at = ParamPath::parse(document, path);
    document = withParam(document, at, p);
}

}  // namespace ovrix::demo
