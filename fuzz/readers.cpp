// Damaged files at each reader that runs in the program's own process. Whatever it is given, it reads it or
// says in an Error why not.
#include <unistd.h>

#include <cstdint>
#include <filesystem>
#include <fstream>
#include <string>

#include "base/error.h"
#include "io/elements_io.h"
#include "io/image_io.h"
#include "io/state_file.h"
#include "io/strands_io.h"
#include "scene/bake.h"
#include "scene/recipe_file.h"
#include "scene/scene_file.h"

namespace {

#if !defined(OVRIX_READER_scene) && !defined(OVRIX_READER_recipe)
/// The bytes as a file of that ending, in memory.
std::string asFile(const uint8_t* data, size_t size, const char* ending) {
    static const std::string base = "/dev/shm/ovrix-fuzz-" + std::to_string(::getpid());
    const std::string path = base + ending;
    std::filesystem::create_directories(std::filesystem::path(path).parent_path());
    std::ofstream(path, std::ios::binary).write(reinterpret_cast<const char*>(data), std::streamsize(size));
    return path;
}
#endif

#if defined(OVRIX_READER_ply) || defined(OVRIX_READER_usda)
void elements(const std::string& path) {
    if (ovrix::holdsStrands(path))
        ovrix::readStrands(path);
    else
        ovrix::readPoints(path);
}
#endif

void read(const uint8_t* data, size_t size) {
#if defined(OVRIX_READER_scene)
    const std::string text(reinterpret_cast<const char*>(data), size);
    const ovrix::Document d = ovrix::readScene(text, "fuzz");
    if (!(ovrix::readScene(ovrix::writeScene(d), "again") == d)) __builtin_trap();
#elif defined(OVRIX_READER_recipe)
    ovrix::readRecipe(std::string(reinterpret_cast<const char*>(data), size), "fuzz");
#elif defined(OVRIX_READER_csv)
    ovrix::readPoints(asFile(data, size, ".csv"));
#elif defined(OVRIX_READER_ply)
    elements(asFile(data, size, ".ply"));
#elif defined(OVRIX_READER_usda)
    elements(asFile(data, size, ".usda"));
#elif defined(OVRIX_READER_state)
    const bool plain = size > 5 && std::string(data, data + 5) == "ovrix";
    const ovrix::StateFile state = ovrix::readStateFile(asFile(data, size, plain ? ".columns" : ".usda"));
    for (const auto& [name, columns] : state.sets)
        for (const auto& [id, column] : columns.columns())
            if (std::visit([](const auto& c) { return c.size(); }, *column) != columns.size())
                __builtin_trap();
#elif defined(OVRIX_READER_bake)
    std::string problem;
    ovrix::bakeInfo(std::filesystem::path(asFile(data, size, "/bake.json")).parent_path(), &problem);
#elif defined(OVRIX_READER_image)
    const char* endings[] = {".png", ".exr", ".tif", ".jpg", ".hdr"};
    ovrix::readImage(asFile(data, size, endings[size % 5]), "sRGB", 64'000'000);
#endif
}

}  // namespace

extern "C" int LLVMFuzzerTestOneInput(const uint8_t* data, size_t size) {
    try {
        read(data, size);
    } catch (const ovrix::Error&) {
    } catch (const std::bad_alloc&) {
    }
    return 0;
}
