#include "document/objects/mesh_file.h"

#include "base/error.h"
#include "document/types/common.h"
#include "geo/strands/strands.h"
#include "params/param_table.h"

namespace ovrix::document {

using namespace specs;

namespace {

const struct MeshFileParams : ParamTable {
    Handle<std::string> file = add({.id = "file",
                                    .title = "File",
                                    .type = ParamType::File,
                                    .initial = std::string(),
                                    .help = "The mesh file"});
    Handle<std::string> unit =
        add(choice("unit", "One unit is", "metre", {"millimetre", "centimetre", "inch", "foot", "metre"},
                   "Size of the file's unit"));
    Handle<std::string> up = add(choice("up", "Up axis", "Y", {"Y", "Z"}, "The file's axis that points up"));
    Handle<bool> flip = add(flag("flip", "Flip faces", false, "For meshes whose faces look inward"));
    Handle<Refs> slots = add(slotsSpec());
    ObjectParams object{*this};
} kMeshFile;

float unitInMetres(const std::string& unit) {
    if (unit == "millimetre") return 0.001f;
    if (unit == "centimetre") return 0.01f;
    if (unit == "inch") return 0.0254f;
    if (unit == "foot") return 0.3048f;
    return 1.0f;
}

/// From the file's unit and up axis to metres and Y up.
M44f fileMatrix(const ResolvedParams& p) {
    const float s = unitInMetres(p[kMeshFile.unit]);
    M44f m(s, 0, 0, 0, 0, s, 0, 0, 0, 0, s, 0, 0, 0, 0, 1);
    if (p[kMeshFile.up] == "Z") m = M44f(s, 0, 0, 0, 0, 0, -s, 0, 0, s, 0, 0, 0, 0, 0, 1);
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
    if (p[kMeshFile.file].empty())
        throw Error("no mesh file is chosen", {}, "Choose a file, or drop one on the window");
    ObjectShape out;
    FileMesh file = readMesh(in.resolve(p[kMeshFile.file]), in.progress, in.memoryLimit);
    out.report = inspect(*file.mesh);
    out.fileMaterials = std::move(file.materials);
    const M44f matrix = fileMatrix(p);
    out.mesh = matrix == M44f() ? MeshPtr(file.mesh) : transformed(*file.mesh, matrix);
    if (p[kMeshFile.flip]) out.mesh = turnedOver(*out.mesh);
    return out;
}

}  // namespace

const Handle<bool>& meshFlip() { return kMeshFile.flip; }

NodeType meshFileType() {
    return {.id = "mesh_file",
            .title = "Mesh from file",
            .category = Category::Object,
            .help = "A mesh in OBJ, PLY, STL, OFF, glTF, GLB or FBX",
            .params = kMeshFile.specs(),
            .make = read,
            .problem = flatness,
            .ofFile = true};
}

}  // namespace ovrix::document
