// Surfaces that the relief of their materials moves.
#include "deliver/displacement.h"

#include "deliver/studio.h"
#include "field/field_support.h"
#include "geo/mesh/primitives.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;

namespace {

SurfaceMaterial relief(float low, float high, const std::string& text, float detail = 0.1f) {
    SurfaceMaterial m;
    m.displaced = true, m.detail = detail;
    m.bump = {low, high, text.empty() ? nullptr : compiledFormula(text)};
    return m;
}

Displaced displaced(const DisplacementInput& input) {
    Displacements displacements;
    displacements.begin();
    return displacements.of(input, 1, Progress::none());
}

Displaced displacedBy(const MeshPtr& mesh, const std::vector<const SurfaceMaterial*>& materials,
                      const M44f& matrix = M44f()) {
    return displaced({.mesh = mesh, .materials = materials, .matrix = matrix});
}

/// A plane that wears a material whose relief is moved, seen from above.
struct Raised : Studio {
    std::string plane = add("plane"), material = add("surface");
    Raised() {
        document.remove(ball);
        set(add("dome") + "/exposure", "0");
        set(plane + "/divisions", "1");
        set(plane + "/material", material);
        set(material + "/relief_displaced", "true");
        set(material + "/relief_detail", "0.05");
        set(material + "/geometry_bump", "0.25");
        set("camera/position", "0,4,0.01");
    }
    void drive(const std::string& param, const std::string& type, const std::string& formula = {}) {
        FieldSource source = makeSource(type);
        if (!formula.empty()) source.params["formula"].value = formula;
        document = withField(document, {material, "", param}, std::make_shared<Field>(Field{{source}}));
    }
    RenderJob job() {
        RenderJob out = builder.build(scene(), {}, Progress::none());
        return out;
    }
    RenderSceneBuilder builder{evaluator};
};

float heightAt(const RenderJob& job, float x, float z) {
    const RayHit hit = job.scene->intersect({V3f(x, 10, z), V3f(0, -1, 0), 0}, false);
    return hit.hit() ? 10.0f - hit.distance : -1e9f;
}

}  // namespace

TEST_CASE("a relief that is one length moves a surface by that length", "[displacement]") {
    const SurfaceMaterial out = relief(0, 0.25f, "");
    const Displaced plane = displacedBy(makePlane(2, 1), {&out});
    CHECK(plane.mesh->triangles().size() > 500);
    for (const V3f& p : plane.mesh->positions()) CHECK(p.y == Approx(0.25f));
    for (const V3f& n : plane.mesh->normals()) CHECK((n - V3f(0, 1, 0)).length() < 1e-5f);
    // Of a fine ball each point moves straight out: the normals of its corners point there.
    const Displaced ball = displacedBy(makeSphere(1, 64), {&out});
    CHECK(isClosed(*ball.mesh));
    for (const V3f& p : ball.mesh->positions()) CHECK(p.length() == Approx(1.25f).epsilon(0.003));
}

TEST_CASE("relief goes by a field between its numbers, and never beyond", "[displacement]") {
    const SurfaceMaterial slope = relief(-0.1f, 0.3f, "0.5 + 0.5 * x");
    const Displaced plane = displacedBy(makePlane(2, 1), {&slope});
    for (const V3f& p : plane.mesh->positions()) CHECK(p.y == Approx(0.1f + 0.2f * p.x).margin(1e-5));
    for (const std::string text : {"1e30", "-1e30", "0/0", "1/0", "sqrt(-1)"}) {
        INFO(text);
        const SurfaceMaterial wild = relief(-0.1f, 0.3f, text);
        const Displaced torn = displacedBy(makePlane(2, 1), {&wild});
        for (const V3f& p : torn.mesh->positions()) {
            REQUIRE(isFinite(p));
            REQUIRE(std::abs(p.y) <= 0.3001f);
        }
    }
    // World metres and places, whatever the size of the thing.
    M44f large;
    large.scale(V3f(4.0f));
    const SurfaceMaterial world = relief(0.0f, 0.2f, "x > 2");
    const Displaced cut = displacedBy(makePlane(2, 1), {&world}, large);
    for (const V3f& p : cut.mesh->positions()) {
        if (std::abs(p.x - 0.5f) < 0.05f) continue;
        CHECK(p.y * 4 == Approx(p.x > 0.5f ? 0.2f : 0.0f).margin(1e-5));
    }
}

TEST_CASE("nothing gapes where slots, texture places and hard edges meet", "[displacement]") {
    // A box with its own points on each side, as files have it.
    Mesh box;
    std::vector<V3f> p;
    std::vector<int32_t> slot;
    std::vector<V2f> uv;
    for (int axis = 0; axis < 3; ++axis)
        for (const float side : {-1.0f, 1.0f}) {
            const uint32_t first = uint32_t(p.size());
            for (const V2f& at : {V2f(-1, -1), V2f(1, -1), V2f(1, 1), V2f(-1, 1)}) {
                V3f q;
                q[axis] = side, q[(axis + 1) % 3] = at.x * side, q[(axis + 2) % 3] = at.y;
                p.push_back(q);
                uv.push_back(at * 0.5f + V2f(0.5f + float(axis), 0.5f));
            }
            box.addFace({first, first + 1, first + 2, first + 3});
            slot.push_back(axis);
        }
    box.points.set("P", std::move(p));
    box.corners.set("uv", std::move(uv));
    box.faces.set("slot", std::move(slot));
    box.finish();
    const auto mesh = std::make_shared<const Mesh>(box);
    const SurfaceMaterial rough = relief(-0.05f, 0.05f, "sin(40 * u) * cos(31 * v)"), still,
                          up = relief(0, 0.1f, "");
    const Displaced made = displacedBy(mesh, {&rough, &still, &up});
    CHECK(isClosed(*made.mesh));
    CHECK(inspect(*made.mesh).flippedEdges == 0);
    const auto slots = made.mesh->slots();
    size_t unmoved = 0;
    for (size_t t = 0; t < made.mesh->triangles().size(); ++t) {
        REQUIRE(slots[t] == box.slots()[box.triangleFace(made.finer.cut->triangle[t])]);
        if (slots[t] != 1) continue;
        // Within the sides of the second slot nothing moves.
        const Triangle& own = made.mesh->triangles()[t];
        for (size_t k = 0; k < 3; ++k) {
            const V3f at = made.mesh->cornerPosition(own[k]);
            if (std::max(std::abs(at.x), std::abs(at.z)) > 0.9f) continue;
            CHECK(std::abs(at.y) == 1.0f);
            ++unmoved;
        }
    }
    CHECK(unmoved > 100);
}

TEST_CASE("renders have the outline that relief gives", "[displacement][translate]") {
    Raised s;
    CHECK(heightAt(s.job(), 0.3f, 0.2f) == Approx(0.25f));
    s.drive("geometry_bump", "formula", "x > 0");
    const RenderJob job = s.job();
    CHECK(job.problems.empty());
    CHECK(heightAt(job, 0.5f, 0.1f) == Approx(0.25f));
    CHECK(heightAt(job, -0.5f, 0.1f) == Approx(0.0f).margin(1e-6));
    s.set(s.material + "/relief_displaced", "false");
    CHECK(heightAt(s.job(), 0.5f, 0.1f) == Approx(0.0f).margin(1e-6));
}

TEST_CASE("a colour that is edited builds nothing anew, a height does", "[displacement][translate]") {
    Raised s;
    s.drive("geometry_bump", "noise");
    const auto first = s.job().scene;
    s.set(s.material + "/base_color", "0.9,0.1,0.1");
    CHECK(s.job().scene == first);
    s.set("camera/position", "1,4,0.01");
    CHECK(s.job().scene == first);
    s.set(s.material + "/geometry_bump", "0.1");
    const auto other = s.job().scene;
    CHECK(other != first);
    s.set(s.material + "/relief_detail", "0.1");
    CHECK(s.job().scene != other);
}

TEST_CASE("fields of what is displaced are asked as on the mesh that it was", "[displacement][translate]") {
    // Hardly moved: colours by texture places, faces and curvature are those of the flat one.
    for (const char* type : {"formula", "curvature", "noise", "random"}) {
        INFO(type);
        Raised s;
        s.set(s.plane + "/divisions", "6");
        s.set(s.material + "/geometry_bump", "0.0000001");
        s.drive("base_color", type, std::string(type) == "formula" ? "u * v" : "");
        const Film moved = s.render(24, 4);
        s.set(s.material + "/relief_displaced", "false");
        const Film flat = s.render(24, 4);
        for (int y = 0; y < 24; ++y)
            for (int x = 0; x < 24; ++x)
                REQUIRE((moved.at(x, y).albedo - flat.at(x, y).albedo).length() < 0.02f);
    }
}

TEST_CASE("what was displaced is kept once, whatever is given up", "[displacement][memory]") {
    const MeshPtr plane = makePlane(2, 1), other = makePlane(2, 2);
    const SurfaceMaterial up = relief(0, 0.25f, ""), higher = relief(0, 0.5f, ""),
                          fine = relief(0, 0.5f, "", 0.02f);
    Displacements all;
    const auto of = [&](const MeshPtr& mesh, const SurfaceMaterial& m, uint64_t key,
                        size_t limit = SIZE_MAX) {
        return all.of({.mesh = mesh, .materials = {&m}, .memoryLimit = limit}, key, Progress::none());
    };
    all.begin();
    const MeshPtr first = of(plane, up, 1).mesh;
    of(other, up, 1);
    all.end();
    // Rounds that are given up: each makes one anew, and the mesh before it is let go.
    std::vector<std::weak_ptr<const Mesh>> made;
    for (uint64_t round = 0; round < 6; ++round) {
        all.begin();
        made.push_back(of(plane, round % 2 ? up : higher, 10 + round).mesh);
    }
    CHECK(std::count_if(made.begin(), made.end(), [](const auto& m) { return !m.expired(); }) == 1);
    // Another number of the same heights: the same mesh. Another detail is another one.
    all.begin();
    const MeshPtr now = of(plane, up, 30).mesh;
    all.end();
    all.begin();
    CHECK(of(plane, up, 31).mesh == now);
    CHECK(of(plane, fine, 32).mesh != now);
    all.end();
    // The limit is for all together.
    const size_t faces = now->triangles().size();
    all.begin();
    CHECK_NOTHROW(of(makePlane(2, 1), up, 40, faces * 600));
    CHECK_THROWS_WITH(of(makePlane(2, 1), up, 41, faces * 600), Catch::Contains("over the limit"));
}

TEST_CASE("copies of what is displaced, and meshes that change, have its relief",
          "[displacement][translate]") {
    Raised s;
    s.set(s.plane + "/size", "0.5");
    s.set(s.plane + "/rendered", "false");
    const std::string ground = s.add("plane");
    s.document = withLayer(s.document, ground, s.plane);
    std::string layer;
    for (const NodePtr& node : s.document.nodes(Category::Layer)) layer = node->id;
    s.set(layer + "/scatter/count", "4");
    const RenderJob job = s.job();
    CHECK(job.problems.empty());
    float most = 0;
    for (int i = 0; i < 40; ++i)
        for (int k = 0; k < 40; ++k)
            most = std::max(most, heightAt(job, float(i) * 0.05f - 1.0f, float(k) * 0.05f - 1.0f));
    CHECK(most > 0.1f);  // as large as the copy is
    // A plane whose own step lifts it from frame to frame, while the shutter is open.
    Raised moving;
    Node plane = moving.document.get(moving.plane);
    plane.steps.push_back(makeStep("displace", plane));
    plane.steps[0].params["by"].value = 0.0;
    plane.steps[0].params["by"].keys = {{1, 0.0, KeyEase::Linear}, {3, 1.0, KeyEase::Linear}};
    moving.document.put(plane);
    moving.set("render/shutter", "1");
    for (const double frame : {2.0, 3.0, 1.0, 2.0}) {  // and back
        JobOptions options;
        options.frame = frame;
        const RenderJob then = moving.builder.build(moving.scene(), options, Progress::none());
        CHECK(then.problems.empty());
        const auto at = [&](float time) {
            return 10.0f - then.scene->intersect({V3f(0.3f, 10, 0.2f), V3f(0, -1, 0), time}, false).distance;
        };
        CHECK(at(1.0f) == Approx(0.25f + 0.5f * float(frame - 1)).epsilon(1e-3));
        if (frame > 1) CHECK(at(0.0f) == Approx(0.25f + 0.5f * float(frame - 2)).margin(1e-3));
    }
}

TEST_CASE("what lies on a displaced surface is told to stay", "[displacement][checks]") {
    Raised s;
    const std::string said = "the render displaces Plane by up to 0.25 m";
    CHECK(!s.hasCheck(said));
    s.document = withLayer(s.document, s.plane, s.add("sphere"));
    CHECK(s.hasCheck(said));
    s.set(s.material + "/relief_displaced", "false");
    CHECK(!s.hasCheck(said));
}

TEST_CASE("relief that takes too much is told, and the thing stays as it was", "[displacement][damaged]") {
    Raised s;
    s.set(s.material + "/relief_detail", "0.00001");
    const RenderJob job = s.job();
    REQUIRE(job.problems.size() == 1);
    CHECK(job.problems[0].find("relief of Plane") != std::string::npos);
    CHECK(job.problems[0].find("detail") != std::string::npos);
    CHECK(heightAt(job, 0.3f, 0.2f) == Approx(0.0f).margin(1e-6));
}

TEST_CASE("what changes its shape while the shutter is open takes its relief along",
          "[displacement][translate]") {
    const SurfaceMaterial out = relief(0, 0.25f, "");
    const MeshPtr plane = makePlane(2, 1);
    M44f up;
    up.translate(V3f(0, 1, 0));
    const MeshPtr later = transformed(*plane, up);
    const Displaced made = displaced({.mesh = plane, .moves = {plane, later}, .materials = {&out}});
    REQUIRE(made.moves.size() == 2);
    for (const V3f& p : made.moves[0]->positions()) CHECK(p.y == Approx(0.25f));
    for (const V3f& p : made.moves[1]->positions()) CHECK(p.y == Approx(1.25f));
    // With a point less that no face has.
    Mesh more = *plane;
    std::vector<V3f> points(plane->positions().begin(), plane->positions().end());
    points.push_back(V3f(0, 5, 0));
    more.points = {};
    more.points.set("P", std::move(points));
    more.finish();
    CHECK(
        displaced({.mesh = std::make_shared<const Mesh>(more), .moves = {plane, plane}, .materials = {&out}})
            .moves.empty());
    // One with other faces: all keep the shape of the first.
    CHECK(displaced({.mesh = plane, .moves = {plane, makePlane(2, 2)}, .materials = {&out}}).moves.empty());
}
