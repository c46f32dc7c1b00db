// What is told of points as clouds, and that each fix mends what it says.
#include "eval/checks/cloud_checks.h"

#include "document/edits/edits.h"
#include "document/materials/cloud_material.h"
#include "support.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;

namespace {

/// A ball of half a metre, filled; in the light of the new document's sun and sky.
struct Filled {
    Document document = Document::fresh();
    Evaluator evaluator;
    std::string layer, material;
    Filled() {
        document.put(makeNode(document, "sphere", "Ball"));
        Node n = makeNode(document, "layer", "Dust");
        n.steps = {makeStep("fill_volume", n)};
        layer = n.id;
        document.put(std::move(n));
        document = withValue(document, {layer, "fill_volume", "of"}, Refs{"ball"});
        set("ball/radius", "0.5");
        set(layer + "/fill_volume/spacing", "0.04");
        set(layer + "/fill_volume/view_spacing", "0");
        Node m = makeNode(document, "cloud", "Matter");
        material = m.id;
        document.put(std::move(m));
    }
    void set(const std::string& path, const std::string& text) { document = withText(document, path, text); }
    void wear() { document = withValue(document, {layer, "", kLayer.material.id()}, material); }
    std::vector<Check> checks() {
        LayerResults results;
        results[layer] = evaluator.layer(document, layer, {1, Purpose::Viewport, true}, Progress::none());
        REQUIRE(results[layer].ok);
        return cloudChecks({document, {}}, document.get(layer), results[layer], 1);
    }
    std::optional<Check> check(const std::string& part) {
        for (Check& c : checks())
            if (c.text.find(part) != std::string::npos) return c;
        return std::nullopt;
    }
    void mends(const std::string& part, const std::string& title) {
        INFO(part);
        const auto c = check(part);
        REQUIRE(c);
        CHECK(c->fixTitle == title);
        document = c->fix(document);
        CHECK_FALSE(check(part));
    }
    CloudSummary summary() {
        for (const Check& c : checks())
            if (c.cloud) return *c.cloud;
        FAIL("nothing sums it up");
        return {};
    }
};

}  // namespace

TEST_CASE("a cloud is summed up: its points, what lights them, how thick it is", "[checks][cloud]") {
    Filled s;
    s.wear();
    s.set(s.material + "/density", "6");
    const CloudSummary sum = s.summary();
    CHECK(sum.layer == s.layer);
    CHECK(sum.material == s.material);
    // A ball of radius 1/2 is 2/3 thick where it is seen, a mean over its disc; its cells stand out a little.
    CHECK(sum.points == Approx(4.0 / 3.0 * double(kPi) * 0.125 / std::pow(0.04, 3)).epsilon(0.05));
    CHECK(sum.thickness == Approx(2.0 / 3.0).epsilon(0.2));
    CHECK(sum.depth == Approx(6.0 * sum.thickness));
    const auto told = s.check("lit by");
    REQUIRE(told);
    CHECK(told->text.find(" points") != std::string::npos);
    CHECK(told->text.find("of the picture") != std::string::npos);
    CHECK(told->node == s.material);
}

TEST_CASE("points without a cloud material are offered one that fits", "[checks][cloud]") {
    Filled s;
    s.mends("wear no cloud material", "Give it one");
    CHECK(s.summary().depth == Approx(kFittingDepth).epsilon(0.01));
}

TEST_CASE("densities that show nothing, and those that are a wall, are fitted", "[checks][cloud]") {
    Filled s;
    s.wear();
    for (const char* density : {"0", "0.001", "1e9"}) {
        s.set(s.material + "/density", density);
        s.mends("would fit", "Fit density");
        CHECK(s.summary().depth == Approx(kFittingDepth).epsilon(0.01));
    }
    // What a field drives keeps its proportion.
    s.document = withField(s.document, {s.material, "", "density"},
                           std::make_shared<Field>(Field{{makeSource("noise")}}));
    Param p = s.document.get(s.material).params.at("density");
    p.low = 100.0, p.value = 4000.0;
    s.document = withParam(s.document, {s.material, "", "density"}, p);
    s.mends("would fit", "Fit density");
    p = s.document.get(s.material).params.at("density");
    CHECK(p.field);
    CHECK(std::get<double>(p.value) / std::get<double>(p.low) == Approx(40.0));
}

TEST_CASE("what nothing lights is said, and what emits needs no light", "[checks][cloud]") {
    Filled s;
    s.wear();
    for (const NodePtr& light : s.document.nodes(Category::Light)) s.document.remove(light->id);
    REQUIRE(s.check("no light reaches"));
    s.set(s.material + "/emission_luminance", "500");
    CHECK_FALSE(s.check("no light reaches"));
    s.set(s.material + "/emission_luminance", "0");
    s.mends("no light reaches", "Add a sky");
    // A light that spares it does not count.
    const std::string sky = s.document.nodes(Category::Light).front()->id;
    s.set(sky + "/lit", "all but");
    s.document = withValue(s.document, {sky, "", "linked"}, Refs{s.layer});
    CHECK(s.check("no light reaches"));
}

TEST_CASE("tints that cannot be seen, and light that goes another depth, are said", "[checks][cloud]") {
    Filled s;
    s.wear();
    s.set(s.material + "/density", "5");
    s.set(s.material + "/tint", "0.2,0.8,0.4");
    s.set(s.material + "/tint_depth", "500");
    s.mends("would have its tint", "Fit tint depth");
    s.set(s.material + "/density", "60");
    s.set(s.material + "/tint_depth", "0.6");
    s.mends("leaves none so far", "Fit tint depth");
    s.set(s.material + "/parted", "true");
    s.set(s.material + "/light_density", "100");
    s.mends("as thick to light", "Make them alike");
}

TEST_CASE("rows, and points that the picture has none of, are said", "[checks][cloud]") {
    Filled s;
    s.wear();
    s.set(s.layer + "/fill_volume/pattern", "strict");
    s.mends("stand in rows", "Jitter them");
    CHECK_FALSE(s.check("outside of the picture"));
    const std::string camera = s.document.renderSetting(kRender.camera);
    s.set(camera + "/target", "0,50,50");
    CHECK(s.check("outside of the picture"));
}
