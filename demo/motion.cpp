#include "motion.h"

#include <iostream>

#include "document/file/scene_file.h"
#include "eval/bake.h"
#include "pup.h"
#include "shapes.h"
#include "stage.h"

namespace ovrix::demo {

namespace {

/// Drifting specks that draw threads of light behind them.
Document plankton(const std::filesystem::path& folder) {
    Stage m(folder);
    m.submerge("5", "0.3,0.62,1");
    m.set("sun/strength", "0.05"), m.set("sky/exposure", "-5.5");
    m.set("camera/exposure", "0.6");
    m.look("0.15,0.2,1.5", "0,0.36,0", "32", "2.8");
    m.sand(8, 0.1);
    m.strew(0.25, 300, 4000);
    const std::string cloud = m.add("sphere", "Water");
    m.set(cloud, {{"radius", "0.75"},
                  {"position", "0,0.5,0"},
                  {"scale", "1.5,0.7,1"},
                  {"shown", "false"},
                  {"rendered", "false"}});
    const std::string glow = m.plain("Glow", Color(0.1f, 0.3f, 0.3f), 0.6, Color(0.03f, 0.42f, 0.5f));
    m.set(glow + "/emission_luminance", "540");
    const std::string thread = m.plain("Thread light", Color(0.02f), 0.6, Color(0.02f, 0.2f, 0.42f));
    m.set(thread + "/emission_luminance", "200");
    const std::string speck = m.add("sphere", "Speck");
    m.set(speck, {{"radius", "0.004"},
                  {"segments", "8"},
                  {"material", glow.c_str()},
                  {"shown", "false"},
                  {"rendered", "false"}});
    const std::string drift = m.recipe("Plankton", cloud, "", {"inside", "simulate", "copies_of"});
    m.set(drift, {{"inside/count", "900"}});
    m.without(drift, "emit"), m.without(drift, "gravity");
    m.part(drift, "turbulence");
    m.set(drift + "/turbulence",
          {{"mode", "flow"}, {"strength", "0.25"}, {"scale", "0.5"}, {"speed", "0.12"}, {"response", "2"}});
    m.document = withValue(m.document, {drift, "copies_of", "prototypes"}, PrototypeMix{{speck, 1.0}});
    const std::string trails = m.recipe("Trails", cloud, thread, {"inside", "simulate", "trails"});
    m.set(trails, {{"inside/count", "900"}});
    m.without(trails, "emit"), m.without(trails, "gravity");
    m.part(trails, "turbulence");
    m.set(trails + "/turbulence",
          {{"mode", "flow"}, {"strength", "0.25"}, {"scale", "0.5"}, {"speed", "0.12"}, {"response", "2"}});
    m.set(trails + "/trails", {{"length", "0.8"}, {"pieces", "18"}, {"width", "1.5"}});
    m.set("scene/preroll", "24");
    return m.document;
}

/// A wave breaks on a stone: bursts of drops that shrink as they fly.
Document splash(const std::filesystem::path& folder) {
    Stage m(folder);
    m.look("0.35,0.2,1.9", "0.02,0.36,0", "40", "5.6");
    m.set("sun", {{"azimuth", "152"}, {"elevation", "10"}});
    m.sand(6, 0.06);
    m.sea(0.04);
    m.set("camera/exposure", "0.1");
    m.strew(0.45, 260, 2500);
    const std::string rock = m.mesh("Wave stone", stone(3), m.stoneLook, true);
    m.set(rock, {{"scale", "7,6,7"}, {"position", "0.1,0.05,0"}});
    const std::string water = m.clear("Drops", Color(0.8f, 0.92f, 0.95f), 0.05, 1.33, 0.0);
    const std::string drop = m.add("sphere", "Drop");
    m.set(drop, {{"radius", "0.006"},
                 {"segments", "12"},
                 {"material", water.c_str()},
                 {"shown", "false"},
                 {"rendered", "false"}});
    const std::string front = m.add("plane", "Wave front");
    m.set(front, {{"size", "0.4"},
                  {"position", "-0.25,0.09,0.1"},
                  {"rotation", "0,0,-22"},
                  {"shown", "false"},
                  {"rendered", "false"}});
    const std::string spray = m.recipe("Spray", "", "", {"ring", "simulate", "copies_of"});
    m.set(spray + "/ring/at", front);
    m.set(spray, {{"ring/count", "400"}, {"ring/outer", "0.22"}, {"ring/inner", "0.05"}});
    m.set(spray + "/emit", {{"rate", "0"},
                            {"burst", "2600"},
                            {"burst_at", "8"},
                            {"speed", "1.6..3.4"},
                            {"cone", "38"},
                            {"random", "0.35"},
                            {"jitter", "0.05"},
                            {"size", "0.35..1.5"},
                            {"life", "0.8..1.7"}});
    m.part(spray, "emit");
    m.set(spray + "/emit_2", {{"rate", "0"},
                              {"burst", "1800"},
                              {"burst_at", "30"},
                              {"speed", "1.2..2.6"},
                              {"cone", "50"},
                              {"random", "0.3"},
                              {"jitter", "0.05"},
                              {"size", "0.3..1.2"},
                              {"life", "0.8..1.6"},
                              {"seed", "7"}});
    for (const char* type : {"drag", "turbulence", "collide", "floor", "size_over_life"}) m.part(spray, type);
    m.set(spray + "/drag", {{"strength", "0.25"}, {"square", "0.12"}});
    m.set(spray + "/turbulence", {{"strength", "3"}, {"scale", "0.35"}});
    m.set(spray + "/collide", {{"with", rock.c_str()}, {"bounce", "0.2"}, {"friction", "0.2"}});
    m.set(spray + "/floor", {{"height", "0.0"}, {"then", "end"}});
    m.document = withValue(m.document, {spray, "size_over_life", "curve"},
                           Curve{{{0, 0.6f}, {0.1f, 1}, {0.7f, 0.7f}, {1, 0}}, true});
    m.document = withValue(m.document, {spray, "copies_of", "prototypes"}, PrototypeMix{{drop, 1.0}});
    return m.document;
}

/// Seeds of the mangrove, loosed in a sweep: they fly point first and stand in the mud where they land.
Document darts(const std::filesystem::path& folder) {
    Stage m(folder);
    m.look("1.25,0.34,2.1", "0.35,0.42,0", "36", "5.6");
    m.sand(8, 0.08);
    m.sea(0.012);
    m.strew(1.3, 160, 3000);
    const std::string green = m.plain("Seed", Color(0.07f, 0.11f, 0.025f), 0.35);
    const std::string branch = m.add("torus", "Branch");
    m.set(branch,
          {{"radius", "0.9"}, {"tube", "0.02"}, {"position", "-1.2,1.15,-0.4"}, {"rotation", "0,0,12"}});
    m.set(branch + "/material", m.plain("Bark", Color(0.09f, 0.06f, 0.04f), 0.8));
    const std::string dart = m.add("blade", "Dart");
    m.set(dart, {{"height", "0.16"},
                 {"width", "0.016"},
                 {"bend", "0"},
                 {"curl", "0"},
                 {"twist", "0"},
                 {"fold", "1"},
                 {"blades", "3"},
                 {"spread", "0"},
                 {"material", green.c_str()},
                 {"shown", "false"},
                 {"rendered", "false"}});
    m.document = withValue(m.document, {dart, "", "profile"},
                           Curve{{{0, 0.35f}, {0.3f, 1}, {0.8f, 0.6f}, {1, 0.02f}}, true});
    const std::string volley = m.recipe("Darts", branch, "", {"scatter", "simulate", "copies_of"});
    m.set(volley + "/scatter", {{"count", "220"}});
    m.set(volley + "/emit", {{"rate", "130"},
                             {"until", "44"},
                             {"from", "2"},
                             {"most", "220"},
                             {"order", "direction"},
                             {"order_axis", "0,0,1"},
                             {"speed", "0.1..0.4"},
                             {"axis", "2.6,1.1,0.35"},
                             {"random", "0.35"},
                             {"forever", "true"},
                             {"size", "0.75..1.2"},
                             {"cone", "25"}});
    for (const char* type : {"drag", "facing", "collide"}) m.part(volley, type);
    m.set(volley + "/drag/strength", "0.15");
    m.set(volley + "/facing/damping", "0.03");
    m.set(volley + "/collide", {{"with", "sand"}, {"then", "stick"}, {"ahead", "0.13"}});
    m.document = withValue(m.document, {volley, "copies_of", "prototypes"}, PrototypeMix{{dart, 1.0}});
    return m.document;
}

/// Silverside fish after a lure, round the glass float.
Document silversides(const std::filesystem::path& folder) {
    Stage m(folder);
    m.look("0.3,0.42,2.7", "0,0.56,0", "36", "4");
    m.submerge("26", "0.1,0.36,0.46");
    m.sand(14, 0.25);
    m.strew(0.4, 700, 6000, {0.6, 3.5});
    const std::string silver = m.plain("Scales", Color(0.62f, 0.66f, 0.68f), 0.22);
    m.set(silver + "/base_metalness", "0.7");
    const std::string silverside = m.mesh("Silverside", fish(1), silver, false);
    m.set(silverside, {{"scale", "0.075,0.075,0.075"}, {"shown", "false"}, {"rendered", "false"}});
    const std::string pool = m.add("sphere", "Pool");
    m.set(pool, {{"radius", "1"},
                 {"scale", "1.7,0.55,1.1"},
                 {"position", "0,0.6,0"},
                 {"shown", "false"},
                 {"rendered", "false"}});
    const std::string floating = m.add("sphere", "Glass float");
    m.set(floating,
          {{"radius", "0.2"}, {"position", "0.05,0.62,0"}, {"wander", "true"}, {"wander_move", "0.03"}});
    m.set(floating + "/material", m.clear("Float glass", Color(0.25f, 0.62f, 0.5f), 0.06, 1.5, 0.04));
    const std::string lure = m.add("sphere", "Lure");
    m.set(lure, {{"radius", "0.018"}});
    m.set(lure + "/material", m.plain("Lure", Color(0.8f, 0.25f, 0.08f), 0.3));
    m.keys(lure + "/position", keyed({{1, V3d(-1.1, 0.55, 0.3)},
                                      {24, V3d(-0.1, 0.75, -0.55)},
                                      {48, V3d(1.15, 0.5, 0.1)},
                                      {72, V3d(0.1, 0.6, 0.7)}}));
    const std::string school = m.recipe("School", pool, "", {"inside", "simulate", "copies_of"});
    m.set(school + "/inside/count", "320");
    m.without(school, "emit"), m.without(school, "gravity");
    for (const char* type : {"flock", "chase", "avoid", "roam", "steer", "facing"}) m.part(school, type);
    m.set(school + "/flock",
          {{"apart", "6"}, {"alike", "2.5"}, {"together", "1.2"}, {"distance", "0.09"}, {"sight", "0.5"}});
    m.set(school + "/chase", {{"target", lure.c_str()}, {"strength", "1.2"}, {"speed", "0.9"}});
    m.document = withValue(m.document, {school, "avoid", "objects"}, Refs{floating});
    m.set(school + "/avoid", {{"distance", "0.22"}, {"strength", "14"}});
    m.set(school + "/roam", {{"inside", pool.c_str()}, {"strength", "0.5"}});
    m.set(school + "/steer", {{"speed", "0.25..1.3"}, {"turn_rate", "260"}, {"climb", "35"}});
    m.set(school + "/facing", {{"mode", "ahead, upright"}, {"damping", "0.06"}});
    m.document = withValue(m.document, {school, "copies_of", "prototypes"}, PrototypeMix{{silverside, 1.0}});
    m.set("scene/preroll", "36");
    return m.document;
}

/// Sandhoppers that sit still until a crab comes by.
Document sandhoppers(const std::filesystem::path& folder) {
    Stage m(folder);
    m.look("0.45,0.2,1.25", "0,0.06,0.1", "40", "5.6");
    m.sand(6, 0.03);
    m.sea(-0.003);
    m.strew(0.9, 110, 1800, {0.3, 1.2});
    const std::string pale = m.plain("Sandhopper", Color(0.42f, 0.33f, 0.22f), 0.4);
    const std::string hopper = m.add("sphere", "Sandhopper");
    m.set(hopper, {{"radius", "0.011"},
                   {"segments", "12"},
                   {"scale", "0.55,0.6,1.2"},
                   {"material", pale.c_str()},
                   {"shown", "false"},
                   {"rendered", "false"}});
    const std::string crab =
        m.mesh("Beach crab", demo::crab(), m.plain("Crab shell", Color(0.3f, 0.07f, 0.03f), 0.3), true);
    m.keys(crab + "/position",
           keyed({{1, V3d(-1.0, 0.004, 0.1)}, {36, V3d(0, 0.004, 0.3)}, {72, V3d(1.0, 0.004, 0.2)}}));
    m.set(crab, {{"wander", "true"}, {"wander_move", "0.004"}, {"wander_turn", "6"}});
    const std::string hoppers = m.recipe("Sandhoppers", "sand", "", {"scatter", "simulate", "copies_of"});
    m.set(hoppers + "/scatter", {{"count", "2600"}});
    m.without(hoppers, "emit");
    m.set(hoppers + "/simulate/waiting", "true");
    for (const char* type : {"collide", "collide", "rule", "turbulence", "facing", "rule"})
        m.part(hoppers, type);
    m.set(hoppers + "/collide", {{"with", crab.c_str()}, {"then", "wake"}, {"reach", "0.26"}});
    m.set(hoppers + "/collide_2",
          {{"with", "sand"}, {"bounce", "0.72"}, {"friction", "0.05"}, {"thickness", "0.008"}});
    // Whoever is awake is thrown up as long as it is low.
    m.set(hoppers + "/rule",
          {{"when", "past an age"}, {"age", "0.02"}, {"does", "changes group"}, {"to", "1"}});
    m.set(hoppers + "/turbulence", {{"strength", "26"}, {"scale", "0.12"}, {"speed", "1.5"}, {"group", "1"}});
    m.set(hoppers + "/facing", {{"mode", "ahead, upright"}, {"damping", "0.05"}});
    m.set(hoppers + "/rule_2",
          {{"when", "past an age"}, {"age", "1.4"}, {"does", "changes group"}, {"to", "2"}});
    m.document = withValue(m.document, {hoppers, "copies_of", "prototypes"}, PrototypeMix{{hopper, 1.0}});
    return m.document;
}

/// An anemone in the surge; its tentacles make way for a fish.
Document surge(const std::filesystem::path& folder) {
    Stage m(folder);
    m.look("0.13,0.085,0.36", "0,0.05,0", "46", "4");
    m.submerge("7", "0.08,0.34,0.44");
    m.sand(5, 0.03);
    m.strew(0.07, 3000, 40000, {0.15, 0.9});
    const std::string skin = m.plain("Anemone", Color(0.45f, 0.07f, 0.11f), 0.25);
    m.set(skin + "/translucency", "0.25");
    const std::string foot = m.add("sphere", "Anemone foot");
    m.set(
        foot,
        {{"radius", "0.032"}, {"scale", "1,0.85,1"}, {"position", "0,0.012,0"}, {"material", skin.c_str()}});
    const std::string tentacles = m.recipe(
        "Tentacles", foot, skin, {"spread", "grow", "simulate_strands", "strand_width", "strand_color"});
    m.set(tentacles + "/spread", {{"distance", "0.0068"}, {"seed", "2"}});
    m.drive(tentacles + "/spread/mask", {slope(0, 75, 8)}, 0.0, 1.0);
    m.set(tentacles + "/grow", {{"length", "0.05..0.07"},
                                {"segments", "14"},
                                {"lean", "8"},
                                {"bend", "18"},
                                {"toward", "0,0,0"},
                                {"scatter", "1"}});
    m.set(tentacles + "/strand_width",
          {{"root", "5"}, {"tip", "1.6"}, {"form", "round"}, {"variation", "0.15"}});
    m.set(tentacles + "/strand_color",
          {{"root", "0.42,0.06,0.10"}, {"tip", "0.9,0.55,0.62"}, {"brightness", "0.12"}, {"clumps", "0"}});
    const std::string sim = "simulate_strands";
    m.set(tentacles + "/" + sim,
          {{"stiff", "0.03"}, {"damping", "3"}, {"air", "2"}, {"shape_memory", "0.04"}});
    m.set(tentacles + "/strand_gravity/strength", "-0.06");  // they are a little lighter than water
    const auto part = [&](const char* type) { m.document = withPart(m.document, tentacles, sim, type); };
    part("strand_wind"), part("strand_turbulence"), part("strand_collide"), part("strand_spacing");
    Param current = keyed({{1, V3d(0.12, 0, 0.03)}, {13, V3d(-0.12, 0.01, -0.02)}, {25, V3d(0.12, 0, 0.03)}});
    current.repeat = KeyRepeat::Cycle;
    m.keys(tentacles + "/strand_wind/velocity", current);
    m.set(tentacles + "/strand_wind", {{"strength", "9"}, {"gusts", "0.2"}, {"gust_width", "0.1"}});
    m.set(tentacles + "/strand_turbulence", {{"strength", "0.5"}, {"scale", "0.05"}, {"speed", "0.5"}});
    m.set(tentacles + "/strand_spacing", {{"thickness", "0.0035"}});
    const std::string goby =
        m.mesh("Goby", fish(1.25f), m.plain("Goby", Color(0.5f, 0.22f, 0.03f), 0.3), true);
    m.set(goby, {{"scale", "0.09,0.09,0.09"}, {"rotation", "0,90,0"}});
    m.keys(goby + "/position",
           keyed({{1, V3d(-0.16, 0.06, 0.02)}, {34, V3d(0.0, 0.055, 0.01)}, {72, V3d(0.17, 0.065, -0.01)}}));
    m.set(tentacles + "/strand_collide",
          {{"with", goby.c_str()}, {"thickness", "0.003"}, {"friction", "0.1"}});
    m.set("scene/preroll", "24");
    return m.document;
}

/// The pup comes out of the water and shakes its coat.
Document shake(const std::filesystem::path& folder) {
    Stage m(folder);
    m.set("sun", {{"azimuth", "-88"}, {"elevation", "10"}});
    m.sand(6, 0.03);
    m.sea(-0.001);
    m.strew(0.5, 110, 2200, {0.3, 1.4});
    const std::string skin = m.plain("Pup skin", Color(0.05f, 0.045f, 0.04f), 0.6);
    const std::string body = m.mesh("Shaking pup", pup(), skin, true);
    m.look("0.82,0.17,0.85", "0.02,0.1,0", "55", "5.6");
    m.keys(body + "/rotation", keyed({{1, V3d(0, 0, 0)},
                                      {8, V3d(0, 0, 0)},
                                      {11, V3d(22, 4, 0)},
                                      {15, V3d(-24, -4, 0)},
                                      {19, V3d(24, 4, 0)},
                                      {23, V3d(-24, -3, 0)},
                                      {27, V3d(20, 3, 0)},
                                      {31, V3d(-14, -2, 0)},
                                      {35, V3d(7, 1, 0)},
                                      {39, V3d(0, 0, 0)}}));
    m.set(body + "/position", "0,0.03,0");
    const std::string look = m.add("fibre", "Coat");
    m.set(look, {{"melanin", "0.16"}, {"roughness", "0.35"}, {"roughness_around", "0.4"}});
    const std::string coat = m.recipe(
        "Coat", body, look, {"scatter", "grow", "simulate_strands", "fill", "clump", "strand_width"});
    m.set(coat + "/scatter", {{"count", "1400"}});
    m.set(coat + "/grow",
          {{"length", "0.03..0.042"}, {"segments", "9"}, {"lean", "38"}, {"toward", "-1,-0.25,0"}});
    m.set(coat + "/simulate_strands",
          {{"stiff", "0.035"}, {"damping", "5"}, {"air", "3"}, {"shape_memory", "0.12"}});
    m.document = withPart(m.document, coat, "simulate_strands", "strand_collide");
    m.set(coat + "/strand_collide", {{"thickness", "0.0015"}});
    m.set(coat + "/fill", {{"count", "60000"}});
    m.set(coat + "/clump", {{"size", "0.012"}});
    m.set(coat + "/strand_width", {{"root", "0.3"}, {"tip", "0.05"}});
    return m.document;
}

}  // namespace

std::vector<std::filesystem::path> writeMotion(const std::filesystem::path& folder) {
    std::filesystem::create_directories(folder);
    std::vector<std::filesystem::path> written;
    const std::pair<const char*, Document (*)(const std::filesystem::path&)> scenes[] = {
        {"plankton", plankton},       {"splash", splash}, {"darts", darts}, {"silversides", silversides},
        {"sandhoppers", sandhoppers}, {"surge", surge},   {"shake", shake}};
    for (const auto& [name, make] : scenes) {
        const std::filesystem::path path = folder / (std::string(name) + ".ovrix");
        const Document document = make(folder);
        saveScene(document, path);
        Evaluator evaluator;
        for (const NodePtr& layer : document.nodes(Category::Layer)) {
            if (!solverIndex(recipeOf(document, *layer)->steps)) continue;
            const BakeResult r =
                bake(evaluator, {document, folder, path}, layer->id, {1, 72, {}}, Progress::none());
            for (const std::string& note : r.notes)
                std::cerr << name << ", " << layer->name << ": " << note << "\n";
        }
        written.push_back(path);
    }
    return written;
}

}  // namespace ovrix::demo
