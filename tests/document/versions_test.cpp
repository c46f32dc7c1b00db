// Scenes of older versions.
#include "base/error.h"
#include "base/files.h"
#include "document/edits/edits.h"
#include "document/file/scene_file.h"
#include "support.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;

TEST_CASE("older versions are brought up to date, one step after the other", "[scene-file]") {
    std::vector<Migration> table = {[](nlohmann::ordered_json& j) { j["a"] = j["old"]; },
                                    [](nlohmann::ordered_json& j) { j["b"] = j["a"]; }};
    nlohmann::ordered_json scene{{"version", 1}, {"old", 5}};
    migrateScene(scene, table, "x");
    CHECK(scene["version"] == 3);
    CHECK(scene["b"] == 5);
    CHECK(sceneMigrations().size() + 1 == size_t(kSceneVersion));
    for (const nlohmann::ordered_json& bad :
         {nlohmann::ordered_json{{"version", 9}}, nlohmann::ordered_json{{"version", "two"}},
          nlohmann::ordered_json{{"version", 0}}, nlohmann::ordered_json::object()}) {
        auto copy = bad;
        CHECK_THROWS_AS(migrateScene(copy, table, "x"), Error);
    }
    // Kept from version 1: must open for ever.
    const Document kept = loadScene(std::filesystem::path(OVRIX_SOURCE_DIR) / "tests/data/version-1.ovrix");
    CHECK(kept.find("ledge_stones"));
    CHECK(std::get<std::string>(
              paramAt(kept, ParamPath::parse(kept, "ledge_stones/scatter/keep/field/1/kind")).value) ==
          "ridged");
    CHECK(std::get<int64_t>(paramAt(kept, ParamPath::parse(kept, "ledge_stones/scatter/count")).value) ==
          1234);
}

TEST_CASE("blades of version 2 keep their pictures and their shape", "[scene-file]") {
    const Document kept = loadScene(std::filesystem::path(OVRIX_SOURCE_DIR) / "tests/data/version-2.ovrix");
    CHECK(std::get<std::string>(kept.value("leaf", "pictures")) == "0, 6, 7");
    const Curve profile = std::get<Curve>(kept.value("leaf", "profile"));
    CHECK(profile.points == std::vector<V2f>{{0, 0.25f}, {0.5f, 1}, {1, 0.125f}});
    CHECK(kept.get("leaf").params.count("widest") == 0);
    CHECK(kept.get("leaf").unknown.empty());
    CHECK(std::get<Curve>(kept.value("plain", "profile")).points ==
          std::vector<V2f>{{0, 0.6f}, {0.3f, 1}, {1, 0}});
}

TEST_CASE("noise of version 4 keeps to the world, and new noise to its object", "[scene-file]") {
    const Document kept = loadScene(std::filesystem::path(OVRIX_SOURCE_DIR) / "tests/data/version-4.ovrix");
    const auto spaceOf = [](const Document& d) {
        return std::get<std::string>(paramAt(d, ParamPath::parse(d, "moss/roughness/field/0/space")).value);
    };
    CHECK(spaceOf(kept) == "in the world");
    CHECK(spaceOf(readScene(writeScene(kept), "again")) == "in the world");
    std::string now = readFile(std::filesystem::path(OVRIX_SOURCE_DIR) / "tests/data/version-4.ovrix");
    now.replace(now.find("\"version\": 4"), 12, "\"version\": 5");
    CHECK(spaceOf(readScene(now, "new")) == "on the object");
}
