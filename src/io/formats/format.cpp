#include "io/formats/format.h"

#include <algorithm>

#include "base/error.h"
#include "base/files.h"
#include "io/mesh/mesh_writer.h"
#include "io/points/csv_points.h"
#include "io/points/ply_points.h"
#include "io/state/state_columns.h"
#include "io/state/state_usda.h"
#include "io/strands/strands_io.h"
#include "io/volume/vdb_points.h"

namespace ovrix::io {

namespace {

using Path = std::filesystem::path;
using Prototypes = std::vector<ExportPrototype>;

/// Of points whose file says no more than they do.
ElementsInfo infoOf(const PointSet& points) {
    ElementsInfo info{"points", points.size(), {}, {}};
    for (const V3f& p : points.attributes.find<V3f>("P")) info.bounds.extendBy(p);
    for (const auto& [name, column] : points.attributes.columns())
        info.attributes.emplace_back(name, columnTypeName(*column));
    return info;
}

Format mesh(std::string title, std::vector<std::string> endings, std::string carries) {
    return {.title = std::move(title),
            .endings = std::move(endings),
            .carries = std::move(carries),
            .mesh = true};
}

Format picture(std::string title, std::vector<std::string> endings, std::string carries) {
    return {.title = std::move(title),
            .endings = std::move(endings),
            .carries = std::move(carries),
            .image = true};
}

Format ply() {
    return {.title = "PLY",
            .endings = {".ply"},
            .carries = "meshes with normals and UVs, points with all attributes, strands as edges",
            .mesh = true,
            .readPoints = readPlyPoints,
            .readInfo = [](const Path& path) { return infoOf(readPlyPoints(path)); },
            .readStrands = readPlyStrands,
            .holdsStrands = plyHasEdges,
            .holdsFaces = plyHasFaces,
            .writeMesh = writePlyMesh,
            .writePoints = [](const Path& path, const Geometry& g,
                              const Prototypes&) { writePlyPoints(path, attributesOf(g)); },
            .writeStrands = writePlyStrands};
}

Format usd() {
    return {.title = "USD text",
            .endings = {".usda"},
            .carries = "points, instances with their prototypes, strands as curves; frames of simulations",
            .readPoints = readUsdPoints,
            .readInfo = readUsdInfo,
            .readStrands = readUsdStrands,
            .holdsStrands = usdHoldsStrands,
            .writePoints = [](const Path& path, const Geometry& g,
                              const Prototypes& prototypes) { writeFile(path, usdOf(g, prototypes)); },
            .writeStrands = writeUsdStrands,
            .readyFrame = [](const Path& path, const StateFile& state) -> std::function<void()> {
                return [path, text = stateAsUsda(state)] { writeFile(path, text); };
            },
            .readFrame = [](const Path& path, size_t,
                            Progress& progress) { return stateFromUsda(readFile(path, progress), path); }};
}

Format vdb() {
    return {
        .title = "OpenVDB",
        .endings = {".vdb"},
        .carries = "points with all attributes, strands as points, grids of vectors; frames of simulations",
        .vectors = true,
        .readPoints = [](const Path& path) { return readVdbPoints(path); },
        .readInfo = readVdbInfo,
        .readStrands = readVdbStrands,
        .holdsStrands = vdbHoldsStrands,
        .writePoints =
            [](const Path& path, const Geometry& g, const Prototypes&) {
                const AttributeSet& a = attributesOf(g);
                writeAtomically(path, [&](const Path& temporary) { writeVdbPoints(temporary, a); });
            },
        .writeStrands = writeVdbStrands,
        .readyFrame = readyStateVdb,
        .readFrame = readStateVdb};
}

Format csv() {
    return {.title = "CSV",
            .endings = {".csv"},
            .carries = "points with places and numbers, by the names in the first line",
            .readPoints = readCsvPoints,
            .readInfo = [](const Path& path) { return infoOf(readCsvPoints(path)); },
            .writePoints = [](const Path& path, const Geometry& g,
                              const Prototypes&) { writeCsvPoints(path, attributesOf(g)); }};
}

Format columns() {
    return {.title = "Plain columns",
            .endings = {".columns"},
            .carries = "frames of simulations, bit for bit; quickest to read",
            .readyFrame = readyStateColumns,
            .readFrame = readStateColumns};
}

std::vector<Format> allFormats() {
    std::vector<Format> all = {
        mesh("OBJ", {".obj"}, "meshes with normals, UVs and the materials of its MTL file"),
        ply(),
        mesh("STL", {".stl"}, "triangles"),
        mesh("OFF", {".off"}, "polygons"),
        mesh("glTF", {".gltf"}, "meshes with normals, UVs and materials"),
        mesh("GLB", {".glb"}, "meshes with normals, UVs and materials"),
        mesh("FBX", {".fbx"}, "meshes with normals, UVs and materials"),
        usd(),
        csv(),
        vdb(),
        columns(),
        picture("PNG", {".png"}, "a picture with 8 or 16 bits"),
        picture("JPEG", {".jpg", ".jpeg"}, "a picture with 8 bits"),
        picture("TIFF", {".tif", ".tiff"}, "a picture with 16 bits"),
        picture("OpenEXR", {".exr"}, "a picture in scene-linear light, with all passes"),
        picture("Radiance HDR", {".hdr"}, "a picture in scene-linear light"),
    };
    for (Format& f : all) {
        if (f.title == "OBJ") f.writeMesh = writeObjMesh;
        if (f.title == "GLB") f.writeMesh = writeGlbMesh;
        if (f.image && f.title != "JPEG" && f.title != "Radiance HDR")
            f.picture = defaultWriteOptions("x" + f.endings[0]);
    }
    return all;
}

/// Each ending of those that can, once.
std::vector<std::string> endingsThatCan(Use use) {
    std::vector<std::string> out;
    for (const Format& f : formats())
        if (f.can(use)) out.insert(out.end(), f.endings.begin(), f.endings.end());
    return out;
}

}  // namespace

bool Format::can(Use use) const {
    switch (use) {
        case Use::ReadMesh:
            return mesh;
        case Use::ReadPoints:
            return bool(readPoints);
        case Use::ReadStrands:
            return bool(readStrands);
        case Use::ReadElements:
            return readPoints || readStrands;
        case Use::ReadVectors:
            return vectors;
        case Use::ReadImage:
            return image;
        case Use::WriteMesh:
            return bool(writeMesh);
        case Use::WritePoints:
            return bool(writePoints);
        case Use::WriteStrands:
            return bool(writeStrands);
        case Use::WriteElements:
            return writePoints || writeStrands;
        case Use::WritePicture:
            return picture.has_value();
        case Use::BakeFrames:
            return bool(readFrame);
    }
    return false;
}

const std::vector<Format>& formats() {
    static const std::vector<Format> all = allFormats();
    return all;
}

const Format* formatOf(const Path& path) {
    const std::string ending = endingOf(path);
    for (const Format& f : formats())
        if (std::find(f.endings.begin(), f.endings.end(), ending) != f.endings.end()) return &f;
    return nullptr;
}

const Format& requireFormat(const Path& path, Use use) {
    const Format* format = formatOf(path);
    if (format && format->can(use)) return *format;
    static const char* const whats[] = {
        "is no mesh format that is read",           "is no file of points that can be read",
        "is no file of strands that can be read",   "is no file of points or strands that can be read",
        "is no file of vectors that can be read",   "is no picture that can be read",
        "meshes are not written with the ending",   "elements are not written with the ending",
        "strands are not written with the ending",  "elements are not written with the ending",
        "pictures are not written with the ending", "frames are not written with the ending"};
    std::string problem = whats[size_t(use)];
    if (use >= Use::WriteMesh) problem += " \"" + endingOf(path) + "\"";
    throw Error(problem, path.string(), "Use " + endingsFor(use));
}

std::string patternsFor(Use use) {
    std::string out;
    for (const std::string& ending : endingsThatCan(use)) out += (out.empty() ? "*" : " *") + ending;
    return out;
}

std::string endingsFor(Use use) {
    const std::vector<std::string> all = endingsThatCan(use);
    std::string out;
    for (size_t k = 0; k < all.size(); ++k)
        out += (k == 0 ? "" : k + 1 == all.size() ? " or " : ", ") + all[k];
    return out;
}

}  // namespace ovrix::io
