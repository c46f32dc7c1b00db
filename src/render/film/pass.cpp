#include "render/film/pass.h"

#include <algorithm>

namespace ovrix::render {

namespace {

using enum Gather;
constexpr std::array<PassInfo, kPasses> kTable{{
    {Pass::Direct, "direct", "Direct light", "Light that comes from a lamp to what is seen", "RGB", Mean, "",
     true},
    {Pass::Indirect, "indirect", "Indirect light", "Light that was scattered before it came there", "RGB",
     Mean, "", true},
    {Pass::Alpha, "alpha", "Alpha", "How much of the pixel is covered", "A", Mean, ""},
    {Pass::Albedo, "albedo", "Albedo", "Colour of what is seen, without light", "RGB", Mean, ""},
    {Pass::Normal, "normal", "Normal", "The way that what is seen looks, in the world", "XYZ", Mean, ""},
    {Pass::Depth, "depth", "Depth", "Metres along the line of sight, of one sample: edges stay sharp", "Z",
     First, "", false, true},
    {Pass::DepthMean, "depth_filtered", "Depth, filtered",
     "Metres along the line of sight, the mean over the pixel", "Z", Mean, "depth_filtered", false, true},
    {Pass::DepthFront, "depth_front", "Depth, front",
     "Metres along the line of sight, of the nearest in the pixel", "Z", Least, "depth_front", false, true},
    {Pass::Position, "position", "Position", "Place of what is seen in the world, of one sample", "XYZ",
     First, "position", false, true},
    {Pass::Uv, "uv", "UV", "Texture coordinates of what is seen, of one sample", "UV", First, "uv", false,
     true},
    {Pass::Tangent, "tangent", "Tangent", "The way along strands, in the world", "XYZ", Mean, "fibre"},
    {Pass::Occlusion, "occlusion", "Occlusion",
     "How much of the sky over what is seen is shut off by what stands near: 0 in the open", "Y", Mean,
     "occlusion"},
    {Pass::Motion, "motion", "Motion",
     "Pixels that what is seen moves right and down while the shutter is open, or in a frame where it is "
     "shut",
     "XY", First, "motion", false, true},
    {Pass::Emission, "emission", "Emission", "Light that what is seen gives of its own", "RGB", Mean,
     "emission", true},
    {Pass::FibreReflected, "fibre_reflected", "Fibre, reflected",
     "Light of fibres that is thrown back at their surface", "RGB", Mean, "fibre", true},
    {Pass::FibreThrough, "fibre_through", "Fibre, through", "Light of fibres that goes through them", "RGB",
     Mean, "fibre", true},
    {Pass::FibreInner, "fibre_inner", "Fibre, inner",
     "Light of fibres that is thrown back within: the second highlight", "RGB", Mean, "fibre", true},
    {Pass::FibreRest, "fibre_rest", "Fibre, rest", "Light of fibres that is thrown back more often", "RGB",
     Mean, "fibre", true},
    {Pass::DiffuseDirect, "diffuse_direct", "Diffuse, direct", "What matt bodies give, of light from a lamp",
     "RGB", Mean, "diffuse", true},
    {Pass::DiffuseIndirect, "diffuse_indirect", "Diffuse, indirect",
     "What matt bodies give, of light that was scattered before", "RGB", Mean, "diffuse", true},
    {Pass::FuzzDirect, "fuzz_direct", "Fuzz, direct", "What fuzz gives, of light from a lamp", "RGB", Mean,
     "fuzz", true},
    {Pass::FuzzIndirect, "fuzz_indirect", "Fuzz, indirect",
     "What fuzz gives, of light that was scattered before", "RGB", Mean, "fuzz", true},
    {Pass::SpecularDirect, "specular_direct", "Specular, direct",
     "What shines give, and the outside of what is clear, of light from a lamp", "RGB", Mean, "specular",
     true},
    {Pass::SpecularIndirect, "specular_indirect", "Specular, indirect",
     "What shines give, and the outside of what is clear, of light that was scattered before", "RGB", Mean,
     "specular", true},
    {Pass::CoatDirect, "coat_direct", "Coat, direct", "What coats give, of light from a lamp", "RGB", Mean,
     "coat", true},
    {Pass::CoatIndirect, "coat_indirect", "Coat, indirect",
     "What coats give, of light that was scattered before", "RGB", Mean, "coat", true},
    {Pass::TransmissionDirect, "transmission_direct", "Transmission, direct",
     "What comes through what is clear, of light from a lamp", "RGB", Mean, "transmission", true},
    {Pass::TransmissionIndirect, "transmission_indirect", "Transmission, indirect",
     "What comes through what is clear, of light that was scattered before", "RGB", Mean, "transmission",
     true},
    {Pass::SubsurfaceDirect, "subsurface_direct", "Subsurface, direct",
     "What went on within a body and came out again, of light from a lamp", "RGB", Mean, "subsurface", true},
    {Pass::SubsurfaceIndirect, "subsurface_indirect", "Subsurface, indirect",
     "What went on within a body and came out again, of light that was scattered before", "RGB", Mean,
     "subsurface", true},
    {Pass::VolumeDirect, "volume_direct", "Volume, direct",
     "What fog and clouded matter give, of light from a lamp", "RGB", Mean, "volume", true},
    {Pass::VolumeIndirect, "volume_indirect", "Volume, indirect",
     "What fog and clouded matter give, of light that was scattered before", "RGB", Mean, "volume", true},
    {Pass::Cut, "cut", "Cut light", "Light that the firefly limit took: it is in none of the others", "RGB",
     Mean, "cut", true},
    {Pass::Half, "half", "Half of the light",
     "Light of each second pass alone: it tells how much noise is left", "RGB", Mean, "noise", true},
    {Pass::Object, "object", "Object", "Number of the object that is seen", "I", First, "", false, true,
     true},
    {Pass::Layer, "layer", "Layer", "Number of the layer that is seen", "I", First, "", false, true, true},
    {Pass::Material, "material", "Material", "Number of the material that is seen", "I", First, "material",
     false, true, true},
    {Pass::Element, "element", "Element", "A number of the copy, strand or particle that is seen", "I", First,
     "element", false, true, true},
    {Pass::ObjectCover, "object_cover", "Object, coverage",
     "How much of the pixel each object covers: masks with soft edges", "I", Cover, "object_cover", false,
     true, true},
    {Pass::LayerCover, "layer_cover", "Layer, coverage",
     "How much of the pixel each layer covers: masks with soft edges", "I", Cover, "layer_cover", false, true,
     true},
    {Pass::MaterialCover, "material_cover", "Material, coverage",
     "How much of the pixel each material covers: masks with soft edges", "I", Cover, "material_cover", false,
     true, true},
    {Pass::ElementCover, "element_cover", "Element, coverage",
     "How much of the pixel each copy, strand and particle covers: masks with soft edges", "I", Cover,
     "element_cover", false, true, true},
}};

}  // namespace

std::span<const PassInfo> passTable() { return kTable; }

const PassInfo* findPass(std::string_view id) {
    for (const PassInfo& info : passTable())
        if (id == info.id) return &info;
    return nullptr;
}

std::vector<std::string> passChoices() {
    std::vector<std::string> out;
    for (const PassInfo& info : passTable())
        if (*info.choice && std::find(out.begin(), out.end(), info.choice) == out.end())
            out.emplace_back(info.choice);
    return out;
}

std::vector<Pass> passesChosen(std::span<const std::string> choices) {
    std::vector<Pass> out;
    for (const PassInfo& info : passTable())
        if (*info.choice && std::find(choices.begin(), choices.end(), info.choice) != choices.end())
            out.push_back(info.pass);
    return out;
}

}  // namespace ovrix::render
