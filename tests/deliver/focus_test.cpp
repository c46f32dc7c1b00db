// Cameras that keep one element of a layer sharp.
#include "deliver/studio.h"
#include "document/edits/aim.h"
#include "eval/camera_options.h"
#include "eval/pick/element_pick.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;

namespace {

/// Three copies one behind the other, seen along -Z from 10.
struct Row : Studio {
    std::string layer;
    explicit Row(bool copies = true) {
        set("camera/position", "0,0,10");
        set(ball + "/radius", "0.2");
        set(ball + "/rendered", "false");
        writeFile(folder / "points.csv", "x,y,z,id\n0,0,4,7\n0.5,0,0,8\n0,1,-6,90\n");
        Node n = makeNode(document, "layer", "Row");
        n.steps = {makeStep("from_file", n)};
        n.steps[0].params["file"].value = std::string("points.csv");
        if (copies) {
            n.steps.push_back(makeStep("copies_of", n));
            n.steps[1].params["prototypes"].value = PrototypeMix{{ball, 1}};
        }
        layer = n.id;
        document.put(std::move(n));
    }
    RenderJob job(const JobOptions& options = {}) {
        RenderSceneBuilder builder(evaluator);
        return builder.build(scene(), options, Progress::none());
    }
    std::optional<uint64_t> near(const V3f& place) {
        return elementNear(evaluator, scene(), layer, {1, Purpose::Render, true}, place, Progress::none());
    }
};

}  // namespace

TEST_CASE("a camera stays sharp where an element goes", "[camera][translate]") {
    for (const bool copies : {true, false}) {
        Row s(copies);
        s.set("camera/focus", "3");
        CHECK(s.job().cameras.back().focus == Approx(3));
        const auto ids = [&] {
            std::vector<uint64_t> all;
            for (const float z : {4.0f, 0.0f, -6.0f})
                all.push_back(*s.near(V3f(z == 0 ? 0.5f : 0, z < 0 ? 1 : 0, z)));
            return all;
        }();
        const float away[] = {6, 10, 16};
        for (size_t i = 0; i < 3; ++i) {
            s.document = withFocusOn(s.document, s.layer, std::to_string(ids[i]), 1);
            const RenderJob job = s.job();
            CHECK(job.problems.empty());
            CHECK(job.cameras.back().focus == Approx(away[i]).epsilon(1e-5));
            CHECK(focusedLayer(s.document, "camera", 1) == s.layer);
        }
        // The file's points go on: so does the focus.
        writeFile(s.folder / "points.csv", "x,y,z,id\n0,0,4,7\n0.5,0,2,8\n0,1,-8,90\n");
        CHECK(s.job().cameras.back().focus == Approx(18).epsilon(1e-5));
        // A click lets go of it.
        s.document = withFocusAt(s.document, V3f(0, 0, 5), 1);
        CHECK(focusedLayer(s.document, "camera", 1).empty());
        CHECK(s.job().cameras.back().focus == Approx(5));
    }
}

TEST_CASE("a focus that cannot be is said, and the camera's own distance holds", "[camera][damaged]") {
    Row s;
    s.set("camera/focus", "3");
    const std::string first = std::to_string(*s.near(V3f(0, 0, 4)));
    for (const std::string& wrong : {std::string(), std::string("1234567"), std::string("x"),
                                     std::string("99999999999999999999999"), "-" + first, first + " "}) {
        s.document = withFocusOn(s.document, s.layer, wrong, 1);
        const RenderJob job = s.job();
        INFO(wrong);
        REQUIRE(job.problems.size() == 1);
        CHECK(job.problems[0].find("focus") != std::string::npos);
        CHECK(job.cameras.back().focus == Approx(3));
    }
    JobOptions draft;
    draft.draft = true;
    CHECK(s.job(draft).problems.empty());  // a draft has not every element
    s.document = withFocusOn(s.document, s.layer, first, 1);
    s.set("camera/target", "0,0,20");  // looks away from it
    CHECK(s.job().problems.size() == 1);
    // Without its layer it focuses on nothing.
    s.document = withoutNode(s.document, s.layer);
    CHECK(s.job().problems.empty());
    CHECK_THROWS_AS(withFocusOn(withoutNode(s.document, "camera"), "x", "", 1), Error);
}

TEST_CASE("an element is asked for where the focus is on a layer", "[camera][documents]") {
    Row s;
    const ParamPath element{"camera", "", kCamera.focusElement.id()};
    const auto applies = [&] { return appliesAt(s.document, element, specAt(s.document, element)); };
    CHECK(!applies());
    s.document = withFocusOn(s.document, s.ball, "", 1);
    CHECK(!applies());
    s.document = withFocusOn(s.document, s.layer, "7", 1);
    CHECK(applies());
    s.document = withFocusOn(s.document, "gone", "7", 1);
    CHECK(!applies());
}

TEST_CASE("the element at a place is that in whose box it lies", "[camera]") {
    Row s;
    const uint64_t first = *s.near(V3f(0, 0, 4)), second = *s.near(V3f(0.5f, 0, 0)),
                   third = *s.near(V3f(0, 1, -6));
    CHECK(first != second);
    CHECK(second != third);
    CHECK(s.near(V3f(0, 0.19f, 4.05f)) == first);
    CHECK(s.near(V3f(0.6f, 0.1f, 0.1f)) == second);
    CHECK(s.near(V3f(0, 9, -9)) == third);
    // A large one reaches to where a small one's middle is nearer.
    writeFile(s.folder / "points.csv", "x,y,z,scale\n0,0,0,10\n2.3,0,0,1\n");
    const uint64_t large = *s.near(V3f(0, 0, 0));
    CHECK(s.near(V3f(1.6f, 0, 0)) == large);
    CHECK(s.near(V3f(2.3f, 0, 0)) != large);
    // Nothing makes no element, nor does what is no layer.
    writeFile(s.folder / "points.csv", "x,y,z\n");
    CHECK(!s.near(V3f(0.0f)));
}

TEST_CASE("the strand at a place is that of the nearest point", "[camera][strand]") {
    Row s(false);
    Node n = makeNode(s.document, "layer", "Coat");
    n.params["surface"].value = s.ball;
    for (const char* step : {"scatter", "grow"}) n.steps.push_back(makeStep(step, n));
    s.layer = n.id;
    s.document.put(std::move(n));
    const Geometry g =
        s.evaluator.layer(s.scene(), s.layer, {1, Purpose::Render, true}, Progress::none()).geometry;
    const auto& strands = *std::get<std::shared_ptr<const StrandSet>>(g);
    const auto points = strands.points.find<V3f>("P");
    const auto ids = strands.strands.find<uint64_t>("id");
    REQUIRE(strands.size() > 10);
    for (const size_t i : {size_t(0), strands.size() / 2, strands.size() - 1})
        for (const uint32_t p : {strands.start[i], strands.start[i + 1] - 1})
            CHECK(s.near(points[p]) == ids[i]);
}
