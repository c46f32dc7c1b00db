#include "fuzz/read.h"

#include <unistd.h>

#include <filesystem>
#include <fstream>
#include <string>

#include "base/error.h"
#include "document/file/scene_file.h"
#include "document/library/recipe_file.h"
#include "eval/bake.h"
#include "io/denoiser/tensor_file.h"
#include "io/formats/elements_io.h"
#include "io/formats/state_file.h"
#include "io/image/image_io.h"

namespace ovrix::fuzz {

using namespace deliver;

namespace {

std::string textOf(const uint8_t* data, size_t size) { return {reinterpret_cast<const char*>(data), size}; }

/// The bytes as a file of that ending, in memory; it goes with the process.
std::string asFile(const uint8_t* data, size_t size, const char* ending) {
    struct Folder {
        std::filesystem::path path = "/dev/shm/ovrix-fuzz-" + std::to_string(::getpid());
        Folder() { std::filesystem::create_directories(path); }
        ~Folder() {
            std::error_code ignored;
            std::filesystem::remove_all(path, ignored);
        }
    };
    static const Folder folder;
    const std::string path = (folder.path / ending).string();
    std::ofstream(path, std::ios::binary).write(reinterpret_cast<const char*>(data), std::streamsize(size));
    return path;
}

void scene(const uint8_t* data, size_t size) {
    const Document d = readScene(textOf(data, size), "fuzz");
    if (!(readScene(writeScene(d), "again") == d)) __builtin_trap();
}

void recipe(const uint8_t* data, size_t size) { readRecipe(textOf(data, size), "fuzz"); }

void elements(const std::string& path) {
    if (holdsStrands(path))
        readStrands(path);
    else
        readPoints(path);
}

void ply(const uint8_t* data, size_t size) { elements(asFile(data, size, "f.ply")); }
void usda(const uint8_t* data, size_t size) { elements(asFile(data, size, "f.usda")); }
void csv(const uint8_t* data, size_t size) { readPoints(asFile(data, size, "f.csv")); }

void image(const uint8_t* data, size_t size) {
    const char* endings[] = {"f.png", "f.exr", "f.tif", "f.jpg", "f.hdr"};
    readImage(asFile(data, size, endings[size % std::size(endings)]), "sRGB", 2'000'000);
}

void state(const uint8_t* data, size_t size) {
    const bool plain = size > 5 && textOf(data, 5) == "ovrix";
    const StateFile state = readStateFile(asFile(data, size, plain ? "f.columns" : "f.usda"));
    for (const auto& [name, columns] : state.sets)
        for (const auto& [id, column] : columns.columns())
            if (columnSize(*column) != columns.size()) __builtin_trap();
}

void network(const uint8_t* data, size_t size) { readTensors(asFile(data, size, "f.tza")); }

void bake(const uint8_t* data, size_t size) {
    std::string problem;
    bakeInfo(std::filesystem::path(asFile(data, size, "bake.json")).parent_path(), &problem);
    if (!problem.empty()) throw Error(problem);  // it tells, and does not throw
}

}  // namespace

std::span<const Reader> readers() {
    static constexpr Reader all[] = {{"scene", scene}, {"recipe", recipe}, {"ply", ply},
                                     {"csv", csv},     {"usda", usda},     {"image", image},
                                     {"state", state}, {"bake", bake},     {"network", network}};
    return all;
}

}  // namespace ovrix::fuzz
