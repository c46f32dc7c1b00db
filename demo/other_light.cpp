#include "other_light.h"

#include "document/file/scene_file.h"

namespace ovrix::demo {

namespace {

/// Light from all of a white sky, and mist over the sea: nothing throws a shadow with an edge.
void cloudOver(Maker& m) {
    m.set("sun", {{"name", "Sun behind clouds"},
                  {"elevation", "48"},
                  {"azimuth", "-20"},
                  {"strength", "1.6"},
                  {"angle", "60"},
                  {"air", "false"}});
    m.set("sky", {{"name", "Overcast sky"}, {"haze", "16"}, {"exposure", "4.9"}, {"color", "1,0.94,0.84"}});
    m.set("surroundings", {{"fog_visibility", "240"}, {"fog_height", "14"}, {"fog_color", "0.97,0.98,1"}});
    m.set("camera/exposure", "0.2");
}

/// A moon behind the rocks, and plankton that shines where the water is thin.
void turnToNight(Maker& m, const std::string& sand) {
    m.set("sun", {{"name", "Moon"},
                  {"elevation", "26"},
                  {"azimuth", "148"},
                  {"strength", "0.55"},
                  {"color", "0.62,0.76,1"},
                  {"angle", "0.9"},
                  {"air", "false"},
                  {"seen", "false"},
                  {"group", "Moon"}});
    m.set("sky", {{"name", "Night sky"},
                  {"haze", "1"},
                  {"exposure", "-1"},
                  {"color", "0.45,0.62,1"},
                  {"group", "Sky"}});
    m.set("surroundings", {{"fog_visibility", "900"}, {"fog_color", "0.85,0.92,1"}});
    m.set("camera/exposure", "2.6");
    const std::string glow = m.add("surface", "Plankton light");
    m.set(glow, {{"base_weight", "0"},
                 {"specular_weight", "0"},
                 {"emission_luminance", "30000"},
                 {"emission_color", "0.12,0.72,1"},
                 {"emission_group", "Plankton"}});
    const std::string drop = m.add("sphere", "Plankton");
    m.set(drop, {{"radius", "0.0015"}, {"segments", "8"}, {"shown", "false"}, {"rendered", "false"}});
    m.set(drop + "/material", glow);
    // In all of the pool, most where it is shallow; none on the dry sand.
    FieldSource shallow = heightBand(-0.2, -0.008, 0.0);
    shallow.remap.points = {{0.0f, 0.25f}, {0.7f, 0.5f}, {0.9f, 1.0f}, {1.0f, 0.0f}};
    const std::string id = m.layer("Shining plankton", sand, {{drop, 1}}, 60000, 61, {0.25, 1.0}, 0.5,
                                   {blended(shallow, Blend::Replace), noise(0.3, 63, 1.6, 3)}, 0.0, 0.002);
    m.set(id, {{"view_share", "1"}});
}

/// Mist over the pool before the sun has warmed it: matter in cells, which light finds its way through.
void breathe(Maker& m) {
    m.set("sun", {{"elevation", "7"}, {"azimuth", "-128"}, {"strength", "7"}, {"angle", "1.5"}});
    m.set("surroundings", {{"fog_visibility", "400"}, {"fog_color", "0.97,0.98,1"}});
    const std::string air = m.add("sphere", "Air over the pool");
    m.set(air, {{"radius", "1"},
                {"position", "0,0.16,0.25"},
                {"scale", "2.3,0.26,1.9"},
                {"shown", "false"},
                {"rendered", "false"}});
    const std::string look = m.add("cloud", "Breath");
    m.set(look, {{"base_color", "0.98,0.985,0.99"},
                 {"scatter", "lobes"},
                 {"forward", "0.7"},
                 {"splat", "voxels"},
                 {"voxel", "0.03"},
                 {"voxel_smoothing", "2"}});
    m.drive(look + "/density",
            {noise(0.5, 71, 2.6, 4), blended(heightBand(-0.1, 0.28, 0.16), Blend::Multiply)}, 0.0, 1.0);
    const std::string mist = m.recipe("Breath", "", look, {"fill_volume"});
    m.document = withValue(m.document, {mist, "fill_volume", "of"}, Refs{air});
    m.set(mist, {{"fill_volume/spacing", "0.018"}, {"fill_volume/view_spacing", "0.06"}});
}

}  // namespace

void writeOtherLight(const Maker& lowTide, const std::string& sand) {
    Maker clouded = lowTide, night = lowTide, breath = lowTide;
    cloudOver(clouded);
    saveScene(clouded.document, lowTide.folder / "low_tide_overcast.ovrix");
    turnToNight(night, sand);
    saveScene(night.document, lowTide.folder / "low_tide_night.ovrix");
    breathe(breath);
    saveScene(breath.document, lowTide.folder / "low_tide_breath.ovrix");
}

}  // namespace ovrix::demo
