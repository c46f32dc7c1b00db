#include "io/formats/state_file.h"

#include "io/formats/format.h"

namespace ovrix::io {

std::function<void()> readyStateFile(const std::filesystem::path& path, const StateFile& state) {
    return requireFormat(path, Use::BakeFrames).readyFrame(path, state);
}

void writeStateFile(const std::filesystem::path& path, const StateFile& state) {
    readyStateFile(path, state)();
}

StateFile readStateFile(const std::filesystem::path& path, size_t memory, Progress& progress) {
    return requireFormat(path, Use::BakeFrames).readFrame(path, memory, progress);
}

}  // namespace ovrix::io
