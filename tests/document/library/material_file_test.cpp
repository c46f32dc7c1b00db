// Materials as files.
#include "document/library/material_file.h"

#include "base/error.h"
#include "base/files.h"
#include "document/edits/edits.h"
#include "support.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;

namespace {

struct Bench {
    Document d = Document::fresh();
    TemporaryFolder folder;
    std::string add(const std::string& type, const std::string& name) {
        const Node n = makeNode(d, type, name);
        d.put(n);
        return n.id;
    }
    void set(const std::string& path, const std::string& text) { d = withText(d, path, text); }
};

}  // namespace

TEST_CASE("a material goes to another scene with what lies over it", "[documents][materials]") {
    Bench b;
    const std::string rock = b.add("surface", "Rock"), sand = b.add("surface", "Sand"),
                      ball = b.add("sphere", "Ball");
    b.set(rock + "/base_color", "0.1,0.2,0.3");
    b.set(rock + "/over", sand);
    FieldSource near = makeSource("distance");
    near.params["to"].value = Refs{ball};
    b.d = withField(b.d, {rock, "", "over_weight"}, std::make_shared<Field>(Field{{near}}));
    const PartsFile file = materialFileOf(b.d, rock, b.folder.path());
    CHECK(file.name == "Rock");
    CHECK(file.parts.nodes().size() == 2);
    CHECK(file.leftOut == std::vector<std::string>{"Ball"});
    const PartsFile read = readParts(writeParts(file, kMaterials), "rock.material", kMaterials);
    CHECK(read.parts == file.parts);
    CHECK(read.name == file.name);
    Document other = Document::fresh();
    std::string id;
    other = withMaterialFile(other, read, &id);
    CHECK(std::get<Color>(other.value(id, "base_color")) == Color(0.1f, 0.2f, 0.3f));
    const std::string over = std::get<std::string>(other.value(id, "over"));
    REQUIRE(other.find(over));
    CHECK(other.get(over).name == "Sand");
    // Again it is the same one, and nothing is added.
    std::string again;
    const Document same = withMaterialFile(other, read, &again);
    CHECK(again == id);
    CHECK(same == other);
    // Changed meanwhile it is another.
    other = withText(other, id + "/base_color", "1,0,0");
    const Document both = withMaterialFile(other, read, &again);
    CHECK(again != id);
    CHECK(both.nodes().size() == other.nodes().size() + 1);
}

TEST_CASE("materials that lie over one another in a ring are saved once each", "[documents][materials]") {
    Bench b;
    const std::string a = b.add("surface", "A"), c = b.add("surface", "B");
    b.set(a + "/over", c);
    b.set(c + "/over", a);
    const PartsFile file = materialFileOf(b.d, a, b.folder.path());
    CHECK(file.parts.nodes().size() == 2);
    CHECK(file.leftOut == std::vector<std::string>{"A"});
    b.set(a + "/over", a);
    CHECK(materialFileOf(b.d, a, b.folder.path()).parts.nodes().size() == 1);
}

TEST_CASE("objects and layers wear a material, and nothing else does", "[documents][materials]") {
    Bench b;
    const std::string rock = b.add("surface", "Rock"), ball = b.add("sphere", "Ball"),
                      lamp = b.add("ball", "Lamp"), layer = b.add("layer", "Moss");
    for (const std::string& wearer : {ball, layer})
        CHECK(std::get<std::string>(withWorn(b.d, wearer, rock).value(wearer, "material")) == rock);
    CHECK_THROWS_AS(withWorn(b.d, lamp, rock), Error);
    CHECK_THROWS_AS(withWorn(b.d, rock, rock), Error);
    CHECK_THROWS_AS(withWorn(b.d, "none", rock), Error);
    CHECK_THROWS_AS(materialFileOf(b.d, ball, b.folder.path()), Error);
}

TEST_CASE("bad files of materials are refused in words", "[documents][materials][damaged]") {
    for (const char* text :
         {"", "{", "[]", R"({"format":"ovrix-recipe","version":8,"nodes":[]})",
          R"({"format":"ovrix-material","version":8,"nodes":[]})",
          R"({"format":"ovrix-material","version":99,"nodes":[]})",
          R"({"format":"ovrix-material","version":8,"nodes":[{"id":"a","type":"sphere","name":"A"}]})"})
        CHECK_THROWS_AS(readParts(text, "bad.material", kMaterials), Error);
}
