// The edges at which a mesh is not smooth.
#include "geo/mesh/creases.h"

#include "geo/mesh/primitives.h"
#include "support.h"

using namespace ovrix::tests;

namespace {

std::vector<V3f> creases(const Mesh& mesh, float degrees) {
    return creaseLines(mesh, radians(degrees), Progress::none());
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
    CHECK_THROWS_AS(creaseLines(*makeSphere(1, 64), 1, progress), Cancelled);
}
