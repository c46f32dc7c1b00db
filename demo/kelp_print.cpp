#include "kelp_print.h"

#include "document/file/scene_file.h"
#include "maker.h"
#include "shapes.h"

namespace ovrix::demo {

namespace {

/// Fronds that rise from the sheet's foot and drift apart, their inks by frond.
void addFronds(Maker& m, const std::string& paper) {
    const std::string ink = m.add("line_art", "Kelp ink");
    m.set(ink, {{"shading", "flat"},
                {"contours", "true"},
                {"contour_elements", "true"},
                {"contour_color", "0.9,0.86,0.77"},
                {"contour_unit", "picture"}});
    m.drive(ink + "/light_color", {perElement(5)}, Color(0.012f, 0.05f, 0.06f), Color(0.10f, 0.25f, 0.20f));
    Param inked = paramAt(m.document, {ink, "", "light_color"});
    inked.ramp = std::make_shared<Ramp>(Ramp{.stops = {{0.45f, Color(0.02f, 0.10f, 0.12f)},
                                                       {0.8f, Color(0.05f, 0.17f, 0.16f)},
                                                       {0.93f, Color(0.55f, 0.21f, 0.06f)}},
                                             .kind = Ramp::Kind::Steps,
                                             .perceptual = true});
    m.document = withParam(m.document, {ink, "", "light_color"}, inked);
    FieldSource along = makeSource("along_strand");
    m.drive(ink + "/contour_width", {inverted(along)}, 1.0, 4.0);
    const std::string layer =
        m.recipe("Fronds", paper, ink, {"scatter", "trace", "smooth_strands", "strand_width"});
    m.set(layer, {{"scatter/count", "3000"},
                  {"scatter/seed", "4"},
                  {"trace/steps", "64"},
                  {"trace/length", "0.009..0.022"},
                  {"trace/size", "0.42"},
                  {"trace/octaves", "2"},
                  {"trace/normal", "0"},
                  {"trace/bias", "0,1.1,0"},
                  {"trace/hug", "0"},
                  {"trace/seed", "11"},
                  {"strand_width/root", "17"},
                  {"strand_width/tip", "1"},
                  {"strand_width/variation", "0.7"}});
    m.set(layer + "/strand_width/along",
          R"({"points": [[0, 0.3], [0.3, 1], [0.75, 0.7], [1, 0]], "smooth": true})");
    const FieldSource low = heightBand(-0.9, -0.55, 0.05);
    m.document =
        withField(m.document, {layer, "scatter", "mask"},
                  std::make_shared<Field>(Field{{blended(low, Blend::Replace), noise(0.16, 3, 2.6, 2)}}));
}

void addShells(Maker& m) {
    const std::string shell = m.add("line_art", "Shell ink");
    m.set(shell, {{"shading", "steps"},
                  {"steps", "3"},
                  {"edge", "0.22"},
                  {"softness", "0.03"},
                  {"light_color", "0.84,0.72,0.5"},
                  {"shadow_color", "0.24,0.1,0.06"},
                  {"highlight", "1"},
                  {"highlight_size", "12"},
                  {"highlight_stretch", "2.2"},
                  {"highlight_turn", "24"},
                  {"highlight_up", "0.5"},
                  {"highlight_colored", "lighter"},
                  {"contour_width", "3.2"},
                  {"contour_color", "0.03,0.03,0.035"},
                  {"contour_crease", "38"},
                  {"contour_jump", "0.012"}});
    const std::string snail = m.mesh("Snail shell", snailShell(), shell, true);
    m.set(snail, {{"position", "0.42,-0.27,0.6"}, {"rotation", "62,-30,18"}, {"scale", "8,8,8"}});
    const std::string tent = m.mesh("Limpet", limpet(), shell, true);
    m.set(tent, {{"position", "0.26,-0.36,0.58"}, {"rotation", "58,12,-8"}, {"scale", "6,6,6"}});
}

}  // namespace

std::filesystem::path writeKelpPrint(const std::filesystem::path& folder) {
    Maker m;
    m.folder = folder;
    const std::string sheet = m.add("line_art", "Paper");
    m.set(sheet, {{"shading", "flat"}, {"contours", "false"}});
    m.drive(sheet + "/light_color", {noise(0.02, 3, 1.0, 5)}, Color(0.86f, 0.82f, 0.73f),
            Color(0.91f, 0.87f, 0.79f));
    const std::string paper = m.add("plane", "Paper");
    m.set(paper, {{"size", "8"}, {"rotation", "90,0,0"}, {"position", "0,0,-0.8"}});
    m.set(paper + "/material", sheet);
    const std::string bed = m.add("plane", "Bed");  // fronds root here, well before the paper
    m.set(bed, {{"size", "2.6"},
                {"divisions", "8"},
                {"rotation", "90,0,0"},
                {"shown", "false"},
                {"rendered", "false"}});
    addFronds(m, bed);
    addShells(m);
    m.set("sun", {{"elevation", "38"}, {"azimuth", "-32"}, {"strength", "5"}, {"angle", "0.5"}});
    m.set("sky/exposure", "-2");
    m.set("camera", {{"position", "0,0,2.6"}, {"target", "0,-0.02,0"}, {"focal", "60"}, {"exposure", "0"}});
    m.set("scene/draft", "1");
    m.set("render", {{"width", "1280"}, {"height", "1000"}, {"samples", "32"}});
    m.set("finish", {{"response", "plain"}});
    const auto path = folder / "kelp_print.ovrix";
    saveScene(m.document, path);
    return path;
}

}  // namespace ovrix::demo
