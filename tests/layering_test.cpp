// The house: a room includes only itself, the rooms before it and the folders below; only src/app knows Qt.
#include <catch2/catch.hpp>
#include <filesystem>
#include <fstream>
#include <optional>
#include <regex>

namespace fs = std::filesystem;

namespace {

/// The folders of the house and their rooms, lowest first; "" is the folder itself.
const std::vector<std::pair<std::string, std::vector<std::string>>> kHouse = {
    {"base", {""}},
    {"params", {""}},
    {"geo", {"", "mesh", "points", "strands", "surface", "volume"}},
    {"field", {"", "sources"}},
    {"ops", {"", "place", "points", "groom", "style", "mesh", "time"}},
    {"sim", {"", "collide", "particles", "strands"}},
    {"render", {"film", "light", "shade", "scene", "cloud", "trace", "finish", "finish/steps"}},
    {"io",
     {"process", "usd", "image", "video", "denoiser", "points", "mesh", "state", "volume", "strands",
      "formats", ""}},
    {"document", {"model", "types", "objects", "lights", "materials", "file", "edits", "library", ""}},
    {"eval", {"cache", "simulation", "", "pick", "checks"}},
    {"deliver", {"", "pictures", "queue"}},
    {"cli", {""}},
    {"app",
     {"theme", "widgets", "session", "gl", "view", "recipe", "outline", "time", "render", "queue", "window",
      "", "shots"}}};

/// Where a file stands in the house: of two, one may include the other if it stands no lower.
using Rank = std::pair<size_t, size_t>;

std::optional<Rank> rank(const fs::path& file) {
    const std::string folder = file.begin()->string();
    std::string room;
    for (auto part = std::next(file.begin()); part != file.end() && std::next(part) != file.end(); ++part)
        room += (room.empty() ? "" : "/") + part->string();
    for (size_t k = 0; k < kHouse.size(); ++k) {
        const auto& rooms = kHouse[k].second;
        const auto at = std::find(rooms.begin(), rooms.end(), room);
        if (kHouse[k].first == folder && at != rooms.end()) return Rank(k, size_t(at - rooms.begin()));
    }
    return {};
}

struct Include {
    fs::path file;  ///< below src
    std::string target;
    bool quoted;
    std::string folder() const { return file.begin()->string(); }
    /// One file of a folder may list what all of its rooms hold.
    bool inRegistry() const {
        const std::string stem = file.stem().string(), end = "_registry";
        return file.extension() == ".cpp" && stem.size() > end.size() &&
               stem.compare(stem.size() - end.size(), end.size(), end) == 0;
    }
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
                found.push_back({fs::relative(entry.path(), source), m[2], m[1] == "\""});
        }
    }
    return found;
}

}  // namespace

TEST_CASE("every source lies in a room of the house", "[layering]") {
    for (const Include& i : allIncludes()) {
        INFO(i.file);
        CHECK(rank(i.file));
    }
}

TEST_CASE("a room includes only itself, rooms before it and folders below", "[layering]") {
    const auto includes = allIncludes();
    REQUIRE(includes.size() > 100);  // or the test looks in the wrong place
    for (const Include& i : includes) {
        const auto from = rank(i.file), to = rank(i.target);
        if (!i.quoted || !from || !to) continue;
        INFO(i.file << " includes " << i.target);
        if (i.inRegistry())
            CHECK(to->first <= from->first);
        else
            CHECK(*to <= *from);
        if (i.folder() == "app") CHECK(kHouse[to->first].first != "cli");
    }
}

TEST_CASE("what a source of ours includes is there", "[layering]") {
    const fs::path source = fs::path(OVRIX_SOURCE_DIR) / "src";
    for (const Include& i : allIncludes()) {
        if (!i.quoted || fs::path(i.target).extension() != ".h") continue;
        INFO(i.file << " includes " << i.target);
        CHECK(fs::exists(source / i.target));
    }
}

TEST_CASE("a folder is a namespace, and its sources say nothing in another", "[layering]") {
    const fs::path source = fs::path(OVRIX_SOURCE_DIR) / "src";
    const std::regex opening(R"(^namespace ovrix(::\w+)*( \{)?$)"), forward(R"(^(class|struct) \w+;$)");
    size_t looked = 0;
    for (const auto& entry : fs::recursive_directory_iterator(source)) {
        const fs::path file = fs::relative(entry.path(), source);
        if ((file.extension() != ".cpp" && file.extension() != ".h") || file == "base/house.h") continue;
        const std::string own = "namespace ovrix::" + file.begin()->string();
        std::ifstream in(entry.path());
        std::string text;
        while (std::getline(in, text)) {
            if (std::regex_match(text, opening) && text.rfind(own, 0) != 0) {
                INFO(file << ": " << text);
                CHECK((std::getline(in, text) && std::regex_match(text, forward)));
            }
            looked += text.rfind(own, 0) == 0;
        }
    }
    CHECK(looked > 200);
}

TEST_CASE("what a type is for is asked of it, and not told from its id", "[layering]") {
    const fs::path source = fs::path(OVRIX_SOURCE_DIR) / "src";
    const std::regex byId(R"((type|type->id|type\.id|type\(\)|\bt\.id) *[!=]= *")");
    for (const auto& entry : fs::recursive_directory_iterator(source)) {
        const fs::path file = fs::relative(entry.path(), source);
        if (file.extension() != ".cpp" && file.extension() != ".h") continue;
        // Two types of one file know each other; the types of PLY are others.
        if (file == "document/lights/sun_and_sky.cpp" || file == "io/points/ply_points.cpp") continue;
        std::ifstream in(entry.path());
        std::string text;
        while (std::getline(in, text)) {
            INFO(file << ": " << text);
            CHECK_FALSE(std::regex_search(text, byId));
        }
    }
}

TEST_CASE("only src/app uses Qt", "[layering]") {
    const std::regex qt("^(Q[A-Z]|Qt)");
    for (const Include& i : allIncludes()) {
        if (i.folder() == "app") continue;
        INFO(i.file << " includes " << i.target);
        CHECK_FALSE(std::regex_search(i.target, qt));
    }
}

TEST_CASE("OpenVDB is included by two sources only", "[layering]") {
    for (const Include& i : allIncludes()) {
        INFO(i.file);
        if (i.target.rfind("openvdb/", 0) != 0) continue;
        const auto file = i.file.filename();
        CHECK((file == "vdb_points.cpp" || file == "vdb_import.cpp"));
    }
}
