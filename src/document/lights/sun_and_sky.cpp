#include "document/lights/sun_and_sky.h"

#include "document/lights/common.h"
#include "document/model/document.h"
#include "document/types/common.h"
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

/// A sun shines through the air of the sky that follows it.
float hazeOver(const LightInput& in) {
    float haze = 1.0f;
    for (const NodePtr& sky : in.document.nodes(Category::Light))
        if (sky->type == "sky" && sky->rendered &&
            std::get<std::string>(in.document.value(sky->id, "sun", in.frame)) == in.node.id)
            haze = float(std::get<double>(in.document.value(sky->id, "haze", in.frame)));
    return haze;
}

Light sunLight(const LightInput& in) {
    const ResolvedParams& p = in.params;
    const float haze = hazeOver(in);
    SunLight s;
    const float elevation = radians(float(p.number("elevation")));
    s.direction = sunDirection(elevation, radians(float(p.number("azimuth"))));
    s.cosAngle = std::cos(radians(float(p.number("angle"))) * 0.5f);
    V3f light = V3f(p.color("color")) * float(p.number("strength") * std::exp2(p.number("exposure")));
    if (p.flag("air")) {  // white when it stands highest
        const V3f now(sunThroughAir(elevation, haze)), best(sunThroughAir(kPi / 2, haze));
        for (int i = 0; i < 3; ++i) light[i] *= best[i] > 0 ? now[i] / best[i] : 0.0f;
    }
    s.radiance = light / (2 * kPi * std::max(1e-9f, 1.0f - s.cosAngle));
    return s;
}

Light skyLight(const LightInput& in) {
    const ResolvedParams& p = in.params;
    const Node* sun = in.document.find(p.text("sun"));
    const bool follows = sun && sun->type == "sun";
    const auto own = [&](const char* id) {
        return float(follows ? std::get<double>(in.document.value(sun->id, id, in.frame)) : p.number(id));
    };
    const float strength = follows ? own("strength") * std::exp2(own("exposure")) : 3.0f;
    const V3f scale = V3f(p.color("color")) * float(std::exp2(p.number("exposure")));
    return DomeLight(in.sky({radians(own("elevation")), radians(own("azimuth")), float(p.number("haze")),
                             p.color("ground")}),
                     scale * strength, 0.0f);
}

}  // namespace

NodeType sunType() {
    return {
        .id = "sun",
        .title = "Sun",
        .category = Category::Light,
        .help = "Parallel light from a far disc",
        .params =
            Specs{elevationSpec(), azimuthSpec(), exposureSpec(),
                  number("strength", "Strength", 3, "W/m2", 0, 1e6, 0, 10, "Light on a face turned to it"),
                  tintSpec(),
                  flag("air", "Atmosphere", true, "Coloured by the air that its light passes: red when low"),
                  number("angle", "Angular size", 0.53, "deg", 0.01, 90, 0.1, 10,
                         "Width of the disc: wider, softer shadows")},
        .light = sunLight,
        .problem = darkness,
        .brief = "elevation"};
}

NodeType skyType() {
    return {.id = "sky",
            .title = "Sky",
            .category = Category::Light,
            .help = "Daylight scattered in air, for the height of the sun",
            .params = Specs{ref("sun", "Sun", "light",
                                "The sun that this sky belongs to; its own angles when none is chosen"),
                            shownIf(elevationSpec(), "sun="), shownIf(azimuthSpec(), "sun="), exposureSpec(),
                            number("haze", "Haze", 1.0, "", 0, 20, 0, 6,
                                   "0 clean mountain air, 1 a clear day, more is mist and dust"),
                            color("ground", "Ground", Color(0.12f, 0.11f, 0.1f), false,
                                  "What the light meets below the horizon"),
                            tintSpec()},
            .light = skyLight,
            .problem = darkness};
}

}  // namespace ovrix::document
