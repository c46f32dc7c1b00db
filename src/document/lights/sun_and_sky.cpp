#include "document/lights/sun_and_sky.h"

#include "document/lights/common.h"
#include "document/model/document.h"
#include "document/types/common.h"
#include "params/param_table.h"
#include "render/light/lights.h"
#include "render/light/sky.h"

namespace ovrix::document {

using namespace specs;

namespace {

ParamSpec elevationSpec() {
    return number("elevation", "Elevation", 35, "deg", -90, 90, -5, 90, "Angle of the sun over the horizon");
}

ParamSpec azimuthSpec() {
    return number("azimuth", "Azimuth", 40, "deg", -3600, 3600, -180, 180,
                  "Angle of the sun around, from +Z towards +X");
}

const struct SunParams : ParamTable {
    Handle<double> elevation = add(elevationSpec());
    Handle<double> azimuth = add(azimuthSpec());
    Handle<double> exposure = add(exposureSpec());
    Handle<double> strength =
        add(number("strength", "Strength", 3, "W/m2", 0, 1e6, 0, 10, "Light on a face turned to it"));
    Handle<Color> color = add(tintSpec());
    Handle<bool> air =
        add(flag("air", "Atmosphere", true, "Coloured by the air that its light passes: red when low"));
    Handle<double> angle = add(number("angle", "Angular size", 0.53, "deg", 0.01, 90, 0.1, 10,
                                      "Width of the disc: wider, softer shadows"));
    LightUseParams use{*this};
} kSun;

const struct SkyParams : ParamTable {
    Handle<std::string> sun = add(
        ref("sun", "Sun", "light", "The sun that this sky belongs to; its own angles when none is chosen"));
    Handle<double> elevation = add(shownIf(elevationSpec(), "sun="));
    Handle<double> azimuth = add(shownIf(azimuthSpec(), "sun="));
    Handle<double> exposure = add(exposureSpec());
    Handle<double> haze = add(number("haze", "Haze", 1.0, "", 0, 20, 0, 6,
                                     "0 clean mountain air, 1 a clear day, more is mist and dust"));
    Handle<Color> ground = add(specs::color("ground", "Ground", Color(0.12f, 0.11f, 0.1f), false,
                                            "What the light meets below the horizon"));
    Handle<Color> color = add(tintSpec());
    LightUseParams use{*this};
} kSky;

/// A sun shines through the air of the sky that follows it.
float hazeOver(const LightInput& in) {
    float haze = 1.0f;
    for (const NodePtr& sky : in.document.nodes(Category::Light))
        if (sky->type == "sky" && sky->rendered &&
            in.document.value(sky->id, kSky.sun, in.frame) == in.node.id)
            haze = float(in.document.value(sky->id, kSky.haze, in.frame));
    return haze;
}

Light sunLight(const LightInput& in) {
    const ResolvedParams& p = in.params;
    const float haze = hazeOver(in);
    SunLight s;
    const float elevation = radians(float(p[kSun.elevation]));
    s.direction = sunDirection(elevation, radians(float(p[kSun.azimuth])));
    s.cosAngle = std::cos(radians(float(p[kSun.angle])) * 0.5f);
    V3f light = V3f(p[kSun.color]) * float(p[kSun.strength] * std::exp2(p[kSun.exposure]));
    if (p[kSun.air]) {  // white when it stands highest
        const V3f now(sunThroughAir(elevation, haze)), best(sunThroughAir(kPi / 2, haze));
        for (int i = 0; i < 3; ++i) light[i] *= best[i] > 0 ? now[i] / best[i] : 0.0f;
    }
    s.radiance = light / (2 * kPi * std::max(1e-9f, 1.0f - s.cosAngle));
    return used(in, kSun.use, s);
}

Light skyLight(const LightInput& in) {
    const ResolvedParams& p = in.params;
    const Node* sun = in.document.find(p[kSky.sun]);
    const bool follows = sun && sun->type == "sun";
    const auto ofSun = [&](const Handle<double>& h) {
        return float(in.document.value(sun->id, h, in.frame));
    };
    const float elevation = follows ? ofSun(kSun.elevation) : float(p[kSky.elevation]);
    const float azimuth = follows ? ofSun(kSun.azimuth) : float(p[kSky.azimuth]);
    const float strength = follows ? ofSun(kSun.strength) * std::exp2(ofSun(kSun.exposure)) : 3.0f;
    const V3f scale = V3f(p[kSky.color]) * float(std::exp2(p[kSky.exposure]));
    return used(in, kSky.use,
                DomeLight(in.sky({radians(elevation), radians(azimuth), float(p[kSky.haze]), p[kSky.ground]}),
                          scale * strength, 0.0f));
}

}  // namespace

NodeType sunType() {
    return {.id = "sun",
            .title = "Sun",
            .category = Category::Light,
            .help = "Parallel light from a far disc",
            .params = kSun.specs(),
            .light = sunLight,
            .problem = [](const ResolvedParams& p) { return darkness(p, kSun.strength, kSun.color); },
            .brief = kSun.elevation.id()};
}

NodeType skyType() {
    return {.id = "sky",
            .title = "Sky",
            .category = Category::Light,
            .help = "Daylight scattered in air, for the height of the sun",
            .params = kSky.specs(),
            .light = skyLight,
            .problem = [](const ResolvedParams& p) { return darkness(p, kSky.color); }};
}

}  // namespace ovrix::document
