// Meshes cut finer, and what must hold of the pieces.
#include "geo/mesh/tessellate.h"

#include <set>

#include "base/random.h"
#include "geo/mesh/primitives.h"
#include "support.h"

using namespace ovrix::tests;

namespace {

const auto kAny = [](size_t) {};

Mesh meshOf(const Tessellation& cut, const std::vector<V3f>& points) {
    Mesh mesh;
    mesh.points.set("P", std::vector<V3f>(points));
    for (const auto& corners : cut.corners) mesh.addFace(corners);
    mesh.finish();
    return mesh;
}

double areaOf(const Mesh& mesh) {
    double sum = 0;
    for (const Triangle& t : mesh.triangles()) {
        const V3f a = mesh.cornerPosition(t[0]);
        sum += 0.5 * double((mesh.cornerPosition(t[1]) - a).cross(mesh.cornerPosition(t[2]) - a).length());
    }
    return sum;
}

float longest(const Mesh& mesh) {
    float most = 0.0f;
    for (const Triangle& t : mesh.triangles())
        for (size_t k = 0; k < 3; ++k)
            most = std::max(most, (mesh.cornerPosition(t[k]) - mesh.cornerPosition(t[(k + 1) % 3])).length());
    return most;
}

/// Each piece lies where it says on its triangle, and winds as that does.
void checkPlaces(const Mesh& mesh, const Tessellation& cut, const std::vector<V3f>& points) {
    REQUIRE(cut.triangle.size() == cut.corners.size());
    REQUIRE(cut.bary.size() == cut.corners.size());
    for (size_t t = 0; t < cut.corners.size(); ++t) {
        const Triangle& own = mesh.triangles()[cut.triangle[t]];
        const V3f a = mesh.cornerPosition(own[0]), b = mesh.cornerPosition(own[1]),
                  c = mesh.cornerPosition(own[2]);
        for (size_t k = 0; k < 3; ++k) {
            const V2f w = cut.bary[t][k];
            REQUIRE((a * (1 - w.x - w.y) + b * w.x + c * w.y - points[cut.corners[t][k]]).length() < 1e-5f);
        }
        const auto at = [&](size_t k) { return points[cut.corners[t][k]]; };
        REQUIRE((at(1) - at(0)).cross(at(2) - at(0)).dot((b - a).cross(c - a)) >= 0.0f);
    }
}

}  // namespace

TEST_CASE("a mesh cut finer is the same shape in pieces that say where they lie", "[geo][tessellate]") {
    for (const MeshPtr& mesh : {makePlane(2, 1), makeSphere(1, 12), makeTorus(1, 0.3f, 24)}) {
        const Tessellation cut = tessellate(*mesh, 0.11f, kAny, Progress::none());
        const auto points = cut.positions(mesh->positions());
        checkPlaces(*mesh, cut, points);
        const Mesh fine = meshOf(cut, points);
        CHECK(longest(fine) <= 0.11f);
        CHECK(areaOf(fine) == Approx(areaOf(*mesh)).epsilon(1e-5));
        CHECK(isClosed(fine) == isClosed(*mesh));
        CHECK(inspect(fine).nonManifoldEdges == inspect(*mesh).nonManifoldEdges);
        CHECK(inspect(fine).flippedEdges == 0);
        // Open edges are those of the border alone: nothing gapes within.
        if (!isClosed(*mesh)) CHECK(inspect(fine).openEdges == 4 * 32);
    }
}

TEST_CASE("what is fine enough stays as it is, and counts are told before", "[geo][tessellate]") {
    const MeshPtr plane = makePlane(2, 4);
    std::vector<size_t> told;
    const auto tell = [&](size_t n) { told.push_back(n); };
    const Tessellation same = tessellate(*plane, 10.0f, tell, Progress::none());
    CHECK(told.empty());
    CHECK(same.corners.size() == plane->triangles().size());
    CHECK(same.between.empty());
    const Tessellation fine = tessellate(*plane, 0.1f, tell, Progress::none());
    REQUIRE(told.size() > 1);
    CHECK(told.back() == fine.corners.size());
    struct Enough {};
    CHECK_THROWS_AS(tessellate(
                        *plane, 1e-6f,
                        [](size_t n) {
                            if (n > 5000) throw Enough();
                        },
                        Progress::none()),
                    Enough);
    Progress stopped;
    stopped.cancel();
    CHECK_THROWS_AS(tessellate(*plane, 0.1f, kAny, stopped), Cancelled);
}

TEST_CASE("seams of a file are joined, sides that look away from each other are not", "[geo][tessellate]") {
    // Two squares side by side with their own points, and a third back to back with the first.
    Mesh mesh;
    std::vector<V3f> p = {{0, 0, 0}, {0, 0, 1}, {1, 0, 1}, {1, 0, 0}, {1, 0, 0}, {1, 0, 1},
                          {2, 0, 1}, {2, 0, 0}, {0, 0, 0}, {1, 0, 0}, {1, 0, 1}, {0, 0, 1}};
    mesh.points.set("P", std::move(p));
    mesh.addFace({0, 1, 2, 3});
    mesh.addFace({4, 5, 6, 7});
    mesh.addFace({8, 9, 10, 11});
    mesh.finish();
    const Tessellation cut = tessellate(mesh, 0.3f, kAny, Progress::none());
    std::set<uint32_t> used;
    for (const auto& corners : cut.corners) used.insert(corners.begin(), corners.end());
    CHECK(used.count(4) + used.count(5) == 0);  // 2 and 3 stand for them
    CHECK(used.count(8) + used.count(9) + used.count(10) + used.count(11) == 4);
}

TEST_CASE("nothing, slivers and points in one place are cut without an end", "[geo][tessellate][damaged]") {
    Mesh empty;
    empty.finish();
    CHECK(tessellate(empty, 0.1f, kAny, Progress::none()).corners.empty());
    Mesh odd;
    std::vector<V3f> p = {{0, 0, 0}, {0, 0, 0}, {0, 0, 0}, {1, 0, 0}, {1000, 1e-7f, 0}, {1e-20f, 0, 0}};
    odd.points.set("P", std::move(p));
    odd.addFace({0, 1, 2});
    odd.addFace({0, 3, 4});
    odd.addFace({0, 0, 3});
    odd.addFace({0, 5, 3});
    odd.finish();
    const Tessellation cut = tessellate(odd, 0.5f, kAny, Progress::none());
    CHECK(cut.corners.size() > 1000);
    CHECK(cut.corners.size() < 300000);
    for (const V3f& at : cut.positions(odd.positions())) REQUIRE(isFinite(at));
    // Random triangles, one big mess that crosses itself.
    Mesh mess;
    std::vector<V3f> at;
    for (uint64_t i = 0; i < 60; ++i) {
        const Random4 r = random4(testSeed(), i, Stream::Place);
        at.push_back(V3f(r[0], r[1], r[2]));
    }
    mess.points.set("P", std::vector<V3f>(at));
    for (uint64_t i = 0; i < 40; ++i) {
        const Random4 r = random4(testSeed() + 1, i, Stream::Place);
        mess.addFace({uint32_t(r[0] * 60), uint32_t(r[1] * 60), uint32_t(r[2] * 60)});
    }
    mess.finish();
    const Tessellation fine = tessellate(mess, 0.05f, kAny, Progress::none());
    checkPlaces(mess, fine, fine.positions(mess.positions()));
}
