#include "document/materials/surface_material.h"

#include "document/model/document.h"
#include "geo/surface/surface.h"
#include "params/param_table.h"
#include "render/scene/render_scene.h"

namespace ovrix::document {

using namespace specs;

namespace {

const struct SurfaceParams : ParamTable {
    Handle<VaryingColor> base =
        add(color("base", "Base colour", Color(0.5f), true, "Colour of the body, or of the metal"));
    Handle<Varying> roughness =
        add(drivable(number("roughness", "Roughness", 0.5, "", 0, 1, 0, 1, "0 mirror, 1 matt")));
    Handle<Varying> metalness =
        add(drivable(number("metalness", "Metalness", 0, "", 0, 1, 0, 1, "0 stone, wood, skin; 1 metal")));
    Handle<Varying> specular =
        add(drivable(number("specular", "Specular", 0.5, "", 0, 1, 0, 1,
                            "Strength of the shine of what is no metal; 0.5 is glassy")));
    Handle<Varying> translucency = add(
        drivable(unitNumber("translucency", "Translucency", 0,
                            "Fraction of the light that shines through, for thin things such as leaves")));
    Handle<Varying> opacity =
        add(drivable(unitNumber("opacity", "Opacity", 1,
                                "Cut out where it is under half; an image's alpha cuts leaves from a card")));
    Handle<VaryingColor> emission =
        add(color("emission", "Emission", Color(0.0f), true, "Colour of its own light"));
    Handle<Varying> glow =
        add(drivable(number("glow", "Glow", 1, "W/m2", 0, 1e9, 0, 20, "Strength of its own light")));
} kSurface;

SurfaceMaterial surfaceMaterial(const MaterialInput& in) {
    const ResolvedParams& p = in.params;
    SurfaceMaterial m;
    m.base = p[kSurface.base];
    m.emission = p[kSurface.emission];
    m.roughness = p[kSurface.roughness];
    m.metalness = p[kSurface.metalness];
    m.specular = p[kSurface.specular];
    m.glow = p[kSurface.glow];
    m.translucency = p[kSurface.translucency];
    m.opacity = p[kSurface.opacity];
    return m;
}

/// What it is like in the middle of its range.
Color baseColor(const Document&, const Node& node) {
    const Param base = paramOr(*findSpec(specsOf(node), kSurface.base.id()), node.params);
    const Color c = std::get<Color>(base.value);
    const auto* low = base.field ? std::get_if<Color>(&base.low) : nullptr;
    return low ? Color((V3f(c) * 2.0f + V3f(*low)) / 3.0f) : c;
}

bool shines(const Document& document, const Node& node, double frame) {
    const Color e = document.value(node.id, kSurface.emission, frame);
    return e.x > 0 || e.y > 0 || e.z > 0;
}

}  // namespace

NodeType surfaceMaterialType() {
    return {.id = "surface",
            .title = "Surface material",
            .category = Category::Material,
            .help = "Metal or not, from mirror to matt",
            .params = kSurface.specs(),
            .material = surfaceMaterial,
            .color = baseColor,
            .shines = shines,
            .problem = [](const ResolvedParams& p) {
                return std::string(p[kSurface.opacity].high < 0.5f
                                       ? "cuts all out that wears it: its opacity is under 0.5"
                                       : "");
            }};
}

}  // namespace ovrix::document
