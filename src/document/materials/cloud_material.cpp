#include "document/materials/cloud_material.h"

#include "document/lights/common.h"
#include "document/model/document.h"
#include "params/param_table.h"
#include "render/light/black_body.h"
#include "render/scene/render_scene.h"

namespace ovrix::document {

using namespace specs;
using render::CloudMaterial;

namespace {

constexpr const char *kScattersEven = "even", *kScattersLobes = "lobes", *kScattersFace = "surface",
                     *kScattersStrand = "strand", *kScattersFibre = "fibre";
constexpr const char *kSplatNearest = "nearest", *kSplatBilinear = "bilinear", *kSplatRound = "round",
                     *kSplatVoxels = "voxels";
constexpr const char* kCloudGlow = "emission_luminance";

const struct CloudParams : ParamTable {
    Handle<Varying> density = add(drivable(
        number(kCloudDensity, "Density", 10, "1/m", 0, 1e9, 0, 100,
               "What a metre of it takes of what is seen through it: at 1 a third is left, at 10 nothing. It "
               "is of the matter, so that more points make it finer and not thicker")));
    Handle<bool> parted =
        add(flag(kCloudParted, "Light apart", false,
                 "Whether it is as thick to light as to the eye, or has a number for each"));
    Handle<Varying> lightDensity =
        add(shownIf(drivable(number("light_density", "To light", 1, "", 0, 1000, 0, 2,
                                    "How thick it is to light, by how thick it is to the eye")),
                    "parted=true"));
    Handle<VaryingColor> base = add(color("base_color", "Colour", Color(0.8f), true,
                                          "What each meeting leaves of light; white loses none"));
    Handle<bool> ownColors =
        add(flag("own_colors", "Points' own", true, "Colours that points carry come before all"));
    Handle<Color> tint = add(color("tint", "Tint", Color(1.0f), false,
                                   "Colour that light has after the depth, beside what density takes of it"));
    Handle<double> tintDepth = add(number(kCloudTintDepth, "Tint depth", 0.1, "m", 1e-6, 1e6, 0.001, 1,
                                          "Metres after which light has the tint, where it is densest"));
    Handle<std::string> scatter =
        add(choice("scatter", "Scatters", kScattersEven,
                   {kScattersEven, kScattersLobes, kScattersFace, kScattersStrand, kScattersFibre},
                   "To everywhere alike, forward and back, as faces with the points' normals do, or as "
                   "strands along their tangents: strand is a draft of fibre"));
    Handle<Varying> forward =
        add(shownIf(drivable(number("forward", "Forward", 0.6, "", -0.99, 0.99, -0.9, 0.9,
                                    "How far light keeps its way: 0 to everywhere alike, 0.9 straight on")),
                    "scatter=lobes"));
    Handle<Varying> back = add(shownIf(
        drivable(number("back", "Second", -0.3, "", -0.99, 0.99, -0.9, 0.9, "The same of the second lobe")),
        "scatter=lobes"));
    Handle<Varying> backWeight = add(
        shownIf(drivable(unitNumber("back_weight", "Of second", 0, "Fraction of light in the second lobe")),
                "scatter=lobes"));
    Handle<Varying> shine =
        add(shownIf(drivable(unitNumber("shine", "Shine", 0.5, "Strength of the highlight")),
                    "scatter=surface|strand|fibre"));
    Handle<Varying> roughness =
        add(shownIf(drivable(unitNumber("roughness", "Roughness", 0.4, "Width of the highlight")),
                    "scatter=surface|strand|fibre"));
    Handle<double> milk =
        add(unitNumber("milk", "Milkiness", 0,
                       "Light that goes on after it was scattered, by guess: mist, wax and milk have "
                       "much, smoke little"));
    Handle<std::string> splat = add(
        choice("splat", "Drawn", kSplatNearest, {kSplatNearest, kSplatBilinear, kSplatRound, kSplatVoxels},
               "Each point in one pixel, shared by four, or as a ball of its radius; or all as voxels, in "
               "which light is scattered as often as it is"));
    Handle<double> voxel =
        add(shownIf(number("voxel", "Voxel", 0.02, "m", 1e-6, 1e5, 0.002, 0.2,
                           "Size of a cell: smaller ones are sharper and take more memory"),
                    "splat=voxels"));
    Handle<int64_t> smoothing = add(shownIf(whole("voxel_smoothing", "Smoothing", 0, 0, 32, 0, 4,
                                                  "Rounds of evening cells out with their neighbours"),
                                            "splat=voxels"));
    Handle<Varying> radius =
        add(shownIf(drivable(number("radius", "Radius", 0.005, "m", 0, 1e4, 0.0005, 0.05, "Of the balls")),
                    "splat=round"));
    Handle<Varying> luminance = add(
        drivable(number(kCloudGlow, "Emission", 0, "nits", 0, 1e12, 0, 5000,
                        "Light of its own, as of a part that nothing is seen through: beside light that it "
                        "scatters, which is in the same unit")));
    Handle<VaryingColor> emission =
        add(detailOf(kCloudGlow, "Colour",
                     color("emission_color", "Emission colour", Color(1.0f), true, "Of its own light")));
    Handle<double> emissionExposure =
        add(detailOf(kCloudGlow, "Exposure",
                     number("emission_exposure", "Emission exposure", 0, "EV", -30, 30, -6, 6,
                            "Each step doubles its own light")));
    Handle<std::string> group = add(detailOf(kCloudGlow, "Light group", lightGroupSpec("emission_group")));
} kCloud;

CloudMaterial::Scatter scatterOf(const std::string& name) {
    return name == kScattersLobes    ? CloudMaterial::Scatter::Lobes
           : name == kScattersFace   ? CloudMaterial::Scatter::Surface
           : name == kScattersStrand ? CloudMaterial::Scatter::Strand
           : name == kScattersFibre  ? CloudMaterial::Scatter::Fibre
                                     : CloudMaterial::Scatter::Even;
}

SurfaceMaterial cloudMaterial(const MaterialInput& in) {
    constexpr float kHairRefraction = 1.55f, kHairShift = 2.5f;  // of hair
    const ResolvedParams& p = in.params;
    auto c = std::make_shared<CloudMaterial>();
    c->density = p[kCloud.density];
    if (p[kCloud.parted]) c->lightDensity = p[kCloud.lightDensity];
    c->tint = V3f(p[kCloud.tint]);
    c->tintDepth = float(p[kCloud.tintDepth]);
    c->scatter = scatterOf(p[kCloud.scatter]);
    c->forward = p[kCloud.forward], c->back = p[kCloud.back], c->backWeight = p[kCloud.backWeight];
    c->shine = p[kCloud.shine], c->roughness = p[kCloud.roughness];
    if (c->scatter == CloudMaterial::Scatter::Strand || c->scatter == CloudMaterial::Scatter::Fibre)
        c->fibre = in.fibreShape(kHairRefraction, radians(kHairShift));
    c->milk = float(p[kCloud.milk]);
    const std::string& splat = p[kCloud.splat];
    c->splat = splat == kSplatBilinear ? CloudMaterial::Splat::Bilinear
               : splat == kSplatRound  ? CloudMaterial::Splat::Round
               : splat == kSplatVoxels ? CloudMaterial::Splat::Voxels
                                       : CloudMaterial::Splat::Nearest;
    c->radius = p[kCloud.radius];
    c->voxel = float(p[kCloud.voxel]), c->smoothing = int(p[kCloud.smoothing]);
    c->ownColors = p[kCloud.ownColors];
    SurfaceMaterial m;
    m.base = p[kCloud.base];
    m.specularWeight.high = 0.0f;
    m.roughness.high = 1.0f;
    m.emission = p[kCloud.emission];
    m.luminance = p[kCloud.luminance];
    m.perNit = float(std::exp2(p[kCloud.emissionExposure])) / kLumensPerWatt;
    if (m.luminance.field || m.luminance.high > 0.0f) m.group = in.group(p[kCloud.group]);
    m.cloud = std::move(c);
    return m;
}

}  // namespace

static double largerOf(const Document& document, const Node& material, const Handle<Varying>& handle,
                       double frame) {
    const double high = document.value(material.id, handle, frame);
    const auto it = material.params.find(handle.id());
    if (it == material.params.end() || !it->second.field) return high;
    const auto* low = std::get_if<double>(&it->second.low);
    return low ? std::max(*low, high) : high;
}

CloudThickness cloudThickness(const Document& document, const Node& material, double frame) {
    const Color tint = document.value(material.id, kCloud.tint, frame);
    const auto density = material.params.find(kCloud.density.id());
    const bool parted = document.value(material.id, kCloud.parted, frame);
    return {.density = largerOf(document, material, kCloud.density, frame),
            .driven = density != material.params.end() && density->second.field,
            .toLight = parted ? largerOf(document, material, kCloud.lightDensity, frame) : 1.0,
            .tints = std::min({tint.x, tint.y, tint.z}) < 0.999f,
            .tintDepth = document.value(material.id, kCloud.tintDepth, frame)};
}

NodeType cloudMaterialType() {
    return {.id = "cloud",
            .title = "Cloud material",
            .category = Category::Material,
            .help = "Points that light passes through: dust, smoke, mist, wax, apparitions",
            .params = kCloud.specs(),
            .material = cloudMaterial,
            .color = [](const Document& document,
                        const Node& node) { return document.value(node.id, kCloud.base); },
            .shines =
                [](const Document& document, const Node& node, double frame) {
                    const Color e = document.value(node.id, kCloud.emission, frame);
                    return document.value(node.id, kCloud.luminance, frame) > 0 &&
                           (e.x > 0 || e.y > 0 || e.z > 0);
                },
            .forPoints = true};
}

}  // namespace ovrix::document
