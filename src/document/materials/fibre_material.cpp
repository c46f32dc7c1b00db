#include "document/materials/fibre_material.h"

#include "document/materials/contour_params.h"
#include "document/model/document.h"
#include "params/param_table.h"
#include "render/scene/render_scene.h"

namespace ovrix::document {

using namespace specs;

namespace {

const struct FibreParams : ParamTable {
    Handle<std::string> coloured =
        add(choice("coloured", "Coloured by", "melanin", {"melanin", "colour", "absorption"},
                   "By the pigments of hair, by the colour that it shall have, or by what it absorbs"));
    Handle<Varying> melanin =
        add(shownIf(drivable(unitNumber("melanin", "Melanin", 0.4, "0 white, 0.2 blond, 0.4 brown, 1 black")),
                    "coloured=melanin"));
    Handle<Varying> redness = add(shownIf(
        drivable(unitNumber("redness", "Redness", 0.1, "Fraction of the red pigment")), "coloured=melanin"));
    Handle<Varying> melaninRange =
        add(shownIf(drivable(unitNumber("melanin_range", "Melanin range", 0,
                                        "How far each strand's own melanin may lie off, to both sides")),
                    "coloured=melanin"));
    Handle<Varying> grey = add(
        shownIf(drivable(unitNumber("grey", "Grey", 0, "Fraction of strands that have lost their pigment")),
                "coloured=melanin"));
    Handle<VaryingColor> base =
        add(shownIf(color("base", "Colour", Color(0.3f, 0.2f, 0.12f), true, "Of many strands in even light"),
                    "coloured=colour"));
    Handle<VaryingColor> absorption =
        add(shownIf(color("absorption", "Absorption", Color(0.4f, 0.7f, 1.2f), true,
                          "For each radius of a strand that light passes"),
                    "coloured=absorption"));
    Handle<bool> ownColors = add(
        flag("own_colors", "Strands' own", true, "Colours that the recipe gave its strands come before all"));
    Handle<Varying> roughness = add(drivable(
        unitNumber("roughness", "Roughness along", 0.3, "Width of the highlights along the strand")));
    Handle<Varying> roughnessAround = add(drivable(
        unitNumber("roughness_around", "Roughness around", 0.3, "How far light is spread around it")));
    Handle<double> shift = add(number("shift", "Shift", 2.5, "deg", -30, 30, -5, 10,
                                      "Tilt of the scales: parts the two highlights"));
    Handle<double> ior =
        add(number("ior", "Refraction", 1.55, "", 1.01, 3, 1.2, 2, "Of the strand; 1.55 is hair"));
    Handle<std::string> model = add(choice("model", "Model", "full", {"full", "draft"},
                                           "Draft is a cheap shine by the angle to the strand alone"));
    Handle<Varying> specular =
        add(drivable(unitNumber("specular", "Shine", 1, "Strength of the highlights")));
    Handle<VaryingColor> innerTint =
        add(color("second_tint", "Second highlight", Color(1.0f), true,
                  "Tint of the highlight that is reflected within, beside the strand's own colour"));
    ContourParams contours{*this, false};
} kFibre;

SurfaceMaterial fibreMaterial(const MaterialInput& in) {
    const ResolvedParams& p = in.params;
    auto f = std::make_shared<FibreMaterial>();
    f->shape = in.fibreShape(float(p[kFibre.ior]), radians(float(p[kFibre.shift])));
    const std::string& by = p[kFibre.coloured];
    f->coloured = by == "colour"       ? FibreMaterial::Coloured::Color
                  : by == "absorption" ? FibreMaterial::Coloured::Absorption
                                       : FibreMaterial::Coloured::Melanin;
    f->melanin = p[kFibre.melanin], f->redness = p[kFibre.redness];
    f->melaninRange = p[kFibre.melaninRange], f->grey = p[kFibre.grey];
    f->innerTint = p[kFibre.innerTint];
    f->absorption = p[kFibre.absorption];
    f->roughness = p[kFibre.roughness], f->roughnessAround = p[kFibre.roughnessAround];
    f->specular = p[kFibre.specular];
    f->ownColors = p[kFibre.ownColors];
    f->draft = p[kFibre.model] == "draft";
    SurfaceMaterial m;
    m.base = p[kFibre.base];
    m.fibre = f;
    m.contours = contoursOf(p, kFibre.contours);
    return m;
}

/// The colour that many strands have in even light, in the middle of their range.
Color evenColor(const Document& document, const Node& node) {
    const auto value = [&](const auto& handle) { return document.value(node.id, handle); };
    const std::string by = value(kFibre.coloured);
    if (by == "colour") return value(kFibre.base);
    const V3f absorption =
        by == "melanin" ? absorptionOfMelanin(float(value(kFibre.melanin)), float(value(kFibre.redness)))
                        : V3f(value(kFibre.absorption));
    return colorOfAbsorption(absorption, float(value(kFibre.roughnessAround)));
}

}  // namespace

/// Melanin by concentration and share of red: the absorption of both kinds is a fit to measured hair, from
/// d'Eon, Francois, Hill, Letteri, Aubry, "An Energy-Conserving Hair Reflectance Model", EGSR 2011,
/// doi:10.1111/j.1467-8659.2011.01976.x.
NodeType fibreMaterialType() {
    return {.id = "fibre",
            .title = "Fibre material",
            .category = Category::Material,
            .help = "Hair, fur and thread: light is reflected, passes through, and is reflected inside",
            .params = kFibre.specs(),
            .material = fibreMaterial,
            .color = evenColor,
            .look = [](const Document& document, const Node& node,
                       double frame) { return lookOf(document, node, frame, kFibre.contours); },
            .forStrands = true};
}

}  // namespace ovrix::document
