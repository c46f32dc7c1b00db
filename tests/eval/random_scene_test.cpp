// What must hold for every scene, tried on scenes that nobody thought of.
#include "eval/random_scene.h"
#include "base/error.h"
#include "document/file/scene_file.h"
#include "document/file/session.h"
#include "eval/checks/checks.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;

TEST_CASE("random scenes are written and read to the same bytes and the same document",
          "[scene-file][random]") {
    RandomScenes random(testSeed());
    size_t nodes = 0, fields = 0, keys = 0;
    for (int round = 0; round < 200; ++round) {
        const Document d = random.scene(int(random.below(60)));
        const std::string text = writeScene(d);
        const Document again = readScene(text);
        INFO("round " << round);
        REQUIRE(writeScene(again) == text);
        REQUIRE(again == d);
        for (const NodePtr& n : d.nodes()) {
            ++nodes;
            for (const auto& [id, p] : n->params) fields += p.field != nullptr, keys += p.animated();
            for (const Step& s : n->steps)
                for (const auto& [id, p] : s.params) fields += p.field != nullptr, keys += p.animated();
        }
    }
    CHECK(nodes > 1000);  // or the scenes would prove little
    CHECK(fields > 5);
    CHECK(keys > 100);
}

TEST_CASE("any walk through undo and redo meets the same documents", "[session][random]") {
    RandomScenes random(testSeed() + 1);
    for (int round = 0; round < 20; ++round) {
        Session session;
        std::vector<Document> states = {session.document()};
        size_t at = 0;
        for (int i = 0; i < 120; ++i) {
            if (random.oneIn(3)) {
                session.undo();
                at -= at > 0;
            } else if (random.oneIn(3)) {
                session.redo();
                at += at + 1 < states.size();
            } else {
                const Document next = random.edit(session.document());
                if (next == session.document()) continue;  // no step of undo for no change
                session.apply("edit", next);
                states.resize(++at);
                states.push_back(next);
            }
            REQUIRE(session.document() == states[at]);
            REQUIRE(session.canUndo() == (at > 0));
            REQUIRE(session.canRedo() == (at + 1 < states.size()));
        }
    }
}

TEST_CASE("deleting anything leaves no reference to it", "[edits][random]") {
    RandomScenes random(testSeed() + 2);
    for (int round = 0; round < 60; ++round) {
        const Document d = random.scene(40);
        for (const NodePtr& n : d.nodes()) {
            if (n->category() == Category::Settings) {
                CHECK_THROWS_AS(withoutNode(d, n->id), Error);
                continue;
            }
            const Document without = withoutNode(d, n->id);
            CHECK_FALSE(without.find(n->id));
            for (const NodePtr& left : without.nodes()) {
                CHECK(left->parent != n->id);
                for (const std::string& id : prototypesOf(*left)) CHECK(id != n->id);
            }
            CHECK(without.layersOn(n->id).empty());
        }
    }
}

TEST_CASE("every number keeps to its limits, however it is set", "[edits][random]") {
    RandomScenes random(testSeed() + 3);
    Document d = Document::fresh();
    for (const NodeType& type : nodeTypes())
        if (type.category != Category::Settings && type.category != Category::Layer)
            d = withNode(d, makeNode(d, type.id));
    std::string layer;
    d = withLayer(d, "plane", "sphere", &layer);
    size_t set = 0;
    const auto tryAll = [&](const std::string& node, const std::string& step) {
        const Node& n = d.get(node);
        for (const ParamSpec& spec : step.empty() ? specsOf(n) : specsOf(*n.step(step)))
            for (int i = 0; i < 8; ++i) {
                const ParamPath path{node, step, spec.id};
                const Document out = withValue(d, path, random.value(d, spec));
                const Value got = paramAt(out, path).value;
                INFO(path.text());
                CHECK(holdsType(spec.type, got));
                if (const auto* x = std::get_if<double>(&got))
                    CHECK((*x >= spec.hardMin && *x <= spec.hardMax));
                if (const auto* r = std::get_if<Range>(&got))
                    CHECK((r->min <= r->max && r->min >= spec.hardMin && r->max <= spec.hardMax));
                ++set;
            }
    };
    for (const NodePtr& n : d.nodes()) {
        tryAll(n->id, "");
        for (const Step& s : n->steps) tryAll(n->id, s.id);
    }
    CHECK(set > 500);
}

TEST_CASE("random scenes are evaluated and checked without anything but errors in their cards",
          "[evaluator][random]") {
    RandomScenes random(testSeed() + 4);
    size_t made = 0, failed = 0;
    for (int round = 0; round < 120; ++round) {
        Document d = random.scene(50);
        // Small enough that none of them is honest work for minutes.
        d = withText(d, "scene/memory", "0.05");
        for (const NodePtr& n : d.nodes(Category::Object))
            for (const char* id : {"segments", "divisions"})
                if (findSpec(specsOf(*n), id)) d = withText(d, n->id + "/" + id, "12");
        Evaluator evaluator;
        LayerResults results;
        for (const NodePtr& n : d.nodes(Category::Layer)) {
            LayerResult r = evaluator.layer(d, n->id, {1, Purpose::Viewport, false}, Progress::none());
            for (const StepReport& s : r.steps) failed += !s.error.empty();
            made += elementCount(r.geometry);
            const uint64_t hash = r.hash;
            CHECK(evaluator.layer(d, n->id, {1, Purpose::Viewport, false}, Progress::none()).hash == hash);
            results[n->id] = std::move(r);
        }
        for (const Check& c : findChecks(d, results, evaluator, 1, Progress::none())) {
            CHECK_FALSE(c.text.empty());
            CHECK((c.fix != nullptr) == !c.fixTitle.empty());
            if (c.fix) CHECK_FALSE(c.fix(d) == d);  // a fix that changes nothing fixes nothing
        }
    }
    CHECK(made > 1000);
    CHECK(failed > 10);
}

TEST_CASE("garbage is no path and sets nothing", "[edits][random]") {
    RandomScenes random(testSeed() + 5);
    std::string layer;
    Document d = withNode(Document::fresh(), makeNode(Document::fresh(), "plane"));
    d = withLayer(d, "plane", "", &layer);
    const std::string good[] = {layer + "/scatter/count", "sun/elevation", "plane/position", "render/width",
                                layer + "/scatter/mask/field/0/size"};
    std::mt19937_64 bytes(testSeed());
    size_t refused = 0;
    for (int i = 0; i < 3000; ++i) {
        std::string path = good[random.below(std::size(good))], text = random.oneIn(2) ? "3" : random.text();
        for (uint64_t k = random.below(3); k-- > 0;) damage(path, bytes);
        if (random.oneIn(3)) damage(text, bytes);
        const Document before = d;
        try {
            const Document after = withText(d, path, text);
            CHECK(readScene(writeScene(after)) == after);
        } catch (const Error&) {
            ++refused;
        }
        REQUIRE(d == before);
    }
    CHECK(refused > 500);
}
