// Pictures of before: kept, gone on with, noted, dropped, taken back.
#include "deliver/pictures/history.h"
#include "base/error.h"
#include "base/files.h"
#include "document/edits/edits.h"
#include "io/image/image_io.h"
#include "support.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;

namespace {

HistoryEntry entryOf(int64_t time, double frame = 1) {
    HistoryEntry e;
    e.name = "pool", e.time = time, e.frame = frame, e.width = 3, e.height = 2, e.passes = 4;
    return e;
}

const std::vector<uint32_t> kPicture(6, 0xFF336699u);

}  // namespace

TEST_CASE("pictures of before keep their scene, their note and their pixels", "[history]") {
    const TemporaryFolder folder;
    PictureHistory history(folder / "history");
    CHECK(history.all().empty());
    Document d = withText(Document::fresh(), "sun/elevation", "12");
    d.put(makeNode(d, "mesh_file", "Rock"));
    d = withText(d, "rock/file", "rocks/one.obj");
    const HistoryEntry first = history.add(entryOf(100), kPicture, d, folder.path());
    CHECK(readImage(first.picture, "Raw")->width == 3);
    const Document back = history.documentOf(first, folder.path());
    CHECK(back == d);
    // Elsewhere its paths still lead to the same file.
    const Document moved = history.documentOf(first, folder / "other");
    CHECK(std::get<std::string>(moved.value("rock", "file")) == "../rocks/one.obj");
    // The same scene that goes on takes the place of what it was; another one does not.
    HistoryEntry on = entryOf(160);
    on.passes = 64;
    history.add(on, kPicture, d, folder.path());
    REQUIRE(history.all().size() == 1);
    CHECK(history.all()[0].passes == 64);
    history.add(entryOf(170), kPicture, withText(d, "sun/elevation", "13"), folder.path());
    history.add(entryOf(170, 2), kPicture, withText(d, "sun/elevation", "13"), folder.path());
    CHECK(history.all().size() == 3);
    CHECK(history.all()[0].frame == 2);
    history.setNote(history.all()[2], "the low one");
    CHECK(history.all()[2].note == "the low one");
    history.remove(history.all()[0]);
    CHECK(history.all().size() == 2);
}

TEST_CASE("old pictures without a note go, damaged ones are left out", "[history][damaged]") {
    const TemporaryFolder folder;
    PictureHistory history(folder / "history", 4);
    const Document d = Document::fresh();
    const HistoryEntry noted = history.add(entryOf(1, 1), kPicture, d, folder.path());
    history.setNote(noted, "keep me");
    for (int i = 2; i < 9; ++i) history.add(entryOf(i, i), kPicture, d, folder.path());
    const auto all = history.all();
    REQUIRE(all.size() == 4);
    CHECK(all.back().note == "keep me");
    CHECK(all.front().frame == 8);
    for (const char* bad : {"", "{", "[]", "{\"name\": 5}"}) {
        writeFile(folder / "history/bad.json", bad);
        CHECK(history.all().size() == 4);
    }
    std::filesystem::remove(all[1].picture);
    CHECK(history.all().size() == 3);
    writeFile(std::filesystem::path(all[2].picture).replace_extension(".ovrix"), "no scene");
    CHECK_THROWS_AS(history.documentOf(all[2], folder.path()), Error);
}
