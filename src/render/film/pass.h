// What a film may hold of a picture beside its light: one table that the renderer, files and panels go by.
#pragma once
#include <array>
#include <cstdint>
#include <span>
#include <string>
#include <string_view>
#include <vector>

namespace ovrix::render {

enum class Pass : uint8_t {
    Direct,
    Indirect,
    Alpha,
    Albedo,
    Normal,
    Depth,
    DepthMean,
    DepthFront,
    Position,
    Uv,
    Tangent,
    Occlusion,
    Motion,
    Emission,
    FibreReflected,
    FibreThrough,
    FibreInner,
    FibreRest,
    DiffuseDirect,
    DiffuseIndirect,
    FuzzDirect,
    FuzzIndirect,
    SpecularDirect,
    SpecularIndirect,
    CoatDirect,
    CoatIndirect,
    TransmissionDirect,
    TransmissionIndirect,
    SubsurfaceDirect,
    SubsurfaceIndirect,
    VolumeDirect,
    VolumeIndirect,
    Cut,
    Half,
    Object,
    Layer,
    Material,
    Element,
    ObjectCover,
    LayerCover,
    MaterialCover,
    ElementCover,
};
inline constexpr size_t kPasses = size_t(Pass::ElementCover) + 1;

/// By what the light came that is seen: lobes of fibres, and of surfaces; what lies between things.
enum class Component : uint8_t {
    FibreReflected,
    FibreThrough,
    FibreInner,
    FibreRest,
    Diffuse,
    Fuzz,
    Specular,
    Coat,
    Transmission,
    Subsurface,
    Volume,
};
inline constexpr size_t kComponents = size_t(Component::Volume) + 1, kFibreComponents = 4;
/// That of a part of the light. @param indirect  where the table has it apart
inline Pass passOf(size_t part, bool indirect) {
    return part < kFibreComponents
               ? Pass(size_t(Pass::FibreReflected) + part)
               : Pass(size_t(Pass::DiffuseDirect) + 2 * (part - kFibreComponents) + indirect);
}

/// How what samples bring becomes what a pixel holds.
enum class Gather : uint8_t {
    Mean,   ///< over all samples: filtered as the picture is
    First,  ///< that of its first sample, since means of it would be nothing that is there
    Least,  ///< the least of all samples
    Cover,  ///< how many samples saw each number
};

struct PassInfo {
    Pass pass;
    const char* id;     ///< of its layer in files; empty for the picture's own
    const char* title;  ///< for people
    const char* help;
    const char* channels;  ///< a letter each, up to three
    Gather gather;
    const char* choice;   ///< under which files have it, some together; empty for always
    bool light = false;   ///< it is radiance
    bool whole = false;   ///< files keep all bits of its numbers
    bool number = false;  ///< it is a whole number, from 1 on; 0 for nothing
    /// Whether the program itself reads it: no film is without.
    bool always() const { return !*choice || pass == Pass::Half; }
};

/// All there are, in the order in which films and files have them.
std::span<const PassInfo> passTable();
inline const PassInfo& infoOf(Pass pass) { return passTable()[size_t(pass)]; }
/// Null where there is none of that name.
const PassInfo* findPass(std::string_view id);
/// What may be chosen, in the table's order.
std::vector<std::string> passChoices();
/// What is chosen by those, in the table's order; what no choice is is nothing.
std::vector<Pass> passesChosen(std::span<const std::string> choices);
inline size_t channelsOf(Pass pass) { return std::string_view(infoOf(pass).channels).size(); }

/// A field of the scene as a plane of its own, the mean over all samples; 0 where nothing is seen.
struct FieldPlane {
    std::string name;    ///< for people
    bool color = false;  ///< three channels, linear Rec.709; else one number
    bool operator==(const FieldPlane&) const = default;
    size_t channels() const { return color ? 3 : 1; }
};

}  // namespace ovrix::render
