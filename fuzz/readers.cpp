// Damaged files at each reader that runs in the program's own process. Whatever it is given, it reads it or
// says in an Error why not.
#include <unistd.h>

#include <cstdint>
#include <fstream>
#include <string>

#include "base/error.h"
#include "io/elements_io.h"
#include "io/image_io.h"
#include "io/strands_io.h"
#include "scene/recipe_file.h"
#include "scene/scene_file.h"

namespace {

#if !defined(OVRIX_READER_scene) && !defined(OVRIX_READER_recipe)
/// The bytes as a file of that ending, in memory.
std::string asFile(const uint8_t* data, size_t size, const char* ending) {
    static const std::string base = "/dev/shm/ovrix-fuzz-" + std::to_string(::getpid());
    const std::string path = base + ending;
    std::ofstream(path, std::ios::binary).write(reinterpret_cast<const char*>(data), std::streamsize(size));
    return path;
}
#endif

void read(const uint8_t* data, size_t size) {
#if defined(OVRIX_READER_scene)
    const std::string text(reinterpret_cast<const char*>(data), size);
    const ovrix::Document d = ovrix::readScene(text, "fuzz");
    if (!(ovrix::readScene(ovrix::writeScene(d), "again") == d)) __builtin_trap();
#elif defined(OVRIX_READER_recipe)
    ovrix::readRecipe(std::string(reinterpret_cast<const char*>(data), size), "fuzz");
#elif defined(OVRIX_READER_ply)
    const std::string path = asFile(data, size, ".ply");
    if (ovrix::plyHasEdges(path))
        ovrix::readStrands(path);
    else
        ovrix::readPoints(path);
#elif defined(OVRIX_READER_csv)
    ovrix::readPoints(asFile(data, size, ".csv"));
#elif defined(OVRIX_READER_usda)
    const std::string path = asFile(data, size, ".usda");
    if (ovrix::holdsStrands(path))
        ovrix::readStrands(path);
    else
        ovrix::readPoints(path);
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
