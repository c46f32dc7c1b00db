#include "document/materials/surface_material.h"

#include "document/lights/common.h"
#include "document/materials/contour_params.h"
#include "document/model/document.h"
#include "geo/surface/surface.h"
#include "params/param_table.h"
#include "render/light/black_body.h"
#include "render/scene/render_scene.h"

namespace ovrix::document {

using namespace specs;

namespace {

// Weights of layers, under which their other numbers stand.
constexpr const char *kClear = "transmission_weight", *kCoat = "coat_weight", *kFuzz = "fuzz_weight",
                     *kGlow = "emission_luminance", *kFilm = "thin_film_weight",
                     *kBeneath = "subsurface_weight";

/// Ids are those of the open OpenPBR Surface specification, where it has them, so that values carry over.
const struct SurfaceParams : ParamTable {
    Handle<Varying> baseWeight =
        add(drivable(unitNumber("base_weight", "Base", 1, "Strength of its colour")));
    Handle<VaryingColor> base =
        add(color("base_color", "Base colour", Color(0.5f), true, "Colour of the body, or of the metal"));
    Handle<Varying> metalness =
        add(drivable(unitNumber("base_metalness", "Metalness", 0, "0 stone, wood, skin; 1 metal")));
    Handle<Varying> diffuseRoughness =
        add(drivable(unitNumber("base_diffuse_roughness", "Dustiness", 0,
                                "Flat, as the full moon: 0 for most things, 1 for clay, dust and powder")));
    Handle<Varying> specularWeight = add(drivable(
        number("specular_weight", "Shine", 1, "", 0, 2, 0, 1, "Strength of the shine of what is no metal")));
    Handle<VaryingColor> specularColor = add(color("specular_color", "Shine colour", Color(1.0f), true,
                                                   "Tint of the shine; of a metal, at its rim"));
    Handle<Varying> roughness =
        add(drivable(unitNumber("specular_roughness", "Roughness", 0.5, "0 mirror, 1 matt")));
    Handle<Varying> anisotropy =
        add(drivable(unitNumber("specular_roughness_anisotropy", "Anisotropy", 0,
                                "Stretches the shine across the grain: brushed metal, satin")));
    Handle<Varying> rotation = add(
        detailOf("specular_roughness_anisotropy", "Rotation",
                 drivable(number("specular_rotation", "Anisotropy rotation", 0, "deg", -1e4, 1e4, -180, 180,
                                 "Of the grain, which else runs along the first texture coordinate"))));
    Handle<Varying> ior = add(drivable(number("specular_ior", "IOR", 1.5, "", 1, 4, 1, 2.5,
                                              "Index of refraction: 1.33 water, 1.5 glass, 2.4 diamond")));
    Handle<Varying> transmissionWeight = add(
        drivable(unitNumber(kClear, "Transmission", 0, "How clear what is no metal is: 1 glass and water")));
    Handle<VaryingColor> transmissionColor =
        add(detailOf(kClear, "Colour",
                     color("transmission_color", "Transmission colour", Color(1.0f), true,
                           "Of light that comes through: at the boundary, or after the depth")));
    Handle<Varying> transmissionDepth = add(detailOf(
        kClear, "Depth",
        drivable(number("transmission_depth", "Transmission depth", 0, "m", 0, 1e4, 0, 1,
                        "Way through it after which light has that colour; 0 colours at the boundary"))));
    Handle<VaryingColor> transmissionScatter =
        add(detailOf(kClear, "Scatter",
                     color("transmission_scatter", "Scatter", Color(0.0f), true,
                           "What it clouds, over its depth: murky water, milk glass, jade; black is clear")));
    Handle<Varying> transmissionForward =
        add(detailOf(kClear, "Scatter anisotropy",
                     drivable(number("transmission_scatter_anisotropy", "Scatter anisotropy", 0, "", -1, 1,
                                     -1, 1, "-1 scatters back, 0 everywhere alike, 1 straight on"))));
    Handle<Varying> dispersion =
        add(detailOf(kClear, "Dispersion",
                     drivable(unitNumber("transmission_dispersion_scale", "Dispersion", 0,
                                         "How far it bends colours apart: 1 is what its Abbe number says"))));
    Handle<Varying> abbe = add(detailOf(
        kClear, "Abbe number",
        drivable(number(
            "transmission_dispersion_abbe_number", "Abbe number", 20, "", 9, 91, 9, 91,
            "Low bends colours far apart: 20 to 30 flint glass, 55 diamond and water, 60 crown glass"))));
    Handle<bool> thinWalled = add(detailOf(kClear, "Thin walled",
                                           flag("geometry_thin_walled", "Thin walled", false,
                                                "A pane, a bubble: nothing lies within, no light is bent")));
    Handle<int64_t> priority =
        add(detailOf(kClear, "Priority",
                     whole("nested_priority", "Priority", 0, -100, 100, 0, 5,
                           "Where clear things overlap the highest is there: glass above the water in it")));
    Handle<Varying> coatWeight =
        add(drivable(unitNumber(kCoat, "Coat", 0, "A clear layer over all: varnish, wetness, shell")));
    Handle<VaryingColor> coatColor = add(
        detailOf(kCoat, "Colour",
                 color("coat_color", "Coat colour", Color(1.0f), true, "Tint of what is seen through it")));
    Handle<Varying> coatRoughness = add(detailOf(
        kCoat, "Roughness", drivable(unitNumber("coat_roughness", "Coat roughness", 0, "0 mirror, 1 matt"))));
    Handle<Varying> coatIor = add(detailOf(kCoat, "IOR",
                                           drivable(number("coat_ior", "Coat IOR", 1.6, "", 1, 4, 1, 2.5,
                                                           "Index of refraction: 1.33 water, 1.5 varnish"))));
    Handle<Varying> coatDarkening =
        add(detailOf(kCoat, "Darkening",
                     drivable(unitNumber("coat_darkening", "Coat darkening", 1,
                                         "How much darker all is below it, as wet stone is"))));
    Handle<Varying> fuzzWeight = add(drivable(
        unitNumber(kFuzz, "Fuzz", 0, "Fine fibres that stand up: velvet, dust, the down of a peach")));
    Handle<VaryingColor> fuzzColor = add(detailOf(
        kFuzz, "Colour", color("fuzz_color", "Fuzz colour", Color(1.0f), true, "Colour of the fibres")));
    Handle<Varying> fuzzRoughness = add(detailOf(
        kFuzz, "Roughness",
        drivable(unitNumber("fuzz_roughness", "Fuzz roughness", 0.5, "0 a thin rim, 1 a haze over all"))));
    Handle<Varying> filmWeight = add(drivable(
        unitNumber(kFilm, "Thin film", 0, "Colours of a film: oil, soap, tarnish, the inside of a shell")));
    Handle<Varying> filmThickness =
        add(detailOf(kFilm, "Thickness",
                     drivable(number("thin_film_thickness", "Film thickness", 0.5, "um", 0, 100, 0, 1.5,
                                     "In thousandths of a millimetre; drive it, and colours run"))));
    Handle<Varying> filmIor = add(detailOf(
        kFilm, "IOR",
        drivable(number("thin_film_ior", "Film IOR", 1.4, "", 1, 4, 1, 2.5, "Index of refraction"))));
    Handle<Varying> subsurfaceWeight =
        add(drivable(unitNumber(kBeneath, "Subsurface", 0,
                                "How much light goes on beneath and comes out elsewhere: wax, skin, milk")));
    Handle<VaryingColor> subsurfaceColor =
        add(detailOf(kBeneath, "Colour",
                     color("subsurface_color", "Subsurface colour", Color(0.8f), true,
                           "What a thick piece gives back of the light that enters it")));
    Handle<Varying> subsurfaceRadius = add(detailOf(
        kBeneath, "Radius",
        drivable(number("subsurface_radius", "Subsurface radius", 0.05, "m", 1e-6, 1e4, 0.0005, 0.2,
                        "How far light goes before it is scattered: longer looks softer and smaller"))));
    Handle<VaryingColor> subsurfaceScale =
        add(detailOf(kBeneath, "By colour",
                     color("subsurface_radius_scale", "Radius by colour", Color(1.0f, 0.5f, 0.25f), true,
                           "Of the radius for red, green and blue: red goes furthest in what lives")));
    Handle<Varying> subsurfaceForward =
        add(detailOf(kBeneath, "Anisotropy",
                     drivable(number("subsurface_scatter_anisotropy", "Scatter anisotropy", 0, "", -1, 1, -1,
                                     1, "-1 scatters back, 0 everywhere alike, 1 straight on"))));
    Handle<Varying> translucency = add(
        drivable(unitNumber("translucency", "Translucency", 0,
                            "Fraction of the light that shines through, for thin things such as leaves")));
    Handle<Varying> opacity =
        add(drivable(unitNumber("geometry_opacity", "Opacity", 1,
                                "Cut out where it is under half; an image's alpha cuts leaves from a card")));
    Handle<Varying> bump = add(drivable(number(
        "geometry_bump", "Relief", 0, "m", -10, 10, -0.02, 0.02,
        "How far a field raises it: by light alone, which leaves the outline as it is, or displaced")));
    Handle<bool> displaced =
        add(detailOf("geometry_bump", "Displaced",
                     flag("relief_displaced", "Relief displaced", false,
                          "The render moves the surface itself, outline and shadows too; what stands on it "
                          "stays where it is, and the view shows it flat")));
    Handle<double> detail = add(shownIf(
        detailOf("geometry_bump", "Detail",
                 number("relief_detail", "Relief detail", 0.02, "m", 1e-5, 1e4, 0.001, 0.2,
                        "Longest edge of the faces that it is cut into: shorter shows more, and takes "
                        "memory")),
        "relief_displaced=true"));
    Handle<VaryingColor> normalMap =
        add(color("geometry_normal", "Normal map", Color(0.5f, 0.5f, 1.0f), true,
                  "An image of directions along the texture's axes, in the colour space Raw"));
    Handle<Varying> normalStrength =
        add(drivable(number("normal_strength", "Map depth", 1, "", -10, 10, 0, 2,
                            "How far the normal map bends; below 0 hollows are hills")));
    Handle<bool> catcher =
        add(flag("shadow_catcher", "Catcher", false,
                 "A shadow catcher: the camera sees the shadows on it alone, over what lies behind"));
    Handle<Varying> luminance =
        add(drivable(number(kGlow, "Emission", 0, "nits", 0, 1e12, 0, 5000,
                            "Light of its own: 300 a screen, 5000 a candle's flame, 1000 a clear sky")));
    Handle<VaryingColor> emission = add(detailOf(
        kGlow, "Colour", color("emission_color", "Emission colour", Color(1.0f), true, "Of its own light")));
    Handle<double> emissionExposure =
        add(detailOf(kGlow, "Exposure",
                     number("emission_exposure", "Emission exposure", 0, "EV", -30, 30, -6, 6,
                            "Each step doubles its own light")));
    Handle<std::string> group = add(detailOf(kGlow, "Light group", lightGroupSpec("emission_group")));
    Handle<std::string> over =
        add(ref("over", "Over it", "material",
                "Another material that lies on this one, where its coverage is above 0"));
    Handle<Varying> overWeight =
        add(shownIf(drivable(unitNumber("over_weight", "Coverage", 1,
                                        "How much the other covers: drive it by a field, and sand lies on "
                                        "rock, brass on the edges of glass")),
                    "over!="));
    ContourParams contours{*this, false};
} kSurface;

SurfaceMaterial surfaceMaterial(const MaterialInput& in) {
    const ResolvedParams& p = in.params;
    SurfaceMaterial m;
    m.base = p[kSurface.base];
    m.baseWeight = p[kSurface.baseWeight];
    m.metalness = p[kSurface.metalness];
    m.diffuseRoughness = p[kSurface.diffuseRoughness];
    m.specularWeight = p[kSurface.specularWeight];
    m.specularColor = p[kSurface.specularColor];
    m.roughness = p[kSurface.roughness];
    m.anisotropy = p[kSurface.anisotropy];
    m.rotation = p[kSurface.rotation];
    m.ior = p[kSurface.ior];
    m.transmissionWeight = p[kSurface.transmissionWeight];
    m.transmissionColor = p[kSurface.transmissionColor];
    m.transmissionDepth = p[kSurface.transmissionDepth];
    m.transmissionScatter = p[kSurface.transmissionScatter];
    m.transmissionForward = p[kSurface.transmissionForward];
    m.thinWalled = p[kSurface.thinWalled];
    m.priority = int(p[kSurface.priority]);
    m.coatWeight = p[kSurface.coatWeight];
    m.coatColor = p[kSurface.coatColor];
    m.coatRoughness = p[kSurface.coatRoughness];
    m.coatIor = p[kSurface.coatIor];
    m.coatDarkening = p[kSurface.coatDarkening];
    m.fuzzWeight = p[kSurface.fuzzWeight];
    m.fuzzColor = p[kSurface.fuzzColor];
    m.fuzzRoughness = p[kSurface.fuzzRoughness];
    m.translucency = p[kSurface.translucency];
    m.dispersion = p[kSurface.dispersion];
    m.abbe = p[kSurface.abbe];
    m.filmWeight = p[kSurface.filmWeight];
    m.filmThickness = p[kSurface.filmThickness];
    m.filmIor = p[kSurface.filmIor];
    m.subsurfaceWeight = p[kSurface.subsurfaceWeight];
    m.subsurfaceColor = p[kSurface.subsurfaceColor];
    m.subsurfaceRadius = p[kSurface.subsurfaceRadius];
    m.subsurfaceScale = p[kSurface.subsurfaceScale];
    m.subsurfaceForward = p[kSurface.subsurfaceForward];
    m.opacity = p[kSurface.opacity];
    m.catcher = p[kSurface.catcher];
    m.bump = p[kSurface.bump];
    m.displaced = p[kSurface.displaced];
    m.detail = float(p[kSurface.detail]);
    m.normalMap = p[kSurface.normalMap];
    m.normalStrength = p[kSurface.normalStrength];
    m.emission = p[kSurface.emission];
    m.luminance = p[kSurface.luminance];
    m.perNit = float(std::exp2(p[kSurface.emissionExposure])) / kLumensPerWatt;
    m.contours = contoursOf(p, kSurface.contours);
    if (const std::string& over = p[kSurface.over]; !over.empty()) {
        m.over = in.other(over);
        m.overWeight = p[kSurface.overWeight];
    }
    // What glows by itself has its own group, else that of what lies over it.
    if (m.luminance.field || m.luminance.high > 0.0f)
        m.group = in.group(p[kSurface.group]);
    else if (m.over)
        m.group = m.over->group;
    return m;
}

/// What it is like in the middle of its range; of clear matter the colour of what comes through, dimmed.
Color baseColor(const Document& document, const Node& node) {
    constexpr float kDimmed = 0.35f;
    if (document.value(node.id, kSurface.transmissionWeight) > 0.5)
        return Color(V3f(document.value(node.id, kSurface.transmissionColor)) * kDimmed);
    const Param base = paramOr(*findSpec(specsOf(node), kSurface.base.id()), node.params);
    const Color c = std::get<Color>(base.value);
    const auto* low = base.field ? std::get_if<Color>(&base.low) : nullptr;
    return low ? Color((V3f(c) * 2.0f + V3f(*low)) / 3.0f) : c;
}

bool shines(const Document& document, const Node& node, double frame) {
    const Color e = document.value(node.id, kSurface.emission, frame);
    return document.value(node.id, kSurface.luminance, frame) > 0 && (e.x > 0 || e.y > 0 || e.z > 0);
}

double displaces(const Document& document, const Node& node, double frame) {
    if (!document.value(node.id, kSurface.displaced, frame)) return 0.0;
    const Param bump = paramOr(*findSpec(specsOf(node), kSurface.bump.id()), node.params);
    const auto* low = bump.field ? std::get_if<double>(&bump.low) : nullptr;
    const double high = document.value(node.id, kSurface.bump, frame);
    return std::max(std::abs(high), low ? std::abs(*low) : 0.0);
}

}  // namespace

NodeType surfaceMaterialType() {
    return {.id = "surface",
            .title = "Surface material",
            .category = Category::Material,
            .help = "A body or metal under a shine, a coat and fuzz",
            .params = kSurface.specs(),
            .material = surfaceMaterial,
            .color = baseColor,
            .look = [](const Document& document, const Node& node,
                       double frame) { return lookOf(document, node, frame, kSurface.contours); },
            .shines = shines,
            .displaces = displaces,
            .problem =
                [](const ResolvedParams& p) {
                    return std::string(p[kSurface.opacity].high < 0.5f
                                           ? "cuts all out that wears it: its opacity is under 0.5"
                                           : "");
                }};
}

}  // namespace ovrix::document
