#include "document/library/finish_file.h"

#include "base/error.h"
#include "base/files.h"
#include "deliver/pictures/finish_sample.h"
#include "document/edits/edits.h"
#include "document/model/step_registry.h"
#include "finishings.h"
#include "io/image/image_io.h"
#include "support.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;

namespace {

Document finished(const std::vector<std::string>& types) {
    Document d = Document::fresh();
    for (const std::string& type : types)
        d = withStep(d, "finish", d.get("finish").steps.size(), makeStep(type, d.get("finish")));
    return d;
}

}  // namespace

TEST_CASE("a finish is saved and used in another scene", "[finish-file]") {
    Document d = finished({"vignette", "grain"});
    d = withText(d, "finish/response", "punchy");
    d = withText(d, "finish/vignette/stops", "-2");
    const PartsFile file = readParts(writeParts(finishFileOf(d, {}), kFinishings), "a.finish", kFinishings);
    Document other = finished({"exposure"});
    other = withText(other, "render/samples", "3");
    const Document used = withFinishFile(other, file);
    CHECK(used.get("finish").steps == d.get("finish").steps);
    CHECK(used.finishSetting(kFinish.response) == "punchy");
    CHECK(used.renderSetting(kRender.samples) == 3);
    CHECK(used.nodes().size() == other.nodes().size());
}

TEST_CASE("what a finish names of its scene stays behind, and is told", "[finish-file]") {
    Document d = finished({"exposure"});
    d.put(makeNode(d, "sphere", "Buoy"));
    d = withText(d, "finish/exposure/things", "buoy");
    const PartsFile file = finishFileOf(d, {});
    CHECK(file.leftOut == std::vector<std::string>{"Buoy"});
    CHECK(file.parts.nodes().size() == 1);
    CHECK_NOTHROW(withFinishFile(Document::fresh(), file));
    // Without steps, of another kind, and damaged.
    CHECK_THROWS_WITH(finishFileOf(Document::fresh(), {}), Catch::Contains("no steps"));
    const std::string text = writeParts(file, kFinishings);
    CHECK_THROWS_WITH(readParts(text, "a", kMaterials), Catch::Contains("material"));
    CHECK_THROWS_AS(readParts(text.substr(0, text.size() / 2), "a", kFinishings), Error);
}

TEST_CASE("the finishes that come along are all good, and a picture shows them", "[finish-file]") {
    TemporaryFolder folder;
    ovrix::demo::writeFinishings(folder / "built_in");
    const auto list = libraryOf(kFinishings, folder / "built_in", folder / "own", folder / "pictures");
    REQUIRE(list.size() == 5);
    std::vector<decltype(readImage(folder / "a", "Raw")->pixels)> pictures;
    for (const LibraryEntry& entry : list) {
        INFO(entry.name);
        CHECK(entry.error.empty());
        CHECK_FALSE(entry.about.empty());
        const PartsFile file = readParts(readFile(entry.file), entry.file.string(), kFinishings);
        for (const Step& step : file.first().steps) CHECK(findStepType(step.type));
        if (pictures.size() < 2) {
            writeFinishPicture(file, entry.picture, Progress::none());
            pictures.push_back(readImage(entry.picture, "Raw")->pixels);
        }
    }
    CHECK(pictures[0].size() == pictures[1].size());
    CHECK(pictures[0] != pictures[1]);
}
