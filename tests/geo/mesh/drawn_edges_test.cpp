// The edges of a mesh that contours draw.
#include "geo/mesh/drawn_edges.h"

#include "geo/mesh/primitives.h"
#include "support.h"

using namespace ovrix::tests;

namespace {

std::vector<V3f> creases(const Mesh& mesh, float degrees) {
    return drawnEdges(mesh, {.crease = radians(degrees)}, Progress::none()).ends;
}

/// Two squares that share an edge along x, the second turned up by an angle.
Mesh folded(float degrees, bool wound = true, bool welded = true, bool slit = false) {
    Mesh mesh;
    const float c = std::cos(radians(degrees)), s = std::sin(radians(degrees));
    std::vector<V3f> p = {{0, 0, 0}, {1, 0, 0}, {1, 0, 1}, {0, 0, 1}, {1, s, -c}, {0, s, -c}};
    if (!welded) p.insert(p.end(), {p[0], p[1]});
    mesh.points.set("P", p);
    const uint32_t a = welded ? 0 : 6, b = welded ? 1 : 7;
    mesh.addFace({0, 3, 2, 1});
    wound ? mesh.addFace({a, b, 4, 5}) : mesh.addFace({5, 4, b, a});
    if (slit) mesh.addFace({0, 1, 1});
    mesh.finish();
    return mesh;
}

Mesh box() {
    Mesh mesh;
    std::vector<V3f> p;
    for (int i = 0; i < 8; ++i) p.push_back(V3f(float(i & 1), float(i >> 1 & 1), float(i >> 2)));
    mesh.points.set("P", p);
    mesh.addFace({0, 2, 3, 1});
    mesh.addFace({4, 5, 7, 6});
    mesh.addFace({0, 1, 5, 4});
    mesh.addFace({2, 6, 7, 3});
    mesh.addFace({0, 4, 6, 2});
    mesh.addFace({1, 3, 7, 5});
    mesh.finish();
    return mesh;
}

}  // namespace

TEST_CASE("creases lie where faces turn by more than the angle", "[mesh]") {
    for (const bool wound : {true, false})
        for (const bool welded : {true, false}) {
            INFO(wound << " " << welded);
            const std::vector<V3f> edge = creases(folded(60, wound, welded), 59.9f);
            REQUIRE(edge.size() == 2);
            for (const V3f& end : edge) CHECK((end.y == 0.0f && end.z == 0.0f));
            CHECK(std::abs(edge[0].x - edge[1].x) == 1.0f);
            CHECK(creases(folded(60, wound, welded), 60.1f).empty());
        }
    CHECK(creases(folded(60), 180).empty());
    CHECK(creases(folded(0), 0.1f).empty());
}

TEST_CASE("a box has twelve creases, what is smooth or flat has none", "[mesh]") {
    CHECK(creases(box(), 89).size() == 24);
    CHECK(creases(box(), 91).empty());
    CHECK(creases(*makeSphere(1, 64), 50).empty());
    CHECK(creases(*makePlane(2, 4), 1).empty());
    // Faces without area have no direction, and a mesh may be empty.
    CHECK(creases(folded(60, true, true, true), 50).size() == 2);
    CHECK(creases(Mesh(), 50).empty());
    Progress progress;
    progress.cancel();
    CHECK_THROWS_AS(drawnEdges(*makeSphere(1, 64), {.crease = 1}, progress), Cancelled);
}

TEST_CASE("edges that one face alone has are drawn where they are asked for", "[mesh]") {
    const auto open = [](const Mesh& mesh) {
        return drawnEdges(mesh, {.open = true}, Progress::none()).ends.size() / 2;
    };
    for (const bool welded : {true, false}) {
        CHECK(open(folded(60, true, welded)) == 6);   // and not the one that both share
        CHECK(open(folded(60, false, welded)) == 6);  // however they are wound
    }
    CHECK(open(box()) == 0);
    CHECK(open(*makePlane(2, 4)) == 16);
    CHECK(open(Mesh()) == 0);
}

TEST_CASE("edges between materials are drawn, and not those of slots that have the same", "[mesh]") {
    Mesh mesh = box();
    mesh.faces.set("slot", std::vector<int32_t>{0, 1, 2, 0, 0, 0});
    const auto between = [&](std::vector<int32_t> kinds) {
        return drawnEdges(mesh, {.kinds = std::move(kinds)}, Progress::none()).ends.size() / 2;
    };
    // Three sides share 4 edges with others each; the two lie across from one another or share one.
    CHECK(between({0, 1, 0}) == 4);
    CHECK(between({0, 0, 1}) == 4);
    CHECK(between({0, 1, 2}) == 7);
    CHECK(between({0, 1, 1}) == 6);
    CHECK(between({5, 5, 5}) == 0);
    CHECK(between({}) == 0);
    CHECK(between({0, 1}) == 6);  // slots beyond count as the last
    mesh.faces.set("slot", std::vector<int32_t>{-7, 1 << 30, 1, 0, 0, 0});
    CHECK(between({0, 1}) == 8);
}

TEST_CASE("open edges come after those that faces share", "[mesh]") {
    const DrawnLines all = drawnEdges(folded(60), {.crease = radians(30), .open = true}, Progress::none());
    CHECK(all.inner == 2);
    CHECK(all.ends.size() == 14);
    for (size_t i = 0; i < all.inner; ++i) CHECK((all.ends[i].y == 0.0f && all.ends[i].z == 0.0f));
}
