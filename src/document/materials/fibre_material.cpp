#include "document/materials/fibre_material.h"

#include "document/model/document.h"
#include "params/specs.h"
#include "render/scene/render_scene.h"

namespace ovrix::document {

using namespace specs;

namespace {

SurfaceMaterial fibreMaterial(const MaterialInput& in) {
    const ResolvedParams& p = in.params;
    auto f = std::make_shared<FibreMaterial>();
    f->shape = in.fibreShape(float(p.number("ior")), radians(float(p.number("shift"))));
    const std::string& by = p.text("coloured");
    f->coloured = by == "colour"       ? FibreMaterial::Coloured::Color
                  : by == "absorption" ? FibreMaterial::Coloured::Absorption
                                       : FibreMaterial::Coloured::Melanin;
    f->melanin = p.varying("melanin"), f->redness = p.varying("redness");
    f->absorption = p.varyingColor("absorption");
    f->roughness = p.varying("roughness"), f->roughnessAround = p.varying("roughness_around");
    f->specular = p.varying("specular");
    f->ownColors = p.flag("own_colors");
    f->draft = p.text("model") == "draft";
    SurfaceMaterial m;
    m.base = p.varyingColor("base");
    m.fibre = f;
    return m;
}

/// The colour that many strands have in even light, in the middle of their range.
Color evenColor(const Document& document, const Node& node) {
    const auto value = [&](const char* p) { return document.value(node.id, p); };
    const auto number = [&](const char* p) { return float(std::get<double>(value(p))); };
    const std::string by = std::get<std::string>(value("coloured"));
    if (by == "colour") return std::get<Color>(value("base"));
    const V3f absorption = by == "melanin" ? absorptionOfMelanin(number("melanin"), number("redness"))
                                           : V3f(std::get<Color>(value("absorption")));
    return colorOfAbsorption(absorption, number("roughness_around"));
}

}  // namespace

/// Melanin by concentration and share of red: the absorption of both kinds is a fit to measured hair, from
/// d'Eon, Francois, Hill, Letteri, Aubry, "An Energy-Conserving Hair Reflectance Model", EGSR 2011,
/// doi:10.1111/j.1467-8659.2011.01976.x.
NodeType fibreMaterialType() {
    return {
        .id = "fibre",
        .title = "Fibre material",
        .category = Category::Material,
        .help = "Hair, fur and thread: light is reflected, passes through, and is reflected inside",
        .params =
            Specs{choice("coloured", "Coloured by", "melanin", {"melanin", "colour", "absorption"},
                         "By the pigments of hair, by the colour that it shall have, or by what it absorbs"),
                  shownIf(drivable(unitNumber("melanin", "Melanin", 0.4,
                                              "0 white, 0.2 blond, 0.4 brown, 1 black")),
                          "coloured=melanin"),
                  shownIf(drivable(unitNumber("redness", "Redness", 0.1, "Share of the red pigment")),
                          "coloured=melanin"),
                  shownIf(color("base", "Colour", Color(0.3f, 0.2f, 0.12f), true,
                                "Of many strands in even light"),
                          "coloured=colour"),
                  shownIf(color("absorption", "Absorption", Color(0.4f, 0.7f, 1.2f), true,
                                "For each radius of a strand that light passes"),
                          "coloured=absorption"),
                  flag("own_colors", "Strands' own", true,
                       "Colours that the recipe gave its strands come before all"),
                  drivable(unitNumber("roughness", "Roughness along", 0.3,
                                      "Width of the highlights along the strand")),
                  drivable(unitNumber("roughness_around", "Roughness around", 0.3,
                                      "How far light is spread around it")),
                  number("shift", "Shift", 2.5, "deg", -30, 30, -5, 10,
                         "Tilt of the scales: parts the two highlights"),
                  number("ior", "Refraction", 1.55, "", 1.01, 3, 1.2, 2, "Of the strand; 1.55 is hair"),
                  choice("model", "Model", "full", {"full", "draft"},
                         "Draft is a cheap shine by the angle to the strand alone"),
                  drivable(unitNumber("specular", "Shine", 1, "Strength of the highlights"))},
        .material = fibreMaterial,
        .color = evenColor};
}

}  // namespace ovrix::document
