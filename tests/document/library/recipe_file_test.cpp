// Recipes as files: what goes along, what stays, laying them elsewhere, their pictures.
#include <fstream>
#include <set>

#include "base/error.h"
#include "base/files.h"
#include "deliver/pictures/recipe_picture.h"
#include "document/file/scene_file.h"
#include "document/library/recipe_file.h"
#include "eval/manual_work.h"
#include "io/image/image_io.h"
#include "recipes.h"
#include "support.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;

namespace {

/// Two kinds of balls with looks of their own on a ground, kept away from a third.
struct Beads {
    Document document = Document::fresh();
    std::string ground, small, big, post, look, layer;
    Beads() {
        const auto add = [&](const char* type, const char* name) {
            Node n = makeNode(document, type, name);
            document.put(n);
            return n.id;
        };
        ground = add("plane", "Ground"), small = add("sphere", "Small"), big = add("torus", "Ring");
        post = add("sphere", "Post"), look = add("surface", "Red");
        document = withText(document, small + "/radius", "0.02");
        document = withText(document, small + "/material", look);
        document = withText(document, big + "/scale", "0.1,0.1,0.1");
        document = withLayer(document, ground, small, &layer);
        document =
            withValue(document, {layer, "copies_of", "prototypes"}, PrototypeMix{{small, 0.7}, {big, 0.3}});
        FieldSource away = makeSource("distance"), painted = makeSource("paint");
        away.params["to"].value = Refs{post};
        document =
            withField(document, {layer, "scatter", "mask"}, std::make_shared<Field>(Field{{away, painted}}));
    }
};

Copies copiesOf(const Document& document, const std::string& layer) {
    Evaluator evaluator;
    const LayerResult r = evaluator.layer(document, layer, {1, Purpose::Render, false}, Progress::none());
    for (const StepReport& s : r.steps) INFO(s.step << ": " << s.error);
    REQUIRE(r.ok);
    return *std::get<std::shared_ptr<const Copies>>(r.geometry);
}

}  // namespace

TEST_CASE("a recipe takes its prototypes and looks along, and leaves what belongs to its place", "[recipe]") {
    Beads s;
    const RecipeFile recipe = recipeOfLayer(s.document, s.layer, "/somewhere");
    CHECK(recipe.parts.nodes().size() == 4);  // layer, two prototypes, a look
    CHECK(recipe.parts.find(s.look));
    CHECK_FALSE(recipe.parts.find(s.post));
    CHECK_FALSE(recipe.parts.find(s.ground));
    CHECK(recipe.leftOut == std::vector<std::string>{"Post"});
    CHECK(recipe.first().params.count("surface") == 0);
    CHECK_FALSE(recipe.parts.get(s.small).rendered);
    CHECK_THROWS_WITH(recipeOfLayer(s.document, s.ground, "/"), Catch::Contains("no recipe"));
}

TEST_CASE("a recipe is read as it was written", "[recipe]") {
    Beads s;
    TemporaryFolder folder;
    RecipeFile recipe = recipeOfLayer(s.document, s.layer, folder.path());
    recipe.name = "Beads \u00fcber alles";
    recipe.about = "Two kinds";
    saveRecipe(recipe, folder / "beads.recipe");
    const RecipeFile back = loadRecipe(folder / "beads.recipe");
    CHECK(back.name == recipe.name);
    CHECK(back.about == recipe.about);
    CHECK(back.parts == recipe.parts);
    CHECK(writeRecipe(back) == writeRecipe(recipe));
}

TEST_CASE("laid in another scene a recipe makes what it made", "[recipe]") {
    Beads s;
    s.document = withField(s.document, {s.layer, "scatter", "mask"}, nullptr);
    const RecipeFile recipe = recipeOfLayer(s.document, s.layer, "/");
    Document other = Document::fresh();
    Node floor = makeNode(other, "plane", "Floor"), clash = makeNode(other, "torus", "Small");
    other.put(floor);
    other.put(clash);
    std::string first, second;
    other = withRecipe(other, recipe, floor.id, &first);
    CHECK(other.get(clash.id).type == "torus");  // an id that was taken is left alone
    const Copies here = copiesOf(s.document, s.layer), there = copiesOf(other, first);
    REQUIRE(there.size() == here.size());
    for (const char* name : {"P"})
        CHECK(std::ranges::equal(here.attributes.find<V3f>(name), there.attributes.find<V3f>(name)));
    CHECK(std::ranges::equal(here.attributes.find<int32_t>("prototype"),
                             there.attributes.find<int32_t>("prototype")));
    // A second time nothing but the layer comes.
    const size_t nodes = other.nodes().size();
    other = withRecipe(other, recipe, floor.id, &second);
    CHECK(other.nodes().size() == nodes + 1);
    CHECK(first != second);
    // On the copies of the first, too.
    std::string third;
    other = withRecipe(other, recipe, first, &third);
    CHECK(std::get<std::string>(other.value(third, "surface")) == first);
    CHECK_THROWS_WITH(withRecipe(other, recipe, "camera"), Catch::Contains("no surface"));
}

TEST_CASE("a recipe takes the place of a layer's own, and its surface stays", "[recipe]") {
    Beads s;
    const RecipeFile recipe = recipeOfLayer(s.document, s.layer, "/");
    Document d = s.document;
    std::string layer;
    d = withLayer(d, s.post, s.big, &layer);
    d = withText(d, layer + "/scatter/count", "7");
    d = withRecipeOf(d, recipe, layer);
    CHECK(std::get<std::string>(d.value(layer, "surface")) == s.post);
    CHECK(std::get<int64_t>(paramAt(d, {layer, "scatter", "count"}).value) ==
          std::get<int64_t>(paramAt(s.document, {s.layer, "scatter", "count"}).value));
    CHECK(prototypesOf(d.get(layer)) == prototypesOf(s.document.get(s.layer)));
}

TEST_CASE("changes by hand and painted maps stay with their scene", "[recipe]") {
    Beads s;
    s.document = withField(s.document, {s.layer, "scatter", "mask"}, nullptr);
    s.document = withPlaced(s.document, s.layer, s.small, {0, 0, 0}, {0, 1, 0});
    const RecipeFile recipe = recipeOfLayer(s.document, s.layer, "/");
    CHECK(std::find(recipe.leftOut.begin(), recipe.leftOut.end(), "changes by hand") != recipe.leftOut.end());
    for (const Step& step : recipe.first().steps)
        for (const auto& [id, param] : step.params)
            if (const auto* edits = std::get_if<ManualEdits>(&param.value)) CHECK(edits->list.empty());
}

TEST_CASE("files that are no recipes are refused with their name", "[recipe]") {
    Beads s;
    const std::string text = writeRecipe(recipeOfLayer(s.document, s.layer, "/"));
    CHECK_THROWS_WITH(readRecipe("", "x.recipe"), Catch::Contains("x.recipe"));
    CHECK_THROWS_WITH(readRecipe(writeScene(s.document), "x.recipe"), Catch::Contains("no Ovrix recipe"));
    CHECK_THROWS(readRecipe("{\"format\": \"ovrix-recipe\", \"version\": 2, \"nodes\": []}", "x"));
    CHECK_THROWS_WITH(readRecipe("{\"format\": \"ovrix-recipe\", \"version\": 99, \"nodes\": []}", "x"),
                      Catch::Contains("newer"));
    std::mt19937_64 random(testSeed());
    for (int i = 0; i < 300; ++i) {
        std::string bad = text;
        damage(bad, random);
        try {
            const RecipeFile recipe = readRecipe(bad, "x");
            CHECK(recipe.first().category() == Category::Layer);
        } catch (const Error& e) {
            CHECK_FALSE(std::string(e.what()).empty());
        }
    }
}

TEST_CASE("the recipes that come along are all good, and a picture shows something", "[recipe]") {
    TemporaryFolder folder;
    ovrix::demo::writeRecipes(folder / "built_in");
    std::filesystem::create_directories(folder / "own");
    std::ofstream(folder / "own/broken.recipe") << "{";
    const auto list = libraryOf(kRecipes, folder / "built_in", folder / "own", folder / "pictures");
    REQUIRE(list.size() == 15);
    CHECK(list.back().own);
    CHECK_THAT(list.back().error, Catch::Contains("broken.recipe"));
    for (const LibraryEntry& entry : list) {
        if (entry.own) continue;
        INFO(entry.name);
        CHECK(entry.error.empty());
        CHECK_FALSE(entry.about.empty());
        CHECK(writeRecipe(loadRecipe(entry.file)) == readFile(entry.file));
    }
    const LibraryEntry& one = list[0];
    writeRecipePicture(loadRecipe(one.file), one.picture, Progress::none());
    ImageCache images;
    const auto picture = images.image(one.picture.string(), "sRGB");
    REQUIRE(picture);
    CHECK(picture->width == 240);
    std::set<std::tuple<float, float, float>> colors;
    for (int i = 0; i < 240 * 160; i += 7) {
        const Color c = picture->color(i % 240, i / 240);
        colors.insert({c.x, c.y, c.z});
    }
    CHECK(colors.size() > 500);  // a plain ground would have a few
    Progress stopped;
    stopped.cancel();
    CHECK_THROWS_AS(writeRecipePicture(loadRecipe(one.file), folder / "never.png", stopped), Cancelled);
    CHECK_FALSE(std::filesystem::exists(folder / "never.png"));
}

TEST_CASE("names of recipe files are plain and free", "[recipe]") {
    TemporaryFolder folder;
    CHECK(freeFile(folder.path(), "Short grass, wet!", ".recipe").filename() == "short_grass_wet.recipe");
    CHECK(freeFile(folder.path(), "\u00e4\u00f6", ".recipe").filename() == "recipe.recipe");
    CHECK(freeFile(folder.path(), "../../etc", ".recipe").filename() == "etc.recipe");
    std::ofstream(folder / "etc.recipe") << "x";
    CHECK(freeFile(folder.path(), "etc", ".recipe").filename() == "etc_2.recipe");
}
