// Poses that simulated strands are kept in and start from.
#include "eval/pose.h"
#include "base/error.h"
#include "document/edits/edits.h"
#include "io/formats/elements_io.h"
#include "strand_support.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;

namespace {

/// A ball whose strands fall, filled, in a scene with a file.
struct Falling {
    TemporaryFolder folder;
    std::filesystem::path scene = folder / "fur.ovrix";
    Document document = Document::fresh();
    std::string layer;
    Evaluator evaluator;
    Falling() {
        document.put(makeNode(document, "sphere", "Ball"));
        document = withStrandLayer(document, "ball", 1.0f, &layer);
        document = withText(document, layer + "/scatter/count", "40");
        document = withText(document, layer + "/fill/count", "300");
        const Node& recipe = document.get(layer);
        size_t fill = 0;
        while (recipe.steps[fill].type != "fill") ++fill;
        document = withStep(document, layer, fill, makeStep("simulate_strands", recipe));
        document = withText(document, layer + "/simulate_strands/stiff", "0.02");
    }
    SceneContext context() const { return {document, folder.path(), scene}; }
    std::vector<V3f> guidesAt(double frame) {
        const LayerResult r =
            evaluator.layer(context(), layer, {frame, Purpose::Render, true}, Progress::none());
        REQUIRE(r.ok);
        REQUIRE(r.guides);
        const auto p = r.guides->points.find<V3f>("P");
        return {p.begin(), p.end()};
    }
};

}  // namespace

TEST_CASE("a pose is kept beside the scene, and started from", "[pose][rods]") {
    Falling f;
    const auto hung = f.guidesAt(20), rest = f.guidesAt(1);
    const auto file = writePose(f.evaluator, f.context(), f.layer, 20, Progress::none());
    CHECK(file.parent_path() == f.folder / "fur.poses");
    // Guides only: what follows in the recipe is no part of a pose.
    CHECK(readStrands(file).size() * readStrands(file).pointsOf(0) == hung.size());
    CHECK(writePose(f.evaluator, f.context(), f.layer, 20, Progress::none()) == file);
    CHECK(writePose(f.evaluator, f.context(), f.layer, 21, Progress::none()) != file);
    const Document before = f.document;
    f.document = withText(f.document, f.layer + "/simulate_strands/starts_as",
                          "fur.poses/" + file.filename().string());
    const auto begun = f.guidesAt(1);
    REQUIRE(begun.size() == hung.size());
    float moved = 0;
    for (size_t i = 0; i < begun.size(); ++i) {
        CHECK((begun[i] - hung[i]).length() < 1e-4f);  // as text with nine digits, and turned twice
        moved = std::max(moved, (begun[i] - rest[i]).length());
    }
    CHECK(moved > 0.01f);
    // Another file under the same name is another life.
    StrandSet other = readStrands(file);
    writeStrands(file, StrandSet(*resampled(other, other.pointsOf(0) + 1, Progress::none())));
    CHECK(f.guidesAt(1) == rest);
    f.document = before;
    CHECK(f.guidesAt(20) == hung);
}

TEST_CASE("without a scene, strands or a pose: refused, and said", "[pose][rods]") {
    Falling f;
    CHECK_THROWS_WITH(writePose(f.evaluator, f.document, f.layer, 1, Progress::none()),
                      Catch::Contains("no file yet"));
    const Document bare = withStepOn(f.document, f.layer, "simulate_strands", false);
    CHECK_THROWS_WITH(writePose(f.evaluator, {bare, f.folder.path(), f.scene}, f.layer, 1, Progress::none()),
                      Catch::Contains("simulates no strands"));
    f.document = withText(f.document, f.layer + "/simulate_strands/starts_as", "nowhere.ply");
    const LayerResult r =
        f.evaluator.layer(f.context(), f.layer, {1, Purpose::Render, true}, Progress::none());
    CHECK_FALSE(r.ok);
    std::string said;
    for (const StepReport& step : r.steps) said += step.error;
    CHECK(said.find("nowhere.ply") != std::string::npos);
}
