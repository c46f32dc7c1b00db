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
              paramAt(kept, ParamPath::parse(kept, "ledge_stones/scatter/mask/field/1/kind")).value) ==
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
        return std::get<std::string>(
            paramAt(d, ParamPath::parse(d, "moss/specular_roughness/field/0/space")).value);
    };
    CHECK(spaceOf(kept) == "in the world");
    CHECK(spaceOf(readScene(writeScene(kept), "again")) == "in the world");
    std::string now = readFile(std::filesystem::path(OVRIX_SOURCE_DIR) / "tests/data/version-4.ovrix");
    now.replace(now.find("\"version\": 4"), 12, "\"version\": 5");  // of which noise is as it is
    CHECK(spaceOf(readScene(now, "new")) == "on the object");
}

TEST_CASE("surfaces of version 6 are called as the open specification calls them, and shine as they did",
          "[scene-file]") {
    const Document kept = loadScene(std::filesystem::path(OVRIX_SOURCE_DIR) / "tests/data/version-6.ovrix");
    for (const NodePtr& node : kept.nodes()) CHECK(node->unknown.empty());
    const auto is = [&](const char* path, const char* wanted) {
        INFO(path);
        CHECK(valueToJson(paramAt(kept, ParamPath::parse(kept, path)).value).dump() == wanted);
    };
    is("stone/base_color", "[0.1,0.2,0.3]");
    is("stone/specular_roughness", "0.25");
    is("stone/base_metalness", "0.5");
    is("stone/specular_weight", "0.8");
    is("stone/geometry_opacity", "0.75");
    is("stone/translucency", "0.125");
    is("stone/emission_color", "[1.0,0.5,0.0]");
    is("stone/emission_luminance", "537.0");
    const Param wet = paramAt(kept, {"wet", "", "specular_weight"});
    CHECK(std::get<double>(wet.value) == 1.0);
    CHECK(std::get<double>(wet.low) == Approx(0.2));
    CHECK(wet.field->sources.size() == 1);
    CHECK(paramAt(kept, {"wet", "", "base_color"}).field);
    const Param moving = paramAt(kept, {"moving", "", "specular_weight"});
    REQUIRE(moving.keys.size() == 2);
    CHECK(std::get<double>(moving.keys[0].value) == Approx(0.4));
    CHECK(std::get<double>(moving.keys[1].value) == Approx(1.2));
    CHECK(moving.keys[0].after.frames == 2.0);
    CHECK(moving.keys[0].after.by[0] == Approx(0.1));
    CHECK(std::get<double>(paramAt(kept, {"moving", "", "specular_roughness"}).at(50)) == Approx(0.5));
    CHECK(std::get<double>(paramAt(kept, {"said", "", "specular_weight"}).at(50)) == Approx(1.2));
    is("hair/roughness", "0.2");  // a fibre's own
    is("hair/specular", "0.5");
    CHECK(writeScene(readScene(writeScene(kept))) == writeScene(kept));
}

TEST_CASE("what shone in version 7 gives as much light in nits, and what did not shines no more",
          "[scene-file]") {
    const Document kept = loadScene(std::filesystem::path(OVRIX_SOURCE_DIR) / "tests/data/version-7.ovrix");
    for (const NodePtr& node : kept.nodes()) CHECK(node->unknown.empty());
    const auto nits = [&](const char* id, double frame) {
        return std::get<double>(paramAt(kept, {id, "", "emission_luminance"}).at(frame));
    };
    CHECK(nits("lamp", 1) == 3.0 * 179.0);
    CHECK(nits("plain", 1) == 179.0);
    CHECK(nits("dark", 1) == 0.0);
    CHECK(nits("never", 1) == 0.0);
    CHECK(std::get<Color>(paramAt(kept, {"lamp", "", "emission_color"}).value) == Color(1, 0.5f, 0));
    const Param driven = paramAt(kept, {"driven", "", "emission_luminance"});
    CHECK(std::get<double>(driven.value) == 358.0);
    CHECK(std::get<double>(driven.low) == 179.0);
    CHECK(driven.field);
    // Renders are as they were, though new ones begin with other numbers.
    CHECK(kept.renderSetting(kRender.limit) == 4.0);
    CHECK(kept.renderSetting(kRender.bounces) == 6);
    CHECK(kept.renderSetting(kRender.filter) == "tent");
    CHECK(kept.renderSetting(kRender.roughen) == 0.0);
    CHECK(nits("keyed", 1) == 0.0);
    CHECK(nits("keyed", 6) == Approx(358.0));
    CHECK(writeScene(readScene(writeScene(kept))) == writeScene(kept));
}

TEST_CASE("version 5 had words of several senses, whose values are kept", "[scene-file]") {
    const Document kept = loadScene(std::filesystem::path(OVRIX_SOURCE_DIR) / "tests/data/version-5.ovrix");
    for (const NodePtr& node : kept.nodes()) {
        INFO(node->id);
        CHECK(node->unknown.empty());  // an id that was missed would be one that nobody knows
        for (const Step& step : node->steps) {
            INFO(step.id << ": " << step.unknown.dump());
            CHECK(step.unknown.empty());
        }
    }
    const auto is = [&](const char* path, const char* wanted) {
        INFO(path);
        CHECK(valueToJson(paramAt(kept, ParamPath::parse(kept, path)).value).dump() == wanted);
    };
    is("hair/spread/mask", "0.5");
    is("stones/scatter/mask", "0.75");
    CHECK(paramAt(kept, {"stones", "scatter", "mask"}).field);
    is("stones/orient/up", "\"point\"");
    is("stones/orient/up_point", "[7.0,8.0,9.0]");
    is("stones/orient/up_object", "\"pebble\"");
    is("stones/vary_size/form", "\"uniform\"");
    is("stones/gravity/acceleration", "[0.0,-3.0,0.0]");
    is("stones/turbulence/mode", "\"flow\"");
    is("stones/turbulence/response", "2.5");
    is("stones/vectors/mode", "\"force\"");
    is("stones/vortex/position", "[1.0,2.0,3.0]");
    is("stones/attract/toward", "\"surface\"");
    is("stones/attract/position", "[4.0,5.0,6.0]");
    is("stones/follow_curve/response", "6.0");
    is("stones/target/damping", "0.5");
    CHECK(paramAt(kept, {"stones", "land", "fraction"}).keys.size() == 2);
    is("stones/steer/turn_rate", "90.0");
    is("stones/facing/mode", "\"along velocity\"");
    is("stones/offspring/when", "\"along its path\"");
    is("stones/copies_of/prototypes", R"([{"of":"pebble","weight":0.3}])");
    is("stones/by_hand/edits", R"([{"id":3,"rotation":[0.0,1.0,0.0,0.0]}])");
    is("rows/grid/rotation", "30.0");
    is("rows/grid/mask", "0.5");
    is("sky/azimuth", "45.0");
    is("moss/specular_roughness/field/0/projection", "\"box\"");
    is("hair/fill/mask", "0.9");
    is("hair/flyaways/fraction", "0.2");
    is("hair/simulate_strands/shape_memory", "0.6");
    is("hair/strand_turbulence/mode", "\"flow\"");
    const auto combed = valueToJson(paramAt(kept, {"hair", "comb", "combing"}).value);
    CHECK(combed["strands"][0]["position"].dump() == "[0.5,0.0,0.5]");
    CHECK(writeScene(readScene(writeScene(kept))) == writeScene(kept));
}
