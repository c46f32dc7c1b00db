// Steps on pictures that know the scene: fog by distance, light by normals.
#include <algorithm>

#include "base/parallel.h"
#include "render/finish/steps/finish_steps.h"

namespace ovrix::render {

using namespace specs;

namespace {

const struct FogParams : ParamTable {
    Handle<double> visibility = add(number("visibility", "Visibility", 30, "m", 0.01, 1e6, 1, 500,
                                           "How far one sees: a twentieth of what is there comes through"));
    Handle<double> from = add(number("from", "Begins at", 0, "m", 0, 1e6, 0, 100, "Nearer it is clear"));
    Handle<Color> color =
        add(specs::color("color", "Colour", Color(0.62f, 0.7f, 0.78f), false, "Of the fog"));
    Handle<double> brightness =
        add(number("brightness", "Brightness", 0, "EV", -30, 30, -4, 4, "Stops, of the colour"));
    Handle<double> height = add(number("height", "Thins over", 0, "m", 0, 1e6, 0, 100,
                                       "It thins to a third over so many metres up; 0 does not thin"));
    Handle<double> base =
        add(shownIf(number("base", "Base", 0, "m", -1e6, 1e6, -10, 10, "Where it is thickest"), "height!=0"));
    Handle<bool> backdrop =
        add(flag("backdrop", "Over the backdrop", false, "Covers what is behind all, too"));
    PictureMask mask{*this};
} kFog;

const struct RelightParams : ParamTable {
    Handle<double> elevation =
        add(number("elevation", "Elevation", 35, "deg", -90, 90, -90, 90, "How high it stands"));
    Handle<double> azimuth = add(number("azimuth", "Azimuth", 40, "deg", -3600, 3600, -180, 180,
                                        "From where it comes, as the camera sees it: 0 is behind the camera, "
                                        "90 to the right, 180 behind the scene"));
    Handle<Color> color =
        add(specs::color("color", "Colour", Color(1.0f, 0.86f, 0.7f), false, "Of the light"));
    Handle<double> strength = add(number("strength", "Strength", 0.4, "", -100, 100, 0, 2,
                                         "How bright a white thing gets that faces it; below 0 takes light"));
    Handle<double> wrap = add(unitNumber("wrap", "Wrap", 0.1, "How far it reaches around"));
    PictureMask mask{*this};
} kRelight;

void fog(PictureWork& work) {
    const ResolvedParams& p = work.params;
    const std::vector<float> away = work.depth();
    const float height = float(p[kFog.height]), base = float(p[kFog.base]), from = float(p[kFog.from]);
    const std::vector<V3f> places = height > 0 ? work.positions() : std::vector<V3f>();
    const float density = std::log(20.0f) / float(p[kFog.visibility]);
    const V3f color = V3f(p[kFog.color]) * std::exp2(float(p[kFog.brightness]));
    const bool backdrop = p[kFog.backdrop];
    const float eye = work.setting.camera.position.y;
    // The mean of what falls by e over the height, between the eye and the place.
    const auto thinned = [&](float y) {
        const float a = std::max(0.0f, eye - base) / height, b = std::max(0.0f, y - base) / height;
        return std::abs(a - b) < 1e-3f ? std::exp(-0.5f * (a + b)) : (std::exp(-b) - std::exp(-a)) / (a - b);
    };
    parallelFor(work.count(), work.progress, [&](size_t i) {
        if (!(away[i] > 0) && !backdrop) return;
        const float way = away[i] > 0 ? std::max(0.0f, away[i] - from) : 1e6f;
        const float much = density * way * (height > 0 ? thinned(places[i].y) : 1.0f);
        const float through = std::exp(-much);
        work.light[i] = work.light[i] * through + color * (1.0f - through);
    });
}

void relight(PictureWork& work) {
    const ResolvedParams& p = work.params;
    const std::vector<V3f> normal = work.vectors(Pass::Normal), albedo = work.vectors(Pass::Albedo);
    const Camera camera(work.setting.camera,
                        float(work.setting.passes.width()) / float(work.setting.passes.height()));
    const float up = radians(float(p[kRelight.elevation])), round = radians(float(p[kRelight.azimuth]));
    const V3f toLight =
        (camera.forward() * -std::cos(round) + camera.right() * std::sin(round)) * std::cos(up) +
        camera.up() * std::sin(up);
    const V3f light = V3f(p[kRelight.color]) * float(p[kRelight.strength]);
    const float wrap = float(p[kRelight.wrap]);
    parallelFor(work.count(), work.progress, [&](size_t i) {
        const float facing = std::max(0.0f, (normal[i].dot(toLight) + wrap) / (1.0f + wrap));
        if (normal[i] != V3f(0.0f)) work.light[i] += albedo[i] * light * facing;
    });
}

}  // namespace

StepType distanceFogStep() {
    return pictureStep("distance_fog", "Fog by distance",
                       "Haze by the true distances, without rendering again", kFog, fog);
}

StepType relightStep() {
    return pictureStep("relight", "Light by normals",
                       "Light from one more side, by what faces it; it casts no shadows", kRelight, relight);
}

}  // namespace ovrix::render
