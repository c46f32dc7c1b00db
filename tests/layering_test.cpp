// The house: a folder includes only itself and what is below it, and only src/app knows Qt.
#include <catch2/catch.hpp>
#include <filesystem>
#include <fstream>
#include <regex>

namespace fs = std::filesystem;

namespace {

const std::vector<std::string> kOrder = {"base", "params",   "geo",  "field", "ops",     "sim", "render",
                                         "io",   "document", "eval", "scene", "deliver", "cli", "app"};

size_t rank(const std::string& folder) {
    return size_t(std::find(kOrder.begin(), kOrder.end(), folder) - kOrder.begin());
}

struct Include {
    std::string file, folder, target;
    bool quoted;
};

std::vector<Include> allIncludes() {
    std::vector<Include> found;
    const fs::path source = fs::path(OVRIX_SOURCE_DIR) / "src";
    const std::regex line(R"(^\s*#\s*include\s*([<"])([^>"]+)[>"])");
    for (const auto& entry : fs::recursive_directory_iterator(source)) {
        if (entry.path().extension() != ".cpp" && entry.path().extension() != ".h") continue;
        std::ifstream in(entry.path());
        std::string text;
        while (std::getline(in, text)) {
            std::smatch m;
            if (std::regex_search(text, m, line))
                found.push_back({entry.path().string(), fs::relative(entry.path(), source).begin()->string(),
                                 m[2], m[1] == "\""});
        }
    }
    return found;
}

}  // namespace

TEST_CASE("every source lies in a folder of the house", "[layering]") {
    for (const Include& i : allIncludes()) {
        INFO(i.file);
        CHECK(rank(i.folder) < kOrder.size());
    }
}

TEST_CASE("a folder includes only itself and folders below it", "[layering]") {
    const auto includes = allIncludes();
    REQUIRE(includes.size() > 100);  // or the test looks in the wrong place
    for (const Include& i : includes) {
        const std::string to = fs::path(i.target).begin()->string();
        if (!i.quoted || rank(to) == kOrder.size()) continue;
        INFO(i.file << " includes " << i.target);
        CHECK(rank(to) <= rank(i.folder));
        if (i.folder == "app") CHECK(to != "cli");
    }
}

TEST_CASE("only src/app uses Qt", "[layering]") {
    const std::regex qt("^(Q[A-Z]|Qt)");
    for (const Include& i : allIncludes()) {
        if (i.folder == "app") continue;
        INFO(i.file << " includes " << i.target);
        CHECK_FALSE(std::regex_search(i.target, qt));
    }
}

TEST_CASE("OpenVDB is included by two sources only", "[layering]") {
    for (const Include& i : allIncludes()) {
        INFO(i.file);
        if (i.target.rfind("openvdb/", 0) != 0) continue;
        const auto file = fs::path(i.file).filename();
        CHECK((file == "vdb_points.cpp" || file == "vdb_import.cpp"));
    }
}
