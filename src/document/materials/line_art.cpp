#include "document/materials/line_art.h"

#include "document/materials/contour_params.h"
#include "document/model/document.h"
#include "params/param_table.h"
#include "render/scene/render_scene.h"

namespace ovrix::document {

using namespace specs;

namespace {

constexpr const char *kFlat = "flat", *kSteps = "steps", *kSmooth = "smooth";
constexpr const char *kTint = "tint", *kLighter = "lighter";
constexpr const char *kHighlight = "highlight", *kRim = "rim";

const struct LineArtParams : ParamTable {
    Handle<std::string> shading =
        add(choice("shading", "Shading", kSteps, {kFlat, kSteps, kSmooth},
                   "One colour, steps, or a passage from the shadow's colour to the light's"));
    Handle<VaryingColor> light = add(color("light_color", "Lit", Color(0.75f, 0.7f, 0.6f), true,
                                           "Where light arrives; the field Arriving light with a ramp gives "
                                           "any passage"));
    Handle<VaryingColor> shadow = add(shownIf(
        color("shadow_color", "Shadow", Color(0.32f, 0.3f, 0.36f), true, "Where little light arrives"),
        "shading!=flat"));
    Handle<int64_t> steps = add(
        shownIf(whole("steps", "Steps", 2, 2, 16, 2, 5, "Colours from shadow to light"), "shading=steps"));
    Handle<double> edge =
        add(shownIf(unitNumber("edge", "Shadow edge", 0.25,
                               "Light at which the shadow ends: 1 makes chalk white in this exposure"),
                    "shading=steps"));
    Handle<double> softness = add(shownIf(
        unitNumber("softness", "Softness", 0.02, "Width of the passages between steps"), "shading=steps"));
    Handle<Varying> highlight = add(drivable(
        unitNumber(kHighlight, "Highlight", 0, "Of the form that is drawn about a light's mirror image")));
    Handle<std::string> highlightLight = add(detailOf(
        kHighlight, "Light", ref("highlight_light", "Highlight's light", "light", "Whose; none for each")));
    Handle<double> size = add(detailOf(kHighlight, "Size",
                                       number("highlight_size", "Highlight size", 14, "deg", 0.01, 90, 1, 45,
                                              "From its middle to its edge, as the mirror image turns")));
    Handle<Varying> form = add(detailOf(
        kHighlight, "Form",
        drivable(number("highlight_form", "Highlight form", 1, "", 0, 1, 0, 1,
                        "A field, as an image that is laid by UVs: what is over a half in its square is "
                        "the form. None is a disc"))));
    Handle<double> stretch = add(detailOf(kHighlight, "Stretch",
                                          number("highlight_stretch", "Highlight stretch", 1, "", 0.01, 100,
                                                 0.1, 10, "Its width by its height")));
    Handle<double> turn = add(detailOf(
        kHighlight, "Rotation",
        number("highlight_turn", "Highlight rotation", 0, "deg", -1e4, 1e4, -180, 180, "Of the form")));
    Handle<double> highlightSoftness = add(detailOf(
        kHighlight, "Softness", unitNumber("highlight_softness", "Highlight softness", 0.05, "Of its edge")));
    Handle<double> right = add(detailOf(kHighlight, "Right",
                                        number("highlight_right", "Highlight right", 0, "", -100, 100, -2, 2,
                                               "How far it is moved aside, in sizes")));
    Handle<double> up = add(detailOf(
        kHighlight, "Up",
        number("highlight_up", "Highlight up", 0, "", -100, 100, -2, 2, "How far it is moved up, in sizes")));
    Handle<std::string> highlightColored =
        add(detailOf(kHighlight, "Colour by",
                     choice("highlight_colored", "Highlight is", kTint, {kTint, kLighter},
                            "Of a tint, or the shading's own colour, lighter")));
    Handle<VaryingColor> tint = add(detailOf(
        kHighlight, "Tint", color("highlight_tint", "Highlight tint", Color(1.0f), true, "Its colour")));
    Handle<Varying> rim =
        add(drivable(unitNumber(kRim, "Rim", 0, "Colour where it turns away from the eye")));
    Handle<double> rimWidth =
        add(detailOf(kRim, "Width", unitNumber("rim_width", "Rim width", 0.3, "How far in it reaches")));
    Handle<double> rimSoftness =
        add(detailOf(kRim, "Softness", unitNumber("rim_softness", "Rim softness", 0.05, "Of its edge")));
    Handle<VaryingColor> rimColor =
        add(detailOf(kRim, "Colour", color("rim_color", "Rim colour", Color(1.0f), true, "Of the rim")));
    Handle<Varying> opacity =
        add(drivable(unitNumber("geometry_opacity", "Opacity", 1, "Cut out where it is under half")));
    ContourParams contours{*this, true};
} kLineArt;

LineArt::Highlight highlightOf(const MaterialInput& in) {
    const ResolvedParams& p = in.params;
    LineArt::Highlight h;
    h.weight = p[kLineArt.highlight];
    h.light = in.number(p[kLineArt.highlightLight]);
    h.size = radians(float(p[kLineArt.size]));
    h.stretch = float(p[kLineArt.stretch]);
    h.turn = radians(float(p[kLineArt.turn]));
    h.softness = float(p[kLineArt.highlightSoftness]);
    h.offset = V2f(float(p[kLineArt.right]), float(p[kLineArt.up]));
    h.form = p[kLineArt.form];
    h.lightens = p[kLineArt.highlightColored] == kLighter;
    h.tint = p[kLineArt.tint];
    return h;
}

SurfaceMaterial lineArt(const MaterialInput& in) {
    const ResolvedParams& p = in.params;
    auto art = std::make_shared<LineArt>();
    const std::string& shading = p[kLineArt.shading];
    art->shading = shading == kFlat     ? LineArt::Shading::Flat
                   : shading == kSmooth ? LineArt::Shading::Smooth
                                        : LineArt::Shading::Steps;
    art->steps = int(p[kLineArt.steps]);
    art->edge = float(p[kLineArt.edge]), art->softness = float(p[kLineArt.softness]);
    art->shadow = p[kLineArt.shadow];
    art->highlight = highlightOf(in);
    art->rim = {p[kLineArt.rim], float(p[kLineArt.rimWidth]), float(p[kLineArt.rimSoftness]),
                p[kLineArt.rimColor]};
    SurfaceMaterial m;
    m.base = p[kLineArt.light];
    m.opacity = p[kLineArt.opacity];
    m.specularWeight.high = 0.0f;
    m.roughness.high = 1.0f;
    m.drawn = std::move(art);
    m.contours = contoursOf(p, kLineArt.contours);
    return m;
}

}  // namespace

NodeType lineArtType() {
    return {
        .id = "line_art",
        .title = "Line art",
        .category = Category::Material,
        .help = "Flat, stepped or smooth shades of the light that arrives, a highlight of any form, contours",
        .params = kLineArt.specs(),
        .material = lineArt,
        .color = [](const Document& document,
                    const Node& node) { return document.value(node.id, kLineArt.light); },
        .look =
            [](const Document& document, const Node& node, double frame) {
                DrawnLook look = lookOf(document, node, frame, kLineArt.contours);
                look.drawn = true;
                look.lit = document.value(node.id, kLineArt.light, frame);
                if (document.value(node.id, kLineArt.shading, frame) != kFlat) {
                    look.edge = std::max(1e-3f, float(document.value(node.id, kLineArt.edge, frame)));
                    look.shadow = document.value(node.id, kLineArt.shadow, frame);
                }
                return look;
            },
        .problem =
            [](const ResolvedParams& p) {
                return std::string(p[kLineArt.opacity].high < 0.5f
                                       ? "cuts all out that wears it: its opacity is under 0.5"
                                       : "");
            }};
}

}  // namespace ovrix::document
