// Sources that look at the surface and at the rest of the scene.
#include <numeric>

#include "base/error.h"
#include "base/image.h"
#include "base/noise.h"
#include "field/field.h"
#include "field/field_support.h"
#include "geo/mesh/curvature.h"
#include "geo/points/curve_set.h"
#include "geo/points/nearest.h"
#include "geo/surface/surface.h"
#include "geo/volume/vector_grid.h"
#include "support.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;

namespace {

/// A scene of given surfaces and points, by name.
struct Query : SceneQuery {
    std::map<std::string, SurfacePtr> surfaces;
    std::map<std::string, Geometry> layers;
    std::map<std::string, std::shared_ptr<const CurveSet>> curveSets;
    Kind kindOf(const std::string& id) override {
        return layers.count(id) ? Kind::Layer : curveSets.count(id) ? Kind::Curve : Kind::Object;
    }
    std::shared_ptr<const CurveSet> curves(const std::string& id) override { return curveSets.at(id); }
    SurfacePtr surface(const std::string& id) override {
        if (!surfaces.count(id)) throw Error("there is nothing with the id \"" + id + "\" in the scene");
        return surfaces[id];
    }
    Placed placed(const std::string& id) override { return {surface(id), M44f()}; }
    Geometry elements(const std::string& id) override { return layers.at(id); }
    MeshPtr mesh(const std::string& id) override { return surface(id)->meshPtr(); }
    std::shared_ptr<const PointSet> points(const std::string&) override { return nullptr; }
    std::shared_ptr<const StrandSet> strands(const std::string&) override { return nullptr; }
    std::shared_ptr<const StrandSet> strandFile(const std::string&) override { return nullptr; }
    std::set<int> framesOf(const std::string&) override { return {}; }
    VectorGridPtr vectors(const std::string&, const std::string&) override { return nullptr; }
    M44f projection(const std::string&) override { return M44f(); }
    std::shared_ptr<const Image> image(const std::string&, const std::string&) override { return nullptr; }
};

/// The field at points with normals.
std::vector<float> valuesAt(const FieldSource& source, const std::vector<V3f>& p, const std::vector<V3f>& n,
                            const FieldContext& context = {}) {
    std::vector<float> out(p.size());
    CompiledField(Field{{source}}, context).evaluate(Samples(p).with(channel::normal, n), out);
    return out;
}

/// A point that nobody lists in order.
V3f somewhereIn(std::mt19937_64& random, float size) {
    std::uniform_real_distribution<float> d(-size, size);
    return V3f(d(random), d(random), d(random));
}

}  // namespace

TEST_CASE("facing passes the side of a sphere that looks there", "[field]") {
    const V3f sea = V3f(1, 0, 1).normalized();
    const FieldSource source =
        with(with(with(makeSource("facing"), "direction", V3d(2, 0, 2)), "range", Range{0, 60}), "soft", 0.0);
    const auto out = valuesAt(source, {sea, -sea, V3f(0, 1, 0)}, {sea, -sea, V3f(0, 1, 0)});
    CHECK(out == std::vector<float>{1, 0, 0});
}

TEST_CASE("a height band is 1 between its limits and 0 outside", "[field]") {
    const FieldSource source = with(
        with(with(makeSource("height"), "range", Range{1, 2}), "form", std::string("band")), "soft", 0.2);
    const auto out = valuesAt(source, {{0, 0.5f, 0}, {0, 1, 0}, {0, 1.5f, 0}, {0, 2.05f, 0}, {0, 3, 0}}, {});
    CHECK(out[0] == 0.0f);
    CHECK(out[1] == Approx(0.5f));
    CHECK(out[2] == 1.0f);
    CHECK(out[3] == Approx(0.25f).margin(1e-5));
    CHECK(out[4] == 0.0f);
}

TEST_CASE("mean curvature of a sphere is one over its radius, of a plane 0", "[curvature]") {
    const auto sphere = meanCurvature(*makeSphere(2.0f, 96));
    double mean = 0;
    for (float h : sphere) mean += double(h) / double(sphere.size());
    CHECK(mean ==
          Approx(0.5).epsilon(0.02));  // the mesh is inscribed: about (pi / 96)^2 off, more at the poles
    for (float h : meanCurvature(*makePlane(1, 8))) CHECK(h == Approx(0).margin(1e-5));
    auto inside = std::make_shared<Mesh>(*makeSphere(2.0f, 48));
    reverseFaces(*inside);
    inside->finish();
    CHECK(meanCurvature(*inside)[700] == Approx(-0.5).epsilon(0.05));
    CHECK(meanCurvature(Mesh()).empty());
}

TEST_CASE("curvature finds ridges and hollows", "[field]") {
    FieldContext context;
    context.surface = std::make_shared<const Surface>(makeSphere(0.1f, 64));
    const std::vector<V3f> p = {{0.1f, 0, 0}}, n = {{1, 0, 0}};
    const FieldSource source = with(makeSource("curvature"), "size", 0.05);
    CHECK(valuesAt(with(source, "side", std::string("ridges")), p, n, context)[0] ==
          Approx(0.5f).epsilon(0.03));
    CHECK(valuesAt(with(source, "side", std::string("hollows")), p, n, context)[0] == 0.0f);
    CHECK(valuesAt(with(source, "side", std::string("both")), p, n, context)[0] ==
          Approx(0.75f).epsilon(0.03));
    CHECK_THROWS_WITH(valuesAt(source, p, n), Catch::Contains("there is no surface"));
}

TEST_CASE("shelter of a place beside a wall is the wall's share of its sky", "[field]") {
    // A wall of height h along a floor's edge, seen from distance d: the cosine-weighted share of an endless
    // wall is (1 - d / sqrt(d^2 + h^2)) / 2 (Siegel and Howell, configuration factor of two plates at a right
    // angle).
    auto mesh = std::make_shared<Mesh>();
    const float far = 400;
    mesh->points.set("P", std::vector<V3f>{{-far, 0, 0},
                                           {far, 0, 0},
                                           {far, 1, 0},
                                           {-far, 1, 0},
                                           {-far, 0, 0},
                                           {far, 0, 0},
                                           {far, 0, far},
                                           {-far, 0, far}});
    mesh->addFace({0, 1, 2, 3});
    mesh->addFace({7, 6, 5, 4});
    mesh->finish();
    FieldContext context;
    context.surface = std::make_shared<const Surface>(mesh);
    const FieldSource source = with(with(makeSource("occlusion"), "reach", 1000.0), "rays", int64_t(4096));
    for (float d : {0.25f, 1.0f, 3.0f}) {
        const float expected = 0.5f * (1 - d / std::sqrt(d * d + 1));
        CHECK(valuesAt(source, {{0.3f, 0, d}}, {{0, 1, 0}}, context)[0] == Approx(expected).margin(0.01));
    }
    CHECK(valuesAt(with(source, "reach", 0.5), {{0, 0, 1}}, {{0, 1, 0}}, context)[0] == 0.0f);
}

TEST_CASE("shelter is 1 in a closed box, and other objects shelter too", "[field]") {
    FieldContext context;
    Query query;
    context.surface = std::make_shared<const Surface>(makePlane(2, 4));
    query.surfaces["lid"] = std::make_shared<const Surface>(makeSphere(5, 64));
    context.query = &query;
    FieldSource source = with(makeSource("occlusion"), "reach", 100.0);
    CHECK(valuesAt(source, {{0, 0, 0}}, {{0, 1, 0}}, context)[0] == 0.0f);
    source.params["objects"].value = Refs{"lid"};
    CHECK(valuesAt(source, {{0, 0, 0}}, {{0, 1, 0}}, context)[0] == 1.0f);
    source.params["objects"].value = Refs{"gone"};
    CHECK_THROWS_WITH(valuesAt(source, {{0, 0, 0}}, {{0, 1, 0}}, context), Catch::Contains("gone"));
}

TEST_CASE("distance to surfaces and to elements is the true one", "[field]") {
    std::mt19937_64 random(testSeed());
    FieldContext context;
    Query query;
    context.query = &query;
    query.surfaces["ball"] = std::make_shared<const Surface>(makeSphere(0.5f, 200));
    auto points = std::make_shared<PointSet>();
    std::vector<V3f> cloud(300);
    for (V3f& p : cloud) p = somewhereIn(random, 1);
    points->attributes.set("P", cloud);
    query.layers["dots"] = std::shared_ptr<const PointSet>(points);
    std::vector<V3f> p(200);
    for (V3f& q : p) q = somewhereIn(random, 2);

    FieldSource source = with(makeSource("distance"), "range", Range{0, 10});
    source.params["to"].value = Refs{"ball"};
    const auto toBall = valuesAt(source, p, {}, context);
    source.params["to"].value = Refs{"dots"};
    const auto toDots = valuesAt(source, p, {}, context);
    source.params["to"].value = Refs{"dots", "", "ball"};
    const auto toBoth = valuesAt(source, p, {}, context);
    for (size_t i = 0; i < p.size(); ++i) {
        // The ball is of flat faces: inside its sphere by at most 1 - cos(pi / 200) of the radius.
        CHECK(toBall[i] * 10 == Approx(std::abs(p[i].length() - 0.5f)).margin(2e-4));
        float nearest = 1e9f;
        for (const V3f& q : cloud) nearest = std::min(nearest, (q - p[i]).length());
        CHECK(toDots[i] * 10 == Approx(nearest).epsilon(1e-5));
        CHECK(toBoth[i] == Approx(std::min(toBall[i], toDots[i])));
    }
    source.params["range"].value = Range{0.2, 0.3};
    CHECK(valuesAt(source, {cloud[0]}, {}, context)[0] == 0.0f);
    source.params["to"].value = Refs{};
    CHECK_THROWS_WITH(valuesAt(source, p, {}, context), Catch::Contains("nothing to measure to"));
}

TEST_CASE("nearest points against looking at all, with ties and numbers that are none", "[nearest]") {
    std::mt19937_64 random(testSeed() + 1);
    std::vector<V3f> cloud(500);
    for (V3f& p : cloud) p = somewhereIn(random, 1);
    cloud[7] = V3f(NAN, 0, 0);
    cloud[9] = cloud[300] = V3f(0.1f, 0.2f, 0.3f);
    const NearestPoints tree(cloud);
    CHECK(tree.nearest(cloud[9], 1) == 9);
    for (int k = 0; k < 100; ++k) {
        const V3f q = somewhereIn(random, 1.5f);
        size_t best = cloud.size();
        float d2 = 0.25f;
        std::vector<uint32_t> inside;
        for (size_t i = 0; i < cloud.size(); ++i) {
            if (!isFinite(cloud[i])) continue;
            const float d = (cloud[i] - q).length2();
            if (d < 0.04f) inside.push_back(uint32_t(i));
            if (d < d2) d2 = d, best = i;
        }
        CHECK(tree.nearest(q, 0.5f) == best);
        std::vector<uint32_t> found;
        tree.within(q, 0.2f, [&](uint32_t i) { found.push_back(i); });
        std::sort(found.begin(), found.end());
        CHECK(found == inside);
        // Of the places on one side, those within reach, nearest first.
        const auto accepts = [&](uint32_t i) { return cloud[i].x > 0; };
        std::vector<std::pair<float, uint32_t>> few;
        for (uint32_t i = 0; i < cloud.size(); ++i)
            if (isFinite(cloud[i]) && accepts(i) && (cloud[i] - q).length2() <= 0.25f)
                few.emplace_back((cloud[i] - q).length2(), i);
        std::sort(few.begin(), few.end());
        few.resize(std::min<size_t>(few.size(), 8));
        uint32_t index[8];
        float distance2[8];
        const size_t count = tree.closestFewOf(q, 8, 0.5f, accepts, index, distance2);
        REQUIRE(count == few.size());
        for (size_t i = 0; i < count; ++i) CHECK(std::pair(distance2[i], index[i]) == few[i]);
    }
    CHECK(NearestPoints({}).nearest(V3f(0.0f), 1) == 0);
    CHECK(tree.nearest(V3f(NAN, 0, 0), 1) == cloud.size());
}

TEST_CASE("formulas over named attributes, and what is wrong with one", "[field]") {
    const auto value = [](const std::string& text) {
        return valuesAt(with(makeSource("formula"), "formula", text), {{1, 2, 3}},
                        {{0, 0.5f, 0.8660254f}})[0];
    };
    CHECK(value("x + y * z") == 7.0f);
    CHECK(value("slope") == Approx(60));
    CHECK(value("x > 0 ? 0.25 : 0.75") == 0.25f);
    CHECK(value("scale") == 1.0f);
    CHECK(value("1 / 0") == 0.0f);  // no number counts as 0
    CHECK_THROWS_WITH(value("x +"), Catch::Contains("formula"));
    CHECK_THROWS_WITH(value("x + lilac"),
                      Catch::Contains("character 5") && Catch::Contains("lilac") && Catch::Contains("slope"));
    CHECK_THROWS_AS(value(""), Error);
}

TEST_CASE("formulas give the same on many threads", "[field]") {
    std::vector<V3f> p(50000);
    for (size_t i = 0; i < p.size(); ++i) p[i] = V3f(float(i), 0, 0);
    const auto field = std::make_shared<CompiledField>(
        Field{{with(makeSource("formula"), "formula", std::string("x / 50000"))}}, FieldContext());
    std::vector<uint64_t> id(p.size(), 0);
    const auto out = Varying{0, 1, field}.over(Samples(p).with(channel::id, id));
    for (size_t i = 0; i < p.size(); ++i) REQUIRE(out[i] == Approx(double(i) / 50000).margin(1e-6));
}

TEST_CASE("cellular noise knows its nearest points", "[noise]") {
    // Brute force over the features of a block: each cell's feature is where the noise is 0.
    std::mt19937_64 random(testSeed() + 2);
    for (int k = 0; k < 200; ++k) {
        const V3f p = somewhereIn(random, 20);
        const Cells c = cellularNoise(p, 3);
        REQUIRE(c.first <= c.second);
        REQUIRE(c.first <= std::sqrt(3.0f));
        // First is a distance: it changes no faster than the place does.
        const V3f q = p + somewhereIn(random, 0.01f);
        REQUIRE(std::abs(cellularNoise(q, 3).first - c.first) <= (q - p).length() + 1e-5f);
    }
    CHECK(cellularNoise(V3f(0.3f), 1).nearest != cellularNoise(V3f(0.3f), 2).nearest);
    CHECK(cellularNoise(V3f(NAN), 1).first == 0.0f);
}

TEST_CASE("every kind of noise stays between 0 and 1 and moves with its offset", "[field][noise]") {
    for (const char* kind : {"soft", "ridged", "cells", "cracks"}) {
        const FieldSource source = with(makeSource("noise"), "kind", std::string(kind));
        std::vector<V3f> p(2000), moved(2000);
        for (size_t i = 0; i < p.size(); ++i) {
            p[i] = V3f(float(i % 50), float(i / 50), 3) * 0.07f;
            moved[i] = p[i] - V3f(0.5f, 0.25f, -0.125f);
        }
        const auto a = valuesAt(source, p, {});
        const auto b = valuesAt(with(source, "offset", V3d(0.5, 0.25, -0.125)), moved, {});
        const auto [low, high] = std::minmax_element(a.begin(), a.end());
        CHECK(*low >= 0.0f);
        CHECK(*high <= 1.0f);
        CHECK(*high - *low > 0.3f);
        for (size_t i = 0; i < a.size(); ++i) REQUIRE(a[i] == Approx(b[i]).margin(2e-4));
    }
}

namespace {

/// Left half black, right half white.
struct Halves : ImageSource {
    std::shared_ptr<const Image> image(const std::string&, const std::string&) override {
        auto made = std::make_shared<Image>();
        made->width = 64, made->height = 1;
        for (int x = 0; x < 64; ++x)
            for (int c = 0; c < 4; ++c) made->pixels.push_back(half(c == 3 || x >= 32 ? 1.0f : 0.0f));
        return made;
    }
    std::map<int, std::shared_ptr<const Texture>> tiles(const std::string& pattern,
                                                        const std::string& space) override {
        return {{1001, texture(pattern, space)}};
    }
};

}  // namespace

TEST_CASE("images lie flat or around without UVs", "[field][image]") {
    Halves images;
    FieldContext context;
    context.images = &images;
    context.hasUvs = false;
    FieldSource source = with(with(makeSource("image"), "file", std::string("a.png")), "size", 2.0);
    CHECK_THROWS_WITH(valuesAt(source, {{0, 0, 0}}, {{0, 1, 0}}, context), Catch::Contains("no UVs"));
    source.params["projection"].value = std::string("planar");
    const auto planar = valuesAt(source, {{-0.5f, 0, 0}, {0.5f, 7, 0}}, {{0, 1, 0}, {0, 1, 0}}, context);
    CHECK(planar == std::vector<float>{0, 1});
    source.params["axis"].value = std::string("X");
    CHECK(valuesAt(source, {{9, 0, -0.5f}}, {{0, 1, 0}}, context)[0] == 1.0f);
    source.params["projection"].value = std::string("box");  // the normal says from which side
    CHECK(valuesAt(source, {{0.5f, 0, 0.5f}}, {{0, 1, 0}}, context)[0] == Approx(1.0f));
    CHECK(valuesAt(source, {{0.5f, 0, 0.5f}}, {{1, 0, 0}}, context)[0] == Approx(0.0f));
}

TEST_CASE("a rim, a backside, a place along and arriving light are what samples say of themselves",
          "[field]") {
    const std::vector<V3f> p(3, V3f(0.0f)), n(3, V3f(0, 0, 1));
    const float c = std::cos(radians(60.0f)), s60 = std::sin(radians(60.0f));
    const std::vector<V3f> eye{V3f(0, 0, 1), V3f(s60, 0, c), V3f(1, 0, 0)};
    const std::vector<float> back{0, 1, 0}, along{0, 0.25f, 1}, light{0, 0.5f, 2};
    Samples samples(p);
    samples.with(channel::normal, n).with(channel::eye, eye).with(channel::backside, back);
    samples.with(channel::along, along).with(channel::arriving, light);
    const auto of = [&](const FieldSource& source, const Samples& s) {
        std::vector<float> out(s.size());
        CompiledField(Field{{source}}, {}).evaluate(s, out);
        return out;
    };
    const auto near = [](const std::vector<float>& a, const std::vector<float>& b) {
        for (size_t i = 0; i < a.size(); ++i) CHECK(a[i] == Approx(b[i]).margin(1e-6));
    };
    FieldSource rim = makeSource("toward_eye");
    near(of(rim, samples), {0, 0.5f, 1});
    rim.params["side"].value = std::string("front");
    near(of(rim, samples), {1, 0.5f, 0});
    rim.params["width"].value = 0.25;
    near(of(rim, samples), {1, 0, 0});
    near(of(makeSource("backside"), samples), {0, 1, 0});
    near(of(makeSource("arriving_light"), samples), {0, 0.5f, 2});
    FieldSource strand = makeSource("along_strand");
    strand.params["range"].value = Range{0.0, 0.5};
    near(of(strand, samples), {0, 0.5f, 1});
    // Where nobody looks, all is front, nothing behind, and no strand.
    const Samples bare(p);
    near(of(makeSource("toward_eye"), bare), {0, 0, 0});
    near(of(makeSource("backside"), bare), {0, 0, 0});
    near(of(makeSource("along_strand"), bare), {0, 0, 0});
}

TEST_CASE("each face has its own number, wherever on it", "[field]") {
    const auto surface = std::make_shared<const Surface>(makeBox(V3f(1, 1, 1)));
    FieldContext context;
    context.surface = surface;
    const CompiledField field(Field{{makeSource("random_face")}}, context);
    const std::vector<V3f> p{V3f(0.3f, 0.5f, 0.1f), V3f(-0.2f, 0.5f, -0.4f), V3f(0.5f, 0, 0)};
    std::vector<float> out(p.size());
    field.evaluate(Samples(p), out);
    CHECK(out[0] == out[1]);  // the same polygon, another triangle of it
    CHECK(out[0] != out[2]);
    // In a render the face that is met counts, and no place is looked for.
    const std::vector<int32_t> face{4, 4, 2};
    field.evaluate(Samples(p).with(channel::face, face), out);
    CHECK(out[0] == out[1]);
    CHECK(out[0] != out[2]);
}

TEST_CASE("distance tells the depth within, and a border that noise moves", "[field]") {
    Query scene;
    scene.surfaces["ball"] = std::make_shared<const Surface>(makeSphere(1, 64));
    FieldContext context;
    context.query = &scene;
    FieldSource source = makeSource("distance");
    source.params["to"].value = Refs{"ball"};
    source.params["range"].value = Range{0.0, 1.0};
    const std::vector<V3f> p{V3f(0.5f, 0, 0), V3f(1.5f, 0, 0)};
    const auto of = [&] {
        std::vector<float> out(2);
        CompiledField(Field{{source}}, context).evaluate(Samples(p), out);
        return out;
    };
    CHECK(of()[0] == Approx(0.5).margin(2e-3));
    CHECK(of()[1] == Approx(0.5).margin(2e-3));
    source.params["inside"].value = std::string("depth");
    CHECK(of()[0] == Approx(0.5).margin(2e-3));
    CHECK(of()[1] == 0.0f);
    source.params["inside"].value = std::string("zero");
    CHECK(of()[0] == 0.0f);
    CHECK(of()[1] == Approx(0.5).margin(2e-3));
    source.params["uneven"].value = 0.2;
    source.params["uneven_size"].value = 0.37;
    const float moved = of()[1];
    CHECK(moved != Approx(0.5).margin(5e-3));
    CHECK(std::abs(moved - 0.5f) < 0.21f);
}

TEST_CASE("occlusion inside is that of the matter: thin is 1", "[field]") {
    const auto surface = std::make_shared<const Surface>(makeBox(V3f(1, 0.02f, 1)));
    FieldContext context;
    context.surface = surface;
    FieldSource source = makeSource("occlusion");
    source.params["reach"].value = 0.3;
    const std::vector<V3f> p{V3f(0, 0.01f, 0)}, n{V3f(0, 1, 0)};
    const auto of = [&] {
        float out = 0;
        CompiledField(Field{{source}}, context).evaluate(Samples(p).with(channel::normal, n), {&out, 1});
        return out;
    };
    CHECK(of() == 0.0f);
    source.params["side"].value = std::string("inside");
    CHECK(of() == 1.0f);
}

TEST_CASE("elements that are alike in an attribute have one random number", "[field]") {
    AttributeSet elements;
    elements.resize(4);
    elements.set("P", std::vector<V3f>(4));
    elements.set("id", std::vector<uint64_t>{1, 2, 3, 4});
    elements.set("clump", std::vector<int32_t>{7, 7, 9, 9});
    FieldContext context;
    context.elements = &elements;
    FieldSource source = makeSource("random");
    source.params["alike"].value = std::string("clump");
    const CompiledField field(Field{{source}}, context);
    CHECK(field.reads(&SourceKernel::readsElements));
    std::vector<float> out(4);
    field.evaluate(samplesOf(elements), out);
    CHECK(out[0] == out[1]);
    CHECK(out[2] == out[3]);
    CHECK(out[0] != out[2]);
    source.params["alike"].value = std::string("nothing");
    CHECK_THROWS_AS(CompiledField(Field{{source}}, context), Error);
}

TEST_CASE("soft noise leaves out what is finer than what is seen, in its own space", "[field][noise]") {
    const auto fieldOf = [](int64_t octaves, const std::string& kind = "soft") {
        FieldSource s = with(with(makeSource("noise"), "octaves", octaves), "kind", kind);
        s.params["size"].value = 1.0, s.params["contrast"].value = 0.3;  // nowhere cut off
        return CompiledField(Field{{s}}, FieldContext());
    };
    const auto at = [](const CompiledField& f, const V3f& p, float width, float scale) {
        M44f toObject;
        toObject.scale(V3f(1.0f / scale));
        const V3f place = p * scale;
        Samples one(1);
        one.with(channel::position, {&place, 1}).with(channel::toObject, {&toObject, 1});
        if (width > 0.0f) one.with(channel::width, {&width, 1});
        float x = 0;
        f.evaluate(one, {&x, 1});
        return x;
    };
    const CompiledField one = fieldOf(1), four = fieldOf(4), cells = fieldOf(4, "cells");
    for (int i = 0; i < 40; ++i) {
        const V3f p(0.37f * float(i), 0.11f * float(i), 1.7f);
        for (const float scale : {1.0f, 10.0f, 0.1f}) {
            // Of four octaves the first has 8 parts of 15.
            CHECK(at(four, p, 100.0f * scale, scale) - 0.5f ==
                  Approx((at(one, p, 0, scale) - 0.5f) * 8 / 15).margin(1e-4));
            CHECK(at(four, p, 0.1f * scale, scale) == at(four, p, 0, scale));
            CHECK(at(cells, p, 100.0f * scale, scale) == at(cells, p, 0, scale));
        }
    }
}
