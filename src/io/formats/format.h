// Files that the program reads and writes, in one table: dialogs, what is dropped on the window, the command
// line and messages go by it. Adding a format adds one entry.
#pragma once
#include <functional>
#include <optional>

#include "base/progress.h"
#include "io/image/image_io.h"
#include "io/points/usd_points.h"
#include "io/state/state_data.h"

namespace ovrix::io {

/// What a file may be wanted for.
enum class Use {
    ReadMesh,
    ReadPoints,
    ReadStrands,
    ReadElements,  ///< points or strands
    ReadVectors,
    ReadImage,
    WriteMesh,
    WritePoints,
    WriteStrands,
    WriteElements,  ///< points or strands
    WritePicture,
    WriteVideo,
    BakeFrames  ///< frames of simulations, written and read
};

struct Format {
    using Path = std::filesystem::path;

    std::string title;                 ///< as the trade calls it
    std::vector<std::string> endings;  ///< in lower case with the dot; the first is the usual one
    std::string carries;               ///< what comes along, in words

    // What it holds; empty or false for what it does not.
    bool mesh = false, vectors = false, image = false;
    std::function<PointSet(const Path&)> readPoints = {};
    std::function<ElementsInfo(const Path&)> readInfo = {};
    std::function<StrandSet(const Path&)> readStrands = {};
    /// Of one that may hold several things: which it does. Throw Error.
    std::function<bool(const Path&)> holdsStrands = {}, holdsFaces = {};

    // What is written into it.
    std::function<void(const Path&, const Mesh&)> writeMesh = {};
    std::function<void(const Path&, const Geometry&, const std::vector<ExportPrototype>&)> writePoints = {};
    std::function<void(const Path&, const StrandSet&)> writeStrands = {};
    std::optional<WriteOptions> picture = {};
    bool video = false;  ///< see openVideo()
    /// As readyStateFile() and readStateFile().
    std::function<std::function<void()>(const Path&, const StateFile&)> readyFrame = {};
    std::function<StateFile(const Path&, size_t memory, Progress&)> readFrame = {};

    bool can(Use use) const;
};

/// All formats, in the order of dialogs.
const std::vector<Format>& formats();
/// By the path's ending, in capitals or not; null when there is none.
const Format* formatOf(const std::filesystem::path& path);
/// Whether the format of that path can be used for that.
bool canUse(const std::filesystem::path& path, Use use);
/// The format of that path, for that use. Throws Error which names those that there are.
const Format& requireFormat(const std::filesystem::path& path, Use use);
/// What it can be used for, in words.
std::vector<std::string> usesOf(const Format& format);
/// "*.ply *.csv", as dialogs take it.
std::string patternsFor(Use use);
/// ".ply, .csv or .vdb", for messages.
std::string endingsFor(Use use);

}  // namespace ovrix::io
