#include "document/objects/mesh_file.h"

#include "base/error.h"
#include "document/types/common.h"

namespace ovrix::document {

using namespace specs;

namespace {

float unitInMetres(const std::string& unit) {
    if (unit == "millimetre") return 0.001f;
    if (unit == "centimetre") return 0.01f;
    if (unit == "inch") return 0.0254f;
    if (unit == "foot") return 0.3048f;
    return 1.0f;
}

/// From the file's unit and up axis to metres and Y up.
M44f fileMatrix(const ResolvedParams& p) {
    const float s = unitInMetres(p.text("unit"));
    M44f m(s, 0, 0, 0, 0, s, 0, 0, 0, 0, s, 0, 0, 0, 0, 1);
    if (p.text("up") == "Z") m = M44f(s, 0, 0, 0, 0, 0, -s, 0, 0, s, 0, 0, 0, 0, 0, 1);
    return m;
}

MeshPtr turnedOver(const Mesh& mesh) {
    Mesh out = mesh;
    reverseFaces(out);
    for (V3f& v : out.corners.add<V3f>("N")) v = -v;
    out.finish();
    return std::make_shared<const Mesh>(std::move(out));
}

ObjectShape read(const ObjectInput& in) {
    const ResolvedParams& p = in.params;
    if (p.text("file").empty())
        throw Error("no mesh file is chosen", {}, "Choose a file, or drop one on the window");
    ObjectShape out;
    FileMesh file = readMesh(in.resolve(p.text("file")), in.progress, in.memoryLimit);
    out.report = inspect(*file.mesh);
    out.fileMaterials = std::move(file.materials);
    const M44f matrix = fileMatrix(p);
    out.mesh = matrix == M44f() ? MeshPtr(file.mesh) : transformed(*file.mesh, matrix);
    if (p.flag("flip")) out.mesh = turnedOver(*out.mesh);
    return out;
}

}  // namespace

NodeType meshFileType() {
    return {.id = "mesh_file",
            .title = "Mesh from file",
            .category = Category::Object,
            .help = "A mesh in OBJ, PLY, STL, OFF, glTF, GLB or FBX",
            .params = Specs{{.id = "file",
                             .title = "File",
                             .type = ParamType::File,
                             .initial = std::string(),
                             .help = "The mesh file"},
                            choice("unit", "One unit is", "metre",
                                   {"millimetre", "centimetre", "inch", "foot", "metre"},
                                   "Size of the file's unit"),
                            choice("up", "Up axis", "Y", {"Y", "Z"}, "The file's axis that points up"),
                            flag("flip", "Flip faces", false, "For meshes whose faces look inward"),
                            {.id = "slots",
                             .title = "Slots",
                             .type = ParamType::Refs,
                             .initial = Refs{},
                             .help = "A material for each slot of the file",
                             .refKind = "material",
                             .affects = Affects::Appearance}} +
                      objectTail(),
            .make = read,
            .ofFile = true};
}

}  // namespace ovrix::document
