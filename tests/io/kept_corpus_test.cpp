// What once brought a reader down, and what fuzzing starts from, stays readable or refused in words.
#include "base/error.h"
#include "base/files.h"
#include "fuzz/read.h"
#include "mutate.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;
namespace fs = std::filesystem;

TEST_CASE("the kept corpus of each reader, whole and mutated, is read or refused in words", "[io][damaged]") {
    const fs::path corpus = fs::path(OVRIX_SOURCE_DIR) / "tests/data/fuzz";
    for (const ovrix::fuzz::Reader& reader : ovrix::fuzz::readers()) {
        size_t whole = 0, refused = 0;
        const auto read = [&](const std::string& bytes) {
            try {
                reader.read(reinterpret_cast<const uint8_t*>(bytes.data()), bytes.size());
                return true;
            } catch (const Error& e) {
                CHECK_FALSE(e.problem().empty());
                return false;
            }
        };
        std::mt19937_64 random(testSeed());
        for (const auto& entry : fs::directory_iterator(corpus / reader.name)) {
            INFO(entry.path().string());
            const std::string bytes = readFile(entry.path());
            whole += read(bytes);
            for (int round = 0; round < 60; ++round) {
                std::string bad = bytes;
                mutate(bad, random);
                refused += !read(bad);
            }
        }
        INFO(reader.name);
        CHECK(whole > 0);
        CHECK(refused > 10);
    }
}

TEST_CASE("each reader has a fuzzer that can be asked for", "[io][documents]") {
    const fs::path root = OVRIX_SOURCE_DIR;
    const auto built = readFile(root / "cmake/fuzzers.cmake"), told = readFile(root / "dev");
    for (const ovrix::fuzz::Reader& reader : ovrix::fuzz::readers()) {
        INFO(reader.name);
        CHECK(built.find(" " + std::string(reader.name)) != std::string::npos);
        CHECK(told.find(" " + std::string(reader.name)) != std::string::npos);
    }
}
