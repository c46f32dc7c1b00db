// The object's own recipe, blades, joined copies.
#include "ops/mesh/ground.h"

#include <set>
#include "base/tint.h"
#include "document/edits/edits.h"
#include "document/file/scene_file.h"
#include "eval/evaluator.h"
#include "eval/overlay.h"
#include "geo/points/merge.h"
#include "support.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;

namespace {

MeshPtr cube() { return makeBox(V3f(2.0f)); }

}  // namespace

TEST_CASE("a subdivided cube is the known smooth body", "[ground]") {
    const MeshPtr body = subdivided(*cube(), 4);
    CHECK(body->faceCount() == 6 * 256);
    CHECK(inspect(*body).clean());
    // Limit of a cube's corner: (n / (n + 5)) p + 4 / (n (n + 5)) sum of edge points' ends + ... with n = 3;
    // for the cube of side 2 it lies at 1/2 on each axis.
    float corner = 0;
    for (const V3f& p : body->positions()) {
        corner = std::max(corner, p.length());
        REQUIRE(p.length() < 1.0f);
    }
    const auto n = body->normals();
    for (size_t c = 0; c < n.size(); c += 7) {
        REQUIRE(n[c].length() == Approx(1).margin(1e-4));
        REQUIRE(n[c].dot(body->cornerPosition(uint32_t(c)).normalized()) > 0.85f);
    }
    CHECK(corner == Approx(std::sqrt(3.0f) / 2).epsilon(0.06));
}

TEST_CASE("subdividing keeps a flat sheet flat, with its UVs and slots", "[ground]") {
    Mesh sheet = *makePlane(2, 2);
    sheet.faces.set("slot", std::vector<int32_t>{0, 1, 0, 1});
    sheet.slotNames = {"a", "b"};
    sheet.finish();
    const MeshPtr fine = subdivided(sheet, 2);
    CHECK(fine->faceCount() == 4 * 16);
    for (uint32_t c = 0; c < fine->cornerPoint.size(); ++c) {
        const V3f p = fine->cornerPosition(c);
        REQUIRE(p.y == Approx(0).margin(1e-6));
        REQUIRE(std::abs(p.x) <= 1.0001f);
        REQUIRE(fine->uvs()[c].x >= -1e-5f);
    }
    CHECK(std::count(fine->slots().begin(), fine->slots().end(), 1) == 32);
    CHECK(subdivided(Mesh(), 3)->faceCount() == 0);
}

TEST_CASE("displacing a sphere by a number makes a larger sphere", "[ground]") {
    const MeshPtr larger = displaced(makeSphere(1, 48), {0, 0.25f, {}}, Progress::none());
    for (const V3f& p : larger->positions()) REQUIRE(p.length() == Approx(1.25f).margin(2e-3));
    CHECK(inspect(*larger).openEdges == 0);
}

TEST_CASE("smoothing flattens noise, keeps borders and nearly the volume", "[ground]") {
    std::mt19937_64 random(testSeed() + 3);
    std::uniform_real_distribution<float> d(-0.01f, 0.01f);
    Mesh rough = *makeSphere(1, 64);
    for (V3f& p : rough.points.add<V3f>("P")) p *= 1.0f + d(random);
    rough.finish();
    const MeshPtr smooth = smoothed(rough, 10, 0.5f);
    const auto spread = [](const Mesh& m) {
        double sum = 0, squares = 0;
        for (const V3f& p : m.positions()) sum += double(p.length()), squares += double(p.length2());
        const double n = double(m.positions().size());
        return std::pair(sum / n, std::sqrt(std::max(0.0, squares / n - sum * sum / n / n)));
    };
    CHECK(spread(*smooth).second < 0.5 * spread(rough).second);
    CHECK(spread(*smooth).first == Approx(1).margin(0.01));
    const MeshPtr sheet = smoothed(*makePlane(1, 4), 20, 1);
    CHECK(sheet->bounds().max.x == Approx(0.5f));
}

TEST_CASE("an object's recipe shapes it, and layers lie on the result", "[ground][layers]") {
    Document d = Document::fresh();
    Node p = makeNode(d, "plane"), b = makeNode(d, "sphere");
    const std::string plane = p.id;
    p.params["divisions"].value = int64_t(10);
    d.put(p);
    d.put(b);
    std::string layer;
    d = withLayer(d, plane, b.id, &layer);
    Evaluator evaluator;
    CHECK(fittingSteps(d.get(plane), 0).size() == 4);
    d = withStep(d, plane, 0, makeStep("subdivide", d.get(plane)));
    d = withStep(d, plane, 1, makeStep("displace", d.get(plane)));
    d = withText(d, plane + "/displace/by", "0.3");
    CHECK(readScene(writeScene(d)) == d);
    const ObjectResult made = evaluator.object(d, plane, 1, Progress::none());
    CHECK(made.mesh->faceCount() == 400);
    REQUIRE(made.steps.size() == 2);
    CHECK(made.steps[0].in == 200);
    CHECK(made.steps[0].out == 800);
    const LayerResult r = evaluator.layer(d, layer, {1, Purpose::Render, false}, Progress::none());
    for (const V3f& q : std::get<std::shared_ptr<const Copies>>(r.geometry)->attributes.find<V3f>("P"))
        REQUIRE(q.y == Approx(0.3f).margin(1e-5));
    // A field says where; its heat map lies on the object.
    d = withField(d, {plane, "displace", "by"}, std::make_shared<Field>(Field{{makeSource("noise")}}));
    const auto overlay = makeOverlay(d, {plane, "displace", "by"}, evaluator, {1}, Progress::none());
    REQUIRE(overlay);
    CHECK(overlay->error.empty());
    CHECK(evaluator.layer(d, layer, {1, Purpose::Render, false}, Progress::none()).hash != r.hash);
    // Too fine is refused with the figure.
    d = withText(withText(d, plane + "/divisions", "2000"), plane + "/subdivide/levels", "6");
    CHECK_THROWS_WITH(evaluator.object(d, plane, 1, Progress::none()),
                      Catch::Contains("more than the limit"));
    d = withStepOn(d, plane, "subdivide", false);
    CHECK(evaluator.object(d, plane, 1, Progress::none()).steps[0].out == 2000 * 2000 * 2);
}

TEST_CASE("blades are as long, wide and bent as asked, with their pictures", "[blade]") {
    BladeOptions o;
    o.bend = o.curl = o.twist = 0, o.fold = 0;
    const MeshPtr straight = makeBlades(o);
    CHECK(straight->bounds().max.y == Approx(0.3f));
    CHECK(straight->bounds().max.x == Approx(0.01f).epsilon(0.02));
    CHECK(straight->faceCount() == 20);
    o.bend = kPi;  // half a circle: the tip is level with the foot, a diameter ahead
    o.segments = 200;
    const MeshPtr bent = makeBlades(o);
    CHECK(bent->bounds().max.z == Approx(2 * 0.3f / kPi).epsilon(0.01));
    CHECK(bent->positions().back().y == Approx(0).margin(2e-3));
    // UVs stay those of the straight blade, in the cell that was asked for.
    o.columns = 4, o.rows = 2, o.cells = {5}, o.segments = 10;
    const MeshPtr inCell = makeBlades(o);
    for (const V2f& t : inCell->uvs()) {
        REQUIRE((t.x >= 0.25f - 1e-5f && t.x <= 0.5f + 1e-5f));
        REQUIRE((t.y >= -1e-5f && t.y <= 0.5f + 1e-5f));
    }
    o.blades = 30, o.spread = 0.1f;
    const MeshPtr tuft = makeBlades(o);
    CHECK(tuft->faceCount() == 30 * 20);
    CHECK(makeBlades(o)->points == tuft->points);
    // Several pictures are taken in turn; those that are not there are passed over.
    o.cells = {-1, 2, 7, 99};
    std::set<std::pair<int, int>> used;
    const MeshPtr two = makeBlades(o);
    for (size_t f = 0; f < two->faceCount(); ++f) {  // by the middle of each face: corners lie on borders
        V2f middle(0.0f);
        for (uint32_t c = two->faceStart[f]; c < two->faceStart[f + 1]; ++c) middle += two->uvs()[c] / 4.0f;
        used.insert({int(middle.x * 4), int(middle.y * 2)});
    }
    CHECK(used == std::set<std::pair<int, int>>{{2, 1}, {3, 0}});
    o.columns = 0, o.segments = -3, o.blades = 0;
    CHECK(makeBlades(o)->faceCount() == 2);
}

TEST_CASE("joined copies are where the copies were", "[merge]") {
    Copies copies;
    copies.prototypes = {"ball", "none"};
    copies.attributes.set("P", std::vector<V3f>{{1, 0, 0}, {0, 5, 0}, {9, 9, 9}});
    copies.attributes.set("scale", std::vector<float>{2, 1, 1});
    copies.attributes.set("stretch", std::vector<V3f>{{1, 1, 1}, {1, 2, 1}, {1, 1, 1}});
    copies.attributes.set("prototype", std::vector<int32_t>{0, 0, 1});
    const MeshPtr ball = makeSphere(0.5f, 16);
    const MeshPtr all = mergedCopies(copies, {ball, nullptr}, true);
    CHECK(all->faceCount() == 2 * ball->faceCount());
    CHECK(all->bounds().max.y == Approx(6));
    CHECK(all->bounds().max.x == Approx(2).epsilon(0.01));
    CHECK(all->slots().size() == all->faceCount());
    CHECK(mergedBytes(copies, {ball, nullptr}) == Approx(2 * double(ball->bytes())));
    CHECK(mergedCopies({}, {})->faceCount() == 0);
}

TEST_CASE("a tint turns hues, fades and brightens", "[tint]") {
    const Color c(0.2f, 0.4f, 0.1f);
    CHECK(tinted(c, V3f(0, 1, 1)) == c);
    const Color third = tinted(Color(1, 0, 0), V3f(1 / 3.0f, 1, 1));
    CHECK(third.y == Approx(1).margin(1e-5));
    CHECK(third.x == Approx(0).margin(1e-5));
    const Color grey = tinted(c, V3f(0, 0, 2));
    CHECK(grey.x == Approx(grey.y));
    CHECK(grey.x == Approx(2 * (0.2126f * 0.2f + 0.7152f * 0.4f + 0.0722f * 0.1f)));
}
