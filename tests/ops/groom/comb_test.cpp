// Combing: what brushes do, and what is kept of it.
#include "ops/groom/comb.h"
#include "document/model/document.h"
#include "geo/surface/surface.h"
#include "ops/groom/comb_brush.h"
#include "ops/rebind.h"
#include "params/manual_edits.h"
#include "strand_support.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;

namespace {

SurfacePtr sphere() {
    static const auto surface = std::make_shared<const Surface>(makeSphere(1, 64));
    return surface;
}

struct Coat {
    StrandsPtr strands;
    StrandEdits edits;
    explicit Coat(size_t count = 800) {
        GrowOptions o;
        o.length = {0.15f, 0.25f, {}};
        o.segments = 12;
        o.lean = {0, 0.6f, {}};
        o.bend = {0, 0.5f, {}};
        strands = guidesOn(*sphere(), count, o);
    }
    CombStroke stroke(std::unordered_set<uint64_t> only = {}) const {
        return CombStroke(strands, edits, sphere(), M44f(), std::move(only));
    }
};

CombDab dabAt(const V3f& at, const V3f& move) { return {V3f(0, 0, 5), at, move, 1.0f}; }

CombBrush brush(CombBrush::Mode mode) {
    CombBrush b;
    b.mode = mode;
    b.radius = 0.5f;
    b.strength = 1.0f;
    return b;
}

float deepest(const StrandSet& set) {
    float d = 0;
    for (size_t s = 0; s < set.size(); ++s)
        for (const V3f& p : line(set, s)) {
            const SurfaceHit hit = sphere()->closest(p);
            d = std::min(d, (p - hit.position).dot(hit.normal));
        }
    return d;
}

}  // namespace

TEST_CASE("combing keeps lengths and roots, and pushes nothing below the skin", "[comb]") {
    const Coat coat;
    for (const CombBrush::Mode mode :
         {CombBrush::Comb, CombBrush::Straighten, CombBrush::Smooth, CombBrush::Raise, CombBrush::Bend,
          CombBrush::Gather, CombBrush::Copy}) {
        INFO(int(mode));
        CombStroke stroke = coat.stroke();
        for (int i = 0; i < 12; ++i)
            stroke.apply(brush(mode),
                         dabAt(V3f(-0.3f + 0.05f * float(i), 0, 0.9f), V3f(0.05f, -0.01f, -0.04f)));
        CHECK(stroke.touchedCount() > 50);
        CHECK(stroke.touchedCount() < 500);
        const auto after = stroke.strands();
        float moved = 0;
        std::vector<uint32_t> touched;
        for (uint32_t s = 0; s < after->size(); ++s) {
            CHECK(line(*after, s)[0] == line(*coat.strands, s)[0]);
            CHECK(std::abs(lengthOf(line(*after, s)) - lengthOf(line(*coat.strands, s))) < 1e-4f);
            if (tipDistance(*after, *coat.strands, s) == 0.0f) continue;
            touched.push_back(s);
            moved = std::max(moved, tipDistance(*after, *coat.strands, s));
        }
        CHECK(moved > 0.001f);  // some of them move strands that lie well by little
        // Embree's closest points round at the seventh digit of a ball of radius 1.
        CHECK(deepest(*std::get<StrandsPtr>(gathered(after, touched))) > -2e-6f);
    }
}

TEST_CASE("what a stroke gave does not change with what follows", "[comb]") {
    const Coat coat(200);
    CombStroke stroke = coat.stroke();
    const auto first = stroke.strands();
    const auto before = linesById(*first);
    for (int i = 0; i < 4; ++i) stroke.apply(brush(CombBrush::Comb), dabAt(V3f(0, 0, 1), V3f(0.1f, 0, 0)));
    CHECK(linesById(*first) == before);
    CHECK(linesById(*stroke.strands()) != before);
    CHECK(linesById(*coat.strands) == before);
}

TEST_CASE("combing goes the way of the brush", "[comb]") {
    const Coat coat;
    CombStroke stroke = coat.stroke();
    for (int i = 0; i < 10; ++i)
        stroke.apply(brush(CombBrush::Comb),
                     dabAt(V3f(-0.2f + 0.05f * float(i), 0, 0.97f), V3f(0.05f, 0, 0)));
    const auto after = stroke.strands();
    float sum = 0;
    for (size_t s = 0; s < after->size(); ++s)
        sum += line(*after, s).back().x - line(*coat.strands, s).back().x;
    CHECK(sum > 5.0f);
}

TEST_CASE("smoothing evens strands out, copying gives the shape as it stands on its root", "[comb]") {
    const Coat coat(1500);
    // How much neighbours differ, seen from their own normals: the mean turn between the tips' directions.
    const auto spread = [&](const StrandSet& set) {
        V3f mean(0.0f);
        std::vector<V3f> all;
        for (size_t s = 0; s < set.size(); ++s) {
            const V3f n = set.strands.find<V3f>("N")[s];
            if (n.z < 0.95f) continue;
            all.push_back(rotate(turnBetween(n, V3f(0, 0, 1)),
                                 (line(set, s).back() - line(set, s).front()).normalized()));
            mean += all.back();
        }
        mean.normalize();
        float sum = 0;
        for (const V3f& d : all) sum += std::acos(std::clamp(d.dot(mean), -1.0f, 1.0f));
        return sum / float(all.size());
    };
    for (const CombBrush::Mode mode : {CombBrush::Smooth, CombBrush::Copy}) {
        INFO(int(mode));
        CombStroke rough = coat.stroke();
        for (int i = 0; i < 6; ++i)  // parts them to both sides first
            rough.apply(brush(CombBrush::Comb),
                        dabAt(V3f(0, i % 2 ? 0.3f : -0.3f, 0.95f), V3f(i % 2 ? 0.1f : -0.1f, 0, 0)));
        StrandEdits edits;
        edits.put(rough.edits());
        CombStroke even(rough.strands(), edits, sphere(), M44f(), {});
        for (int i = 0; i < 20; ++i) even.apply(brush(mode), dabAt(V3f(0, 0, 1), V3f(0.0f)));
        CHECK(spread(*even.strands()) < 0.6f * spread(*rough.strands()));
    }
}

TEST_CASE("what was combed comes back from its edits", "[comb]") {
    Coat coat;
    CombStroke stroke = coat.stroke();
    for (int i = 0; i < 6; ++i) {
        stroke.apply(brush(CombBrush::Comb), dabAt(V3f(0.05f * float(i), 0, 0.98f), V3f(0.06f, 0.02f, 0)));
        stroke.apply(brush(CombBrush::Lengthen), dabAt(V3f(0.05f * float(i), 0.2f, 0.9f), V3f(0.0f)));
    }
    StrandEdits edits;
    edits.put(stroke.edits());
    const auto again = linesById(*combed(*coat.strands, edits, sphere().get(), sphere().get()));
    const auto seen = linesById(*stroke.strands());
    for (const auto& [id, l] : seen)
        for (size_t i = 0; i < l.size(); ++i) CHECK((again.at(id)[i] - l[i]).length() < 1e-5f);
    // A second stroke starts from there.
    CombStroke second(combed(*coat.strands, edits, sphere().get(), sphere().get()), edits, sphere(), M44f(),
                      {});
    second.apply(brush(CombBrush::Lengthen), dabAt(V3f(0, 0.2f, 0.9f), V3f(0.0f)));
    StrandEdits both = edits;
    both.put(second.edits());
    const auto twice = linesById(*combed(*coat.strands, both, sphere().get(), sphere().get()));
    for (const auto& [id, l] : linesById(*second.strands()))
        CHECK((twice.at(id).back() - l.back()).length() < 1e-4f);
}

TEST_CASE("cutting shortens, lengthening grows, removing takes out", "[comb]") {
    const Coat coat;
    CombStroke cut = coat.stroke();
    cut.apply(brush(CombBrush::Cut), dabAt(V3f(0, 0, 1.1f), V3f(0.0f)));
    CombStroke grow = coat.stroke();
    grow.apply(brush(CombBrush::Lengthen), dabAt(V3f(0, 0, 1.0f), V3f(0.0f)));
    size_t shorter = 0, longer = 0;
    for (size_t s = 0; s < coat.strands->size(); ++s) {
        const float before = lengthOf(line(*coat.strands, s));
        shorter += lengthOf(line(*cut.strands(), s)) < before * 0.99f;
        longer += lengthOf(line(*grow.strands(), s)) > before * 1.001f;
    }
    CHECK(shorter > 30);
    CHECK(longer > 30);
    CombStroke remove = coat.stroke();
    remove.apply(brush(CombBrush::Remove), dabAt(V3f(0, 0, 1), V3f(0.0f)));
    CHECK(remove.strands()->size() + remove.touchedCount() == 800);
    StrandEdits edits;
    edits.put(remove.edits());
    CHECK(combed(*coat.strands, edits, sphere().get(), sphere().get())->size() == remove.strands()->size());
}

TEST_CASE("planted strands stand on the surface and are bound again on another topology", "[comb]") {
    Coat coat(20);
    CombBrush b = brush(CombBrush::Plant);
    b.radius = 0.05f;
    CombStroke stroke = coat.stroke();
    for (int i = 0; i < 5; ++i) stroke.apply(b, dabAt(V3f(-0.2f + 0.1f * float(i), 0.1f, 0.97f), V3f(0.0f)));
    const size_t planted = stroke.touchedCount();
    CHECK(planted >= 4);
    StrandEdits edits;
    edits.put(stroke.edits());
    edits.topology = 12345;  // of some other surface
    for (const StrandEditPtr& e : edits.list) {
        CHECK(e->added);
        CHECK(e->id >= kFirstAddedId);
    }
    CombReport report;
    const Surface coarse(makeSphere(1, 20));
    const auto made = combed(*coat.strands, edits, &coarse, &coarse, &report);
    CHECK(made->size() == 20 + planted);
    CHECK(report.rebound == planted);
    for (size_t s = 20; s < made->size(); ++s) CHECK(coarse.closest(line(*made, s)[0]).distance < 1e-5f);
    CHECK(combed(*coat.strands, edits, nullptr, nullptr)->size() == 20);
}

TEST_CASE("hidden strands are spared unless the whole depth is asked for; chosen ones alone change",
          "[comb]") {
    const Coat coat;
    CombBrush b = brush(CombBrush::Raise);
    CombStroke front = coat.stroke();
    front.apply(b, dabAt(V3f(0, 0, 1), V3f(0.0f)));
    for (const StrandEdit& e : front.edits()) {
        const auto l = linesById(*coat.strands).at(e.id);
        CHECK(l[0].z > 0.0f);
    }
    b.visibleOnly = false;
    CombStroke through = coat.stroke();
    through.apply(b, dabAt(V3f(0, 0, 1), V3f(0.0f)));
    CHECK(through.touchedCount() > front.touchedCount() * 3 / 2);
    const uint64_t chosen = front.edits().front().id;
    CombStroke one = coat.stroke({chosen});
    one.apply(b, dabAt(V3f(0, 0, 1), V3f(0.0f)));
    REQUIRE(one.edits().size() == 1);
    CHECK(one.edits()[0].id == chosen);
}

TEST_CASE("a mirrored stroke does the same on the other side", "[comb]") {
    const Coat coat;
    CombBrush b = brush(CombBrush::Comb);
    b.radius = 0.2f;
    b.mirror = true;
    CombStroke stroke = coat.stroke();
    for (int i = 0; i < 5; ++i) stroke.apply(b, dabAt(V3f(0.5f, 0, 0.86f), V3f(0.04f, 0, 0)));
    float left = 0, right = 0;
    const auto after = stroke.strands();
    for (size_t s = 0; s < after->size(); ++s) {
        const float by = line(*after, s).back().x - line(*coat.strands, s).back().x;
        (line(*coat.strands, s)[0].x > 0 ? right : left) += by;
    }
    CHECK(right > 0.2f);
    CHECK(left < -0.2f);
}

TEST_CASE("edits follow a surface that deforms, and fit another number of segments", "[comb]") {
    Coat coat(100);
    CombStroke stroke = coat.stroke();
    for (int i = 0; i < 8; ++i) stroke.apply(brush(CombBrush::Comb), dabAt(V3f(0, 0, 1), V3f(0.05f, 0, 0)));
    StrandEdits edits;
    edits.put(stroke.edits());
    const MeshPtr turned =
        transformed(sphere()->mesh(), transformMatrix(V3f(1, 2, 3), V3f(0, 90, 0), V3f(1)));
    const Surface now(turned);
    const auto there = strandsRebound(*coat.strands, *sphere(), now, Progress::none(), nullptr);
    const auto a = linesById(*combed(*coat.strands, edits, sphere().get(), sphere().get()));
    const auto b = linesById(*combed(*there, edits, sphere().get(), &now));
    const M44f m = transformMatrix(V3f(1, 2, 3), V3f(0, 90, 0), V3f(1));
    for (const auto& [id, l] : a)
        for (size_t i = 0; i < l.size(); ++i) CHECK((b.at(id)[i] - l[i] * m).length() < 2e-4f);
    const auto finer = resampled(*coat.strands, 25, Progress::none());
    const auto c = linesById(*combed(*finer, edits, sphere().get(), sphere().get()));
    for (const auto& [id, l] : a) CHECK((c.at(id).back() - l.back()).length() < 0.03f);
}

TEST_CASE("edits of strands that are gone are kept and counted; odd ones do no harm", "[comb]") {
    const Coat coat(10);
    StrandEdits edits;
    StrandEdit gone, odd, nothing;
    gone.id = 999999, gone.length = 2;
    odd.id = coat.strands->strands.find<uint64_t>("id")[3];
    odd.directions = {V3f(0, 0, 1)};
    nothing.id = 5;
    edits.put({gone, odd, nothing});
    CHECK(edits.list.size() == 2);
    CombReport report;
    const auto made = combed(*coat.strands, edits, sphere().get(), sphere().get(), &report);
    CHECK(made->size() == 10);
    CHECK(report.unused == 1);
    CHECK(std::abs(lengthOf(line(*made, 3)) - lengthOf(line(*coat.strands, 3))) < 1e-5f);
    CombStroke none(std::make_shared<StrandSet>(), {}, sphere(), M44f(), {});
    none.apply(brush(CombBrush::Comb), dabAt(V3f(0, 0, 1), V3f(1, 0, 0)));
    CHECK(none.strands()->size() == 0);
}
