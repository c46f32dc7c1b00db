#include "io/state_file.h"

#include "base/files.h"
#include "io/state_usda.h"
#include "io/vdb_points.h"

namespace ovrix {

std::function<void()> readyStateFile(const std::filesystem::path& path, const StateFile& state) {
    if (path.extension() != ".usda") return readyStateVdb(path, state);
    return [path, text = stateAsUsda(state)] { writeFile(path, text); };
}

void writeStateFile(const std::filesystem::path& path, const StateFile& state) {
    readyStateFile(path, state)();
}

StateFile readStateFile(const std::filesystem::path& path, size_t memory, Progress& progress) {
    return path.extension() == ".usda" ? stateFromUsda(readFile(path, progress), path)
                                       : readStateVdb(path, memory, progress);
}

}  // namespace ovrix
