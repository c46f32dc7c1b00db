#include "io/formats/state_file.h"

#include "base/files.h"
#include "io/state/state_columns.h"
#include "io/state/state_usda.h"
#include "io/volume/vdb_points.h"

namespace ovrix::io {

std::function<void()> readyStateFile(const std::filesystem::path& path, const StateFile& state) {
    if (path.extension() == ".columns") return readyStateColumns(path, state);
    if (path.extension() != ".usda") return readyStateVdb(path, state);
    return [path, text = stateAsUsda(state)] { writeFile(path, text); };
}

void writeStateFile(const std::filesystem::path& path, const StateFile& state) {
    readyStateFile(path, state)();
}

StateFile readStateFile(const std::filesystem::path& path, size_t memory, Progress& progress) {
    if (path.extension() == ".columns") return readStateColumns(path, memory, progress);
    if (path.extension() == ".usda") return stateFromUsda(readFile(path, progress), path);
    return readStateVdb(path, memory, progress);
}

}  // namespace ovrix::io
