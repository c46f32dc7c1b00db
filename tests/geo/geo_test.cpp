#include "base/parallel.h"
#include "base/random.h"
#include "geo/mesh/simplify.h"
#include "geo/points/elements.h"
#include "geo/strands/strands.h"
#include "geo/surface/surface.h"
#include "support.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;

TEST_CASE("attributes keep their type and length", "[attributes]") {
    AttributeSet set;
    set.resize(3);
    set.add<float>("a", 2.0f)[1] = 5.0f;
    set.add<V3f>("p");
    set.add<Quatf>("q");
    set.add<uint64_t>("id");
    set.set("name", StringColumn{{0, 1, 0}, {"x", "y"}});
    CHECK(set.find<float>("a")[1] == 5.0f);
    CHECK(set.find<V3f>("p")[2] == V3f(0.0f));
    CHECK(set.find<Quatf>("q")[0] == Quatf());
    CHECK(set.find<int32_t>("a").empty());
    CHECK_THROWS_AS(set.add<V2f>("a"), Error);
    CHECK_THROWS_AS(set.set("b", std::vector<float>(4)), Error);
    const AttributeSet two = set.gathered(std::vector<uint32_t>{2, 1});
    CHECK(two.size() == 2);
    CHECK(two.find<float>("a")[1] == 5.0f);
    for (const auto& [name, column] : two.columns())
        if (name == "name") CHECK(std::get<StringColumn>(*column).index == std::vector<int32_t>{0, 1});
    CHECK(two.columns().size() == 5);
    set.resize(5);
    CHECK(set.find<float>("a").size() == 5);
    CHECK(set.find<float>("a")[4] == 0.0f);
    CHECK(AttributeSet().gathered({}).size() == 0);
}

TEST_CASE("copies of a set share its columns until one is written to", "[attributes]") {
    AttributeSet set;
    set.set("a", std::vector<float>{1, 2, 3});
    set.set("b", std::vector<float>{4, 5, 6});
    AttributeSet copy = set;
    CHECK(copy == set);
    CHECK(copy.find<float>("a").data() == set.find<float>("a").data());
    copy.add<float>("a")[0] = 9;
    CHECK(set.find<float>("a")[0] == 1);
    CHECK(copy.find<float>("a")[0] == 9);
    CHECK(copy.find<float>("b").data() == set.find<float>("b").data());
    CHECK_FALSE(copy == set);
    const float* own = copy.find<float>("a").data();
    copy.add<float>("a")[0] = 1;  // its own already: written in place
    CHECK(copy.find<float>("a").data() == own);
    CHECK(copy == set);
    copy.resize(2);
    CHECK(set.find<float>("b").size() == 3);
}

TEST_CASE("built-in surfaces have the areas that theory says", "[mesh]") {
    CHECK(Surface(makePlane(2, 7)).area() == Approx(4.0).epsilon(1e-5));
    // A sphere of n faces is smaller by about 2/3 (pi/n)^2 and more: 0.2% for 128 around.
    CHECK(Surface(makeSphere(0.5f, 128)).area() == Approx(4 * M_PI * 0.25).epsilon(2e-3));
    CHECK(Surface(makeTorus(1, 0.25f, 128)).area() == Approx(4 * M_PI * M_PI * 0.25).epsilon(2e-3));
    for (const MeshPtr& m : {makeSphere(1, 16), makeTorus(1, 0.3f, 12)}) {
        const MeshReport r = inspect(*m);
        CHECK(r.clean());
        CHECK(r.openEdges == 0);
        const auto n = m->normals();
        size_t outward = 0;
        for (uint32_t c = 0; c < n.size(); ++c) outward += n[c].dot(m->cornerPosition(c)) > -0.8f;
        CHECK(outward == n.size());
    }
    CHECK(inspect(*makePlane(1, 4)).openEdges == 16);
    CHECK(makePlane(1, 1)->normals()[0].y == Approx(1.0f));
}

TEST_CASE("polygons are split into triangles that cover them", "[mesh]") {
    // An L shape: concave, area 3.
    const auto l =
        meshOf({{0, 0, 0}, {2, 0, 0}, {2, 1, 0}, {1, 1, 0}, {1, 2, 0}, {0, 2, 0}}, {{0, 1, 2, 3, 4, 5}});
    CHECK(l->triangles().size() == 4);
    CHECK(Surface(l).area() == Approx(3.0));
    CHECK(l->triangleFace(3) == 0);
}

TEST_CASE("polygons keep their cut while their faces stay, however they bend", "[mesh]") {
    // A kite that is cut through its second corner, and an arrow that must be cut the other way.
    const std::vector<V3f> kite{{0, 0, 0}, {1, 0, -1}, {2, 0, 0}, {1, 0, 2}},
        arrow{{0, 0, 0}, {1, 0, 0.5f}, {2, 0, 0}, {1, 0, 2}};
    const auto whole = meshOf(kite, {{0, 1, 2, 3}}), other = meshOf(arrow, {{0, 1, 2, 3}});
    REQUIRE_FALSE(whole->triangles() == other->triangles());
    for (const auto& from : {whole, other}) {
        Mesh bent = *from;
        for (const auto& shape : {arrow, kite}) {
            bent.points.set("P", shape);
            bent.finish();
            CHECK(bent.triangles() == from->triangles());
        }
    }
}

TEST_CASE("meshes refuse what is not a mesh and report what is odd", "[mesh]") {
    CHECK_THROWS_AS(meshOf({{0, 0, 0}, {1, 0, 0}}, {{0, 1, 2}}), Error);
    CHECK_THROWS_AS(meshOf({{0, 0, 0}, {1, 0, 0}, {std::nanf(""), 0, 0}}, {{0, 1, 2}}), Error);
    const std::vector<V3f> p = {{0, 0, 0}, {1, 0, 0}, {0, 1, 0}, {0, 0, 1}, {1, 1, 0}};
    CHECK(inspect(*meshOf(p, {{0, 1, 1}})).degenerateFaces == 1);
    CHECK(inspect(*meshOf(p, {{0, 1, 2}, {0, 1, 3}, {0, 1, 4}})).nonManifoldEdges == 1);
    CHECK(inspect(*meshOf(p, {{0, 1, 2}, {1, 2, 4}})).flippedEdges == 1);
    CHECK(inspect(*meshOf(p, {{0, 1, 2}, {2, 1, 4}})).flippedEdges == 0);
    CHECK(meshOf({}, {})->triangles().empty());
}

TEST_CASE("a mirrored mesh keeps looking outward", "[mesh]") {
    M44f mirror;
    mirror.setScale(V3f(-2, 1, 1));
    const MeshPtr m = transformed(*makeSphere(1, 12), mirror);
    CHECK(inspect(*m).clean());
    for (const Triangle& t : m->triangles()) {
        const V3f a = m->cornerPosition(t[0]), b = m->cornerPosition(t[1]), c = m->cornerPosition(t[2]);
        CHECK((b - a).cross(c - a).dot(a + b + c) > 0);
    }
}

TEST_CASE("closest points and rays agree with brute force", "[surface]") {
    const Surface surface(makeTorus(1, 0.3f, 20));
    const Mesh& mesh = surface.mesh();
    for (uint64_t i = 0; i < 200; ++i) {
        const Random4 r = random4(testSeed(), i, Stream::User);
        const V3f q((r[0] - 0.5f) * 4, (r[1] - 0.5f) * 2, (r[2] - 0.5f) * 4);
        const SurfaceHit near = surface.closest(q);
        REQUIRE(near.hit);
        // No sampled place of any triangle is closer by more than the sampling allows.
        float best = 1e9f;
        for (const Triangle& t : mesh.triangles())
            for (int k = 0; k <= 10; ++k)
                for (int l = 0; l + k <= 10; ++l) {
                    const float u = float(k) / 10, v = float(l) / 10;
                    const V3f p = mesh.cornerPosition(t[0]) * (1 - u - v) + mesh.cornerPosition(t[1]) * u +
                                  mesh.cornerPosition(t[2]) * v;
                    best = std::min(best, (p - q).length());
                }
        CHECK(near.distance <= best + 1e-5f);
        CHECK(near.distance >= best - 0.05f);
        // A ray to just beside the closest point, inside its triangle: edges seen side-on can be missed.
        const Triangle& t = mesh.triangles()[near.triangle];
        const V3f middle =
            (mesh.cornerPosition(t[0]) + mesh.cornerPosition(t[1]) + mesh.cornerPosition(t[2])) / 3.0f;
        const V3f aim = near.position + (middle - near.position) * 0.05f;
        const SurfaceHit hit = surface.intersect(q, (aim - q).normalized());
        CHECK(hit.hit);
        CHECK(hit.distance == Approx((aim - q).length()).margin(1e-4));
    }
    CHECK_FALSE(surface.intersect(V3f(0, 5, 0), V3f(0, 1, 0)).hit);
    CHECK_FALSE(Surface(meshOf({}, {})).closest(V3f(0.0f)).hit);
}

TEST_CASE("coarser meshes are coarser and stay in place", "[mesh]") {
    const MeshPtr m = makeSphere(1, 64);
    const auto corners = simplifiedCorners(*m, 200);
    CHECK(corners.size() / 3 <= 220);
    CHECK(corners.size() / 3 >= 20);
    for (uint32_t c : corners) REQUIRE(c < m->cornerPoint.size());
    CHECK(simplifiedCorners(*m, 1u << 30).size() == m->triangles().size() * 3);
}

TEST_CASE("a copy's matrix scales, turns and places", "[copies]") {
    const Quatf quarter = Quatf().setAxisAngle(V3f(0, 1, 0), kPi / 2);
    const V3f p = V3f(1, 0, 0) * copyMatrix(V3f(10, 0, 0), quarter, 2);
    CHECK(p.x == Approx(10).margin(1e-5));
    CHECK(p.z == Approx(-2).margin(1e-5));
    CHECK((rotate(quarter, V3f(1, 0, 0)) - V3f(0, 0, -1)).length() < 1e-6f);
}

TEST_CASE("copies are packed for drawing, each prototype by itself and in order", "[copies]") {
    Copies copies;
    copies.attributes.set("P", std::vector<V3f>{{1, 2, 3}, {4, 5, 6}, {7, 8, 9}});
    copies.attributes.set("scale", std::vector<float>{2, 3, 4});
    copies.attributes.set("orient", std::vector<Quatf>(3, Quatf(0.5f, V3f(0.1f, 0.2f, 0.3f))));
    copies.attributes.set("prototype", std::vector<int32_t>{0, 1, 0});
    CHECK(packedCopies(copies, 0).data ==
          std::vector<float>{1, 2, 3, 2, 0.1f, 0.2f, 0.3f, 0.5f, 7, 8, 9, 4, 0.1f, 0.2f, 0.3f, 0.5f});
    CHECK(packedCopies(copies, 1).size() == 1);
    CHECK(packedCopies(copies, 2).size() == 0);
    CHECK(packedCopies({}, 0).size() == 0);
    copies.attributes.set("stretch", std::vector<V3f>(3, V3f(1, 2, 3)));
    const PackedCopies shaped = packedCopies(copies, 1);
    CHECK(shaped.data == std::vector<float>{4, 5, 6, 3, 0.1f, 0.2f, 0.3f, 0.5f, 1, 2, 3, 0, 1, 1, 1, 1, 1});
}

TEST_CASE("faces turned twice are as they were", "[mesh]") {
    Mesh mesh = *makeSphere(1, 32);  // smooth: one normal a point
    const auto before = mesh.cornerPoint;
    const V3f normal = mesh.normals()[5];
    const uint32_t point = mesh.cornerPoint[5];
    reverseFaces(mesh);
    CHECK(mesh.cornerPoint != before);
    for (uint32_t c = 0; c < mesh.cornerPoint.size(); ++c)  // a corner's normal goes with its point
        if (mesh.cornerPoint[c] == point) CHECK(mesh.normals()[c].dot(normal) > 0.99f);
    reverseFaces(mesh);
    CHECK(mesh.cornerPoint == before);
}

TEST_CASE("what is kept with a surface is made once, and making may ask for other things", "[surface]") {
    const Surface surface(makePlane(1, 1));
    int made = 0;
    const auto inner = [&] {
        return surface.cached<int>("inner", [&] { return std::make_shared<const int>(++made); });
    };
    const auto outer = [&] {
        return surface.cached<int>("outer", [&] { return std::make_shared<const int>(*inner() + 10); });
    };
    CHECK(*outer() == 11);
    CHECK(*outer() == 11);
    CHECK(*inner() == 1);
    CHECK(made == 1);
    // One that fails is made again when it is next asked for.
    CHECK_THROWS(surface.cached<int>("bad", []() -> std::shared_ptr<const int> { throw Cancelled(); }));
    CHECK(*surface.cached<int>("bad", [] { return std::make_shared<const int>(5); }) == 5);
    std::atomic<int> runs{0};
    parallelFor(1000, Progress::none(), [&](size_t) {
        surface.cached<int>("shared", [&] { return std::make_shared<const int>(++runs); });
    });
    CHECK(runs == 1);
}
