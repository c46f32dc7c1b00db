#include "clouds.h"

#include "document/file/scene_file.h"
#include "pup.h"
#include "shapes.h"
#include "stage.h"

namespace ovrix::demo {

namespace {

/// Matter that light comes through green: thin at the lip and where the shell peels away.
std::string ghostMatter(Stage& m) {
    const std::string id = m.add("cloud", "Ghost");
    m.set(id, {{"density", "130"},
               {"base_color", "0.93,0.97,0.9"},
               {"tint", "0.16,0.62,0.3"},
               {"tint_depth", "0.022"},
               {"scatter", "lobes"},
               {"forward", "0.55"},
               {"back", "-0.25"},
               {"back_weight", "0.35"},
               {"milk", "0.55"}});
    return id;
}

/// A whelk as five million points, in the shallows at the end of the day: green where light comes through it,
/// and its skin comes off in flakes.
Document tideGhost(const std::filesystem::path& folder) {
    Stage m(folder);
    m.look("0.30,0.19,0.98", "0.0,0.145,0", "50", "4");
    m.set("sun", {{"azimuth", "158"}, {"elevation", "9"}, {"strength", "6"}});
    m.set("camera/exposure", "0.1");
    m.sand(6, 0.05);
    m.sea(0.012);
    m.strew(0.34, 220, 2600);
    const std::string whelk = m.mesh("Whelk", snailShell(), "", true);
    m.set(whelk, {{"position", "0,0.02,0"},
                  {"rotation", "0,28,0"},
                  {"scale", "13,13,13"},
                  {"shown", "false"},
                  {"rendered", "false"}});
    const std::string lamp = m.add("ball", "Lamp under water");
    m.set(lamp,
          {{"position", "-0.11,0.03,-0.05"}, {"color", "0.35,1,0.62"}, {"power", "1.6"}, {"radius", "0.02"}});
    m.set(lamp + "/seen", "false");
    const std::string ghost = m.recipe("Tide ghost", "", ghostMatter(m), {"fill_volume", "move_by"});
    m.document = withValue(m.document, {ghost, "fill_volume", "of"}, Refs{whelk});
    m.set(ghost, {{"fill_volume/spacing", "0.00088"},
                  {"fill_volume/view_spacing", "0.004"},
                  {"fill_volume/depth", "true"}});
    // The skin comes off in flakes, from above and behind.
    FieldSource flakes = noise(0.07, 17, 3.0, 3);
    m.set(ghost + "/move_by", {{"channel", "N"}});
    m.drive(ghost + "/move_by/amount", {flakes, blended(heightBand(0.06, 0.4, 0.1), Blend::Multiply)}, 0.0,
            0.07);
    return m.document;
}

/// A wave has broken on a stone: two million droplets, each seen, and blurred on its way.
Document spray(const std::filesystem::path& folder) {
    Stage m(folder);
    m.look("0.5,0.22,1.75", "0.05,0.34,0", "40", "5.6");
    m.set("sun", {{"azimuth", "166"}, {"elevation", "12"}});
    m.set("camera/exposure", "-0.1");
    m.sand(6, 0.06);
    m.sea(0.04);
    m.strew(0.45, 200, 2000);
    const std::string rock = m.mesh("Wave stone", stone(3), m.stoneLook, true);
    m.set(rock, {{"scale", "7,6,7"}, {"position", "0.1,0.05,0"}});
    const std::string front = m.add("plane", "Wave front");
    m.set(front, {{"size", "0.4"},
                  {"position", "-0.2,0.09,0.1"},
                  {"rotation", "0,0,-22"},
                  {"shown", "false"},
                  {"rendered", "false"}});
    const std::string mist = m.add("cloud", "Mist");
    m.set(mist, {{"density", "4"},
                 {"base_color", "0.97,0.98,1"},
                 {"scatter", "lobes"},
                 {"forward", "0.8"},
                 {"back", "-0.2"},
                 {"back_weight", "0.15"},
                 {"milk", "0.3"}});
    const std::string drops = m.recipe("Spray", "", mist, {"ring", "simulate"});
    m.set(drops + "/ring/at", front);
    m.set(drops, {{"ring/count", "60"}, {"ring/outer", "0.24"}, {"ring/inner", "0.02"}});
    m.set(drops + "/emit", {{"rate", "0"},
                            {"burst", "2000000"},
                            {"burst_at", "2"},
                            {"speed", "0.4..2.9"},
                            {"cone", "26"},
                            {"random", "0.3"},
                            {"jitter", "0.01"},
                            {"life", "1.2..2.4"}});
    for (const char* type : {"drag", "turbulence", "collide"}) m.part(drops, type);
    m.set(drops + "/drag", {{"strength", "0.5"}, {"square", "0.3"}});
    m.set(drops + "/turbulence", {{"strength", "11"}, {"scale", "0.12"}});
    m.set(drops + "/collide", {{"with", rock.c_str()}, {"bounce", "0.2"}, {"friction", "0.2"}});
    m.document = withValue(m.document, {drops, "", "view_most"}, int64_t(100000));
    m.set("render", {{"shutter", "0.5"}, {"shutter_steps", "3"}});
    m.set("scene", {{"first", "1"}, {"last", "24"}});
    return m.document;
}

/// The pup's coat as eight million points, root to tip.
Document furOfPoints(const std::filesystem::path& folder) {
    Stage m(folder);
    m.set("sun", {{"azimuth", "-88"}, {"elevation", "12"}});
    m.sand(6, 0.03);
    m.sea(-0.001);
    m.strew(0.5, 110, 2200, {0.3, 1.4});
    m.look("0.72,0.16,0.74", "0.04,0.1,0", "60", "5.6");
    const std::string skin = m.plain("Pup skin", Color(0.05f, 0.045f, 0.04f), 0.6);
    const std::string body = m.mesh("Pup of points", pup(), skin, true);
    m.set(body + "/position", "0,0.03,0");
    const std::string look = m.add("cloud", "Coat of points");
    m.set(look, {{"density", "260"},
                 {"scatter", "fibre"},
                 {"shine", "0.8"},
                 {"roughness", "0.35"},
                 {"milk", "0.72"}});
    FieldSource along = makeSource("along_strand");
    m.drive(look + "/base_color", {along}, Color(0.5f, 0.42f, 0.33f), Color(0.86f, 0.83f, 0.78f));
    const std::string coat =
        m.recipe("Fur of points", body, look, {"scatter", "grow", "clump", "points_along"});
    m.set(coat + "/scatter", {{"count", "64000"}});
    m.set(coat + "/grow",
          {{"length", "0.02..0.03"}, {"segments", "10"}, {"lean", "50"}, {"toward", "-1,-0.25,0"}});
    m.set(coat + "/clump", {{"size", "0.007"}});
    m.set(coat + "/points_along", {{"amount", "count"}, {"count", "125"}});
    m.document = withValue(m.document, {coat, "", "view_share"}, 0.02);
    return m.document;
}

}  // namespace

std::vector<std::filesystem::path> writeClouds(const std::filesystem::path& folder) {
    std::vector<std::filesystem::path> written;
    const std::pair<const char*, Document (*)(const std::filesystem::path&)> scenes[] = {
        {"tide_ghost", tideGhost}, {"spray", spray}, {"fur_of_points", furOfPoints}};
    for (const auto& [name, make] : scenes) {
        Document document = make(folder);
        for (const auto& [path, text] : {std::pair{"width", "1280"}, {"height", "720"}, {"samples", "32"}})
            document = withText(document, std::string("render/") + path, text);
        written.push_back(folder / (std::string(name) + ".ovrix"));
        saveScene(document, written.back());
    }
    return written;
}

}  // namespace ovrix::demo
