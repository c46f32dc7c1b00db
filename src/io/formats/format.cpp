#include "io/formats/format.h"

#include <fmt/format.h>

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

Format mesh(std::string title, std::string ending, std::string carries,
            std::function<void(const Path&, const Mesh&)> write = {}) {
    return {.title = std::move(title),
            .endings = {std::move(ending)},
            .carries = std::move(carries),
            .mesh = true,
            .writeMesh = std::move(write)};
}

Format picture(std::string title, std::vector<std::string> endings, std::string carries,
               std::optional<WriteOptions> write = {}) {
    return {.title = std::move(title),
            .endings = std::move(endings),
            .carries = std::move(carries),
            .image = true,
            .picture = std::move(write)};
}

Format video(std::string title, std::string ending) {
    return {.title = std::move(title),
            .endings = {std::move(ending)},
            .carries = "finished pictures one after another; the codec is chosen",
            .video = true};
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
    return {mesh("OBJ", ".obj", "meshes with normals, UVs and the materials of its MTL file", writeObjMesh),
            ply(),
            mesh("STL", ".stl", "triangles"),
            mesh("OFF", ".off", "polygons"),
            mesh("glTF", ".gltf", "meshes with normals, UVs and materials"),
            mesh("GLB", ".glb", "meshes with normals, UVs and materials", writeGlbMesh),
            mesh("FBX", ".fbx", "meshes with normals, UVs and materials"),
            usd(),
            csv(),
            vdb(),
            columns(),
            picture("PNG", {".png"}, "a picture with 8 or 16 bits", defaultWriteOptions("x.png")),
            picture("JPEG", {".jpg", ".jpeg"}, "a picture with 8 bits"),
            picture("TIFF", {".tif", ".tiff"}, "a picture with 16 bits", defaultWriteOptions("x.tif")),
            picture("OpenEXR", {".exr"}, "a picture in scene-linear light, with all passes",
                    defaultWriteOptions("x.exr")),
            picture("Radiance HDR", {".hdr"}, "a picture in scene-linear light"),
            video("MP4", ".mp4"),
            video("QuickTime", ".mov"),
            video("Matroska", ".mkv")};
}

/// What each use is called, whether a format can be used so, and what is said where it cannot; in the order
/// of Use.
struct UseText {
    const char* name;
    bool (*can)(const Format&);
    const char* refused;
    bool ofEnding = false;  ///< the refusal names the ending
};
constexpr UseText kUses[] = {
    {"read meshes", [](const Format& f) { return f.mesh; }, "is no mesh format that is read"},
    {"read points", [](const Format& f) { return bool(f.readPoints); },
     "is no file of points that can be read"},
    {"read strands", [](const Format& f) { return bool(f.readStrands); },
     "is no file of strands that can be read"},
    {"read elements", [](const Format& f) { return f.readPoints || f.readStrands; },
     "is no file of points or strands that can be read"},
    {"read vectors", [](const Format& f) { return f.vectors; }, "is no file of vectors that can be read"},
    {"read images", [](const Format& f) { return f.image; }, "is no picture that can be read"},
    {"write meshes", [](const Format& f) { return bool(f.writeMesh); },
     "meshes are not written with the ending", true},
    {"write points", [](const Format& f) { return bool(f.writePoints); },
     "elements are not written with the ending", true},
    {"write strands", [](const Format& f) { return bool(f.writeStrands); },
     "strands are not written with the ending", true},
    {"write elements", [](const Format& f) { return f.writePoints || f.writeStrands; },
     "elements are not written with the ending", true},
    {"write pictures", [](const Format& f) { return f.picture.has_value(); },
     "pictures are not written with the ending", true},
    {"write videos", [](const Format& f) { return f.video; }, "videos are not written with the ending", true},
    {"bake frames", [](const Format& f) { return bool(f.readFrame); },
     "frames of simulations are not kept with the ending", true}};
static_assert(std::size(kUses) == size_t(Use::BakeFrames) + 1);

/// Each ending of those that can, once.
std::vector<std::string> endingsThatCan(Use use) {
    std::vector<std::string> out;
    for (const Format& f : formats())
        if (f.can(use)) out.insert(out.end(), f.endings.begin(), f.endings.end());
    return out;
}

}  // namespace

bool Format::can(Use use) const { return kUses[size_t(use)].can(*this); }

std::vector<std::string> usesOf(const Format& format) {
    std::vector<std::string> out;
    for (const UseText& use : kUses)
        if (use.can(format)) out.push_back(use.name);
    return out;
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

bool canUse(const Path& path, Use use) {
    const Format* format = formatOf(path);
    return format && format->can(use);
}

const Format& requireFormat(const Path& path, Use use) {
    const Format* format = formatOf(path);
    if (format && format->can(use)) return *format;
    const UseText& text = kUses[size_t(use)];
    const std::string problem =
        text.ofEnding ? fmt::format("{} \"{}\"", text.refused, endingOf(path)) : std::string(text.refused);
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
