// Strands behind points that move.
#include "ops/time/trails.h"

#include "document/edits/edits.h"
#include "eval/evaluator.h"
#include "strand_support.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;

namespace {

/// Points that go straight on, each with its speed; @p seconds ago.
std::shared_ptr<PointSet> going(const std::vector<V3f>& now, const std::vector<V3f>& speed, double seconds) {
    auto set = std::make_shared<PointSet>();
    std::vector<V3f> p;
    std::vector<uint64_t> id;
    for (size_t i = 0; i < now.size(); ++i)
        p.push_back(now[i] - speed[i] * float(seconds)), id.push_back(10 + i);
    set->attributes.set("P", std::move(p));
    set->attributes.set("id", std::move(id));
    return set;
}

}  // namespace

TEST_CASE("a trail lies where its point was, and is wide and coloured as it says", "[ops][trails]") {
    const std::vector<V3f> now = {V3f(0.0f), V3f(1, 0, 0), V3f(5, 5, 5)};
    const std::vector<V3f> speed = {V3f(0, 2, 0), V3f(1, 0, -1), V3f(0.0f)};
    TrailOptions o;
    o.seconds = 1, o.pieces = 4, o.width = 0.1f, o.tail = 0.5f;
    o.head = Color(1.0f, 0.5f, 0.0f), o.end = Color(0.0f, 0.5f, 1.0f);
    const auto first = going(now, speed, 0);
    first->attributes.set("scale", std::vector<float>{1, 3, 1});
    first->attributes.set("color", std::vector<Color>{Color(1.0f), Color(0.5f), Color(1.0f)});
    const auto made = trailsOf(
        *first, [&](double ago) -> Geometry { return going(now, speed, ago); }, o, Progress::none());
    REQUIRE(made->size() == 2);  // the last stands still
    CHECK(made->round);
    const auto id = made->strands.find<uint64_t>("id");
    const auto width = made->points.find<float>("width");
    const auto color = made->points.find<Color>("color");
    for (size_t s = 0; s < 2; ++s) {
        CHECK(id[s] == 10 + s);
        const auto p = line(*made, s);
        REQUIRE(p.size() == 5);
        for (size_t k = 0; k < 5; ++k) {
            const float t = 0.25f * float(k);
            CHECK((p[k] - (now[s] - speed[s] * t)).length() < 1e-6f);  // a few roundings
            CHECK(width[made->start[s] + k] == Approx(0.1f * (s ? 3 : 1) * (1 - 0.5f * t)));
            const Color want = (o.head + (o.end - o.head) * t) * (s ? 0.5f : 1.0f);
            CHECK(color[made->start[s] + k].x == Approx(want.x).margin(1e-6));
            CHECK(color[made->start[s] + k].z == Approx(want.z).margin(1e-6));
        }
    }
}

TEST_CASE("a trail ends where its point was born, or was not there", "[ops][trails]") {
    const std::vector<V3f> now = {V3f(0.0f), V3f(1, 0, 0), V3f(2, 0, 0)};
    const std::vector<V3f> speed(3, V3f(0, 1, 0));
    TrailOptions o;
    o.seconds = 1, o.pieces = 4;
    const auto first = going(now, speed, 0);
    first->attributes.set("age", std::vector<float>{9, 0.5f, 0.1f});
    const auto at = [&](double ago) -> Geometry {
        auto set = going(now, speed, ago);
        if (ago > 0.6) set->attributes = set->attributes.gathered(std::vector<uint32_t>{2, 1});
        return set;
    };
    auto made = trailsOf(*first, at, o, Progress::none());
    REQUIRE(made->size() == 2);  // the last was born since the first look
    CHECK(made->pointsOf(0) == 3);
    CHECK(made->pointsOf(1) == 3);
    // Where there is nothing before, or what is no points, there are none.
    CHECK(trailsOf(
              *first, [](double) { return Geometry(); }, o, Progress::none())
              ->size() == 0);
    // A place that is none ends no program, and has no trail.
    made = trailsOf(
        *first,
        [&](double ago) -> Geometry {
            auto set = going(now, speed, ago);
            set->attributes.add<V3f>("P")[0].y = std::nanf("");
            return set;
        },
        o, Progress::none());
    CHECK(made->size() == 1);
    CHECK(trailsOf(PointSet(), at, o, Progress::none())->size() == 0);
}

TEST_CASE("neighbours have one strand between each two, the same however they are sorted", "[ops][trails]") {
    const std::vector<V3f> now = {V3f(0.0f), V3f(0.1f, 0, 0), V3f(0.25f, 0, 0), V3f(9, 0, 0)};
    const auto set = going(now, std::vector<V3f>(4, V3f(0.0f)), 0);
    TrailOptions o;
    o.seconds = 0, o.between = 0.2f, o.width = 0.01f;
    const auto none = [](double) { return Geometry(); };
    const auto made = trailsOf(*set, none, o, Progress::none());
    REQUIRE(made->size() == 2);
    CHECK(line(*made, 0)[1] == now[1]);
    CHECK(made->points.find<float>("width")[0] == Approx(0.01f * 0.5f));
    CHECK(made->points.find<float>("width")[2] == Approx(0.01f * 0.25f));
    const auto ids = made->strands.find<uint64_t>("id");
    CHECK(ids[0] != ids[1]);
    o.between = 0.05f;
    CHECK(trailsOf(*set, none, o, Progress::none())->size() == 0);
}

TEST_CASE("trails in a recipe go back over the frames that were simulated", "[ops][trails][simulate]") {
    Document d = Document::fresh();
    Node plate = makeNode(d, "plane", "Plate");
    plate.params["position"].value = V3d(0, 2, 0);
    d.put(plate);
    Node rain = makeNode(d, "layer", "Rain");
    rain.params["surface"].value = std::string("plate");
    rain.steps.push_back(makeStep("scatter", rain));
    d.put(rain);
    d = withText(d, "rain/scatter/count", "50");
    d = withStep(d, "rain", 1, makeStep("simulate", d.get("rain")));
    const Document plain = d;
    d = withStep(d, "rain", 2, makeStep("trails", d.get("rain")));
    d = withValue(d, ParamPath::parse(d, "rain/trails/length"), 4.0 / d.rate());
    d = withText(d, "rain/trails/pieces", "4");
    Evaluator evaluator;
    const auto eval = [&](const Document& of, double frame) {
        return evaluator.layer(of, "rain", {frame, Purpose::Viewport, true}, Progress::none());
    };
    const LayerResult result = eval(d, 12);
    REQUIRE(result.ok);
    const auto trails = linesById(*std::get<StrandsPtr>(result.geometry));
    REQUIRE(trails.size() > 5);
    size_t whole = 0;
    for (int k = 0; k <= 4; ++k) {
        const auto points = std::get<std::shared_ptr<const PointSet>>(eval(plain, 12 - k).geometry);
        const auto id = points->attributes.find<uint64_t>("id");
        const auto p = points->attributes.find<V3f>("P");
        for (size_t i = 0; i < id.size(); ++i) {
            const auto trail = trails.find(id[i]);
            if (trail == trails.end() || trail->second.size() <= size_t(k)) continue;
            // The look falls on the frame but for the rounding of seconds as a float.
            CHECK((trail->second[size_t(k)] - p[i]).length() < 1e-4f);
            whole += k == 4;
        }
    }
    CHECK(whole > 0);
    CHECK(eval(d, 13).hash != result.hash);
}
