// Which layers are made side by side, and that it changes nothing.
#include "eval/waves.h"

#include <tbb/global_control.h>

#include <thread>

#include "eval/two_layers.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;

namespace {

using Waves = std::vector<std::vector<std::string>>;

/// More layers that lie on the first of two, and follow its recipe.
struct Stacked : Two {
    std::string onA, linked;
    Stacked() {
        document = withLayer(document, a, ball, &onA);
        document = withLinkedLayer(document, a, plane, &linked);
        for (const std::string& id : {a, b, onA}) set(id + "/scatter/count", "60");
    }
};

}  // namespace

TEST_CASE("layers that need others come after them", "[eval][waves]") {
    Stacked s;
    CHECK(layersInWaves(s.document) == Waves{{s.a, s.b}, {s.linked, s.onA}});
    CHECK(layersInWaves(Document()).empty());
    // By way of an object that is shaped by a layer.
    Node hill = makeNode(s.document, "plane", "Hill");
    Step step = makeStep("displace", hill);
    hill.steps.push_back(step);
    FieldSource source = makeSource("distance");
    source.params["to"].value = Refs{s.onA};
    for (const ParamSpec& spec : specsOf(step))
        if (spec.drivable) {
            hill.steps[0].params[spec.id] = paramOr(spec, {});
            hill.steps[0].params[spec.id].field = std::make_shared<Field>(Field{{source}});
        }
    s.document.put(hill);
    std::string above;
    s.document = withLayer(s.document, hill.id, s.ball, &above);
    CHECK(layersInWaves(s.document) == Waves{{s.a, s.b}, {s.linked, s.onA}, {above}});
    // Further than any scene hangs together: each alone, and no stack that ends.
    Document chain = s.document;
    std::string last;
    for (int k = 0; k < 3000; ++k) {
        Node node = makeNode(chain, "plane", "Link");
        node.id = "link_" + std::to_string(k), node.parent = last;
        last = node.id;
        chain.insert(chain.nodes().size(), node);
    }
    chain = withText(chain, s.a + "/surface", last);
    CHECK(layersInWaves(chain).size() == chain.nodes(Category::Layer).size());
    // In a circle each stands alone.
    s.set(s.a + "/surface", s.onA);
    const Waves circle = layersInWaves(s.document);
    CHECK(circle.size() == s.document.nodes(Category::Layer).size());
}

TEST_CASE("side by side or one by one, layers are the same bits", "[eval][waves][threads]") {
    const Stacked s;
    const int threads = GENERATE(1, 8);
    const tbb::global_control control(tbb::global_control::max_allowed_parallelism, size_t(threads));
    std::set<std::string> ids;
    for (const NodePtr& layer : s.document.nodes(Category::Layer)) ids.insert(layer->id);
    Evaluator together, alone;
    size_t told = 0;
    const auto made = together.layers(s.document, ids, {}, Progress::none(),
                                      [&](const std::string&, const LayerResult&) { ++told; });
    CHECK(told == ids.size());
    REQUIRE(made.size() == ids.size());
    for (const std::string& id : ids) {
        const LayerResult one = alone.layer(s.document, id, {}, Progress::none());
        REQUIRE(made.at(id).ok);
        CHECK(made.at(id).hash == one.hash);
        const auto& x = std::get<std::shared_ptr<const Copies>>(made.at(id).geometry)->attributes;
        CHECK(x == std::get<std::shared_ptr<const Copies>>(one.geometry)->attributes);
    }
    CHECK(together.layers(s.document, {s.b}, {}, Progress::none()).size() == 1);
    Progress cancelled;
    cancelled.cancel();
    Evaluator fresh;
    CHECK_THROWS_AS(fresh.layers(s.document, ids, {}, cancelled), Cancelled);
}

TEST_CASE("what several threads ask for at a time is made once", "[eval][waves][threads]") {
    Stacked s;
    s.set(s.b + "/scatter/count", "100000");
    Evaluator alone, shared;
    const uint64_t hash = alone.layer(s.document, s.b, {}, Progress::none()).hash;
    std::atomic<int> same = 0;
    std::vector<std::thread> threads;
    for (int t = 0; t < 4; ++t)
        threads.emplace_back(
            [&] { same += shared.layer(s.document, s.b, {}, Progress::none()).hash == hash; });
    for (std::thread& t : threads) t.join();
    CHECK(same == 4);
    CHECK(shared.stepsRun() == alone.stepsRun());
}

TEST_CASE("what was cancelled leaves nothing half made behind", "[eval][waves][threads]") {
#ifdef __SANITIZE_THREAD__  // which takes minutes to tell its own reports from those of the task scheduler
    constexpr int kRounds = 4;
    constexpr const char* kCount = "5000";
#else
    constexpr int kRounds = 30;
    constexpr const char* kCount = "100000";
#endif
    Stacked s;
    s.set(s.b + "/scatter/count", kCount);
    std::set<std::string> ids;
    for (const NodePtr& layer : s.document.nodes(Category::Layer)) ids.insert(layer->id);
    Evaluator whole;
    const auto right = whole.layers(s.document, ids, {}, Progress::none());
    for (int k = 0; k < kRounds; ++k) {
        Evaluator evaluator;
        Progress progress;
        std::thread other([&, k] {
            std::this_thread::sleep_for(std::chrono::microseconds(200 * k));
            progress.cancel();
        });
        try {
            evaluator.layers(s.document, ids, {}, progress);
        } catch (const Cancelled&) {
        }
        other.join();
        const auto again = evaluator.layers(s.document, ids, {}, Progress::none());
        for (const std::string& id : ids) {
            const auto& x = std::get<std::shared_ptr<const Copies>>(again.at(id).geometry)->attributes;
            CHECK(x == std::get<std::shared_ptr<const Copies>>(right.at(id).geometry)->attributes);
        }
    }
}

TEST_CASE("a circle of layers is told by the layers, and the others are made", "[eval][waves]") {
    Stacked s;
    s.set(s.a + "/surface", s.onA);
    Evaluator evaluator;
    const auto made = evaluator.layers(s.document, {s.a, s.b, s.onA}, {}, Progress::none());
    CHECK(made.at(s.b).ok);
    CHECK_FALSE(made.at(s.a).ok);
    CHECK_FALSE(made.at(s.onA).ok);
    std::string told;
    for (const StepReport& r : made.at(s.a).steps) told += r.error;
    CHECK_FALSE(told.empty());
}
