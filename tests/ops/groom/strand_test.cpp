// Growing, filling and styling strands.
#include <numeric>
#include <set>

#include "geo/surface/surface.h"
#include "ops/groom/bundle.h"
#include "ops/groom/fill.h"
#include "ops/groom/strand_points.h"
#include "ops/groom/strand_sources.h"
#include "ops/groom/sweep.h"
#include "ops/groom/trace.h"
#include "ops/rebind.h"
#include "ops/style/clump.h"
#include "ops/style/coil.h"
#include "ops/style/curl.h"
#include "ops/style/flyaways.h"
#include "ops/style/frizz.h"
#include "ops/style/lift_lean.h"
#include "ops/style/strand_color.h"
#include "ops/style/strand_length.h"
#include "ops/style/strand_noise.h"
#include "ops/style/strand_width.h"
#include "ops/style/twist.h"
#include "strand_support.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;

namespace {

const Surface& ball() {
    static const Surface surface(makeSphere(1, 48));
    return surface;
}

StrandEffect everywhere() {
    StrandEffect e;
    e.along = Curve{{{0, 1}, {1, 1}}, true};
    return e;
}

StrandEffect towardsTip() {
    StrandEffect e;
    e.along = Curve{{{0, 0}, {1, 1}}, false};
    return e;
}

std::vector<float> segmentLengths(const StrandSet& set) {
    std::vector<float> out;
    for (size_t s = 0; s < set.size(); ++s)
        for (size_t i = 1; i < line(set, s).size(); ++i)
            out.push_back((line(set, s)[i] - line(set, s)[i - 1]).length());
    return out;
}

}  // namespace

TEST_CASE("grown strands have their length, lean and root", "[strand]") {
    GrowOptions o;
    o.length = {0.2f, 0.3f, {}};
    o.segments = 10;
    o.lean = {0, radians(30), {}};
    const auto s = guidesOn(ball(), 500, o);
    REQUIRE(s->size() == 500);
    float least = 1, most = 0;
    for (size_t i = 0; i < s->size(); ++i) {
        const float length = lengthOf(line(*s, i));
        least = std::min(least, length), most = std::max(most, length);
        const V3f root = s->strands.find<V3f>("P")[i], n = s->strands.find<V3f>("N")[i];
        CHECK(line(*s, i)[0] == root);
        const V3f d = (line(*s, i)[1] - root).normalized();
        CHECK(d.dot(n) == Approx(std::cos(radians(30))).margin(1e-3));
        // The frame's Y is the normal: combing is held in it.
        CHECK((rotate(s->strands.find<Quatf>("orient")[i], V3f(0, 1, 0)) - n).length() < 1e-4f);
    }
    // 500 uniform numbers leave gaps at the ends of more than 0.002 once in a million.
    CHECK(least == Approx(0.2f).margin(0.003));
    CHECK(most == Approx(0.3f).margin(0.003));
}

TEST_CASE("raising the count keeps the strands that are there", "[strand]") {
    const auto few = linesById(*guidesOn(ball(), 100)), many = linesById(*guidesOn(ball(), 400));
    for (const auto& [id, l] : few) CHECK(many.at(id) == l);
    FillOptions o;
    o.count = 300;
    const auto guides = guidesOn(ball(), 60);
    const auto small = linesById(*fill(*guides, ball(), ball(), o, Progress::none()));
    o.count = 900;
    const auto large = linesById(*fill(*guides, ball(), ball(), o, Progress::none()));
    for (const auto& [id, l] : small) CHECK(large.at(id) == l);
    BundleOptions b;
    b.count = 3;
    const auto three = linesById(*bundle(*guides, b, Progress::none()));
    b.count = 6;
    const auto six = linesById(*bundle(*guides, b, Progress::none()));
    CHECK(three.size() == 180);
    CHECK(six.size() == 360);
    for (const auto& [id, l] : three) CHECK(six.at(id) == l);
}

TEST_CASE("at a guide's root filling gives the guide", "[strand]") {
    GrowOptions g;
    g.lean = {0, 0.7f, {}};
    g.bend = {0, 1.0f, {}};
    g.scatter = 1.0f;
    // Guides on the very points that the fill will choose: the same scatter.
    FillOptions o;
    o.count = 80;
    o.seed = 1;
    const auto guides = guidesOn(ball(), 80, g);
    for (int followed : {1, 4, 8}) {
        o.guides = followed;
        const auto filled = fill(*guides, ball(), ball(), o, Progress::none());
        REQUIRE(filled->size() == 80);
        const auto a = linesById(*guides), b = linesById(*filled);
        for (const auto& [id, l] : a)
            for (size_t i = 0; i < l.size(); ++i)  // float turns by quaternions: some rounding
                CHECK((b.at(id)[i] - l[i]).length() < 1e-5f);
    }
}

TEST_CASE("between alike guides filling gives the same again", "[strand]") {
    const auto guides = uprights(30, 6);
    const Surface plane(makePlane(4, 8));
    FillOptions o;
    o.count = 500;
    const auto filled = fill(*guides, plane, plane, o, Progress::none());
    REQUIRE(filled->size() == 500);
    for (size_t s = 0; s < filled->size(); ++s) {
        const auto l = line(*filled, s);
        CHECK((l.back() - l.front() - V3f(0, 1, 0)).length() < 1e-5f);
    }
}

TEST_CASE("a parting separates the sides, and so does a zone", "[strand]") {
    const Surface plane(makePlane(4, 8));
    GrowOptions g;
    g.length = {1, 1, {}};
    auto guides = std::make_shared<StrandSet>(*guidesOn(plane, 200, g));
    auto p = guides->points.add<V3f>("P");
    for (size_t s = 0; s < guides->size(); ++s)  // all lean away from the line x = 0
        for (uint32_t i = guides->start[s]; i < guides->start[s + 1]; ++i) {
            const float side = p[guides->start[s]].x > 0 ? 1.0f : -1.0f;
            p[i].x += side * (p[i].y);
        }
    FillOptions o;
    o.count = 3000;
    const auto crossing = [&](const StrandSet& set) {
        size_t count = 0;
        for (size_t s = 0; s < set.size(); ++s) {
            const V3f d = line(set, s).back() - line(set, s).front();
            count += std::abs(d.x) < 0.999f || (d.x > 0) != (line(set, s).front().x > 0);
        }
        return count;
    };
    CHECK(crossing(*fill(*guides, plane, plane, o, Progress::none())) > 50);
    o.partings =
        std::make_shared<const CurveSet>(std::vector<std::vector<V3f>>{{{0, 0, -3}, {0, 0, 0}, {0, 0, 3}}});
    const auto parted = fill(*guides, plane, plane, o, Progress::none());
    CHECK(parted->size() == 3000);
    CHECK(crossing(*parted) == 0);
}

TEST_CASE("strands without a guide in reach are left out, and counted", "[strand]") {
    const Surface plane(makePlane(4, 8));
    const auto all = guidesOn(plane, 50);
    std::vector<uint32_t> left;
    for (uint32_t s = 0; s < all->size(); ++s)
        if (all->strands.find<V3f>("P")[s].x < 0) left.push_back(s);
    const auto guides = std::get<StrandsPtr>(gathered(all, left));
    FillOptions o;
    o.count = 1000;
    o.reach = 0.4f;
    size_t lonely = 0;
    const auto filled = fill(*guides, plane, plane, o, Progress::none(), &lonely);
    CHECK(filled->size() + lonely == 1000);
    CHECK(lonely > 300);
    for (const V3f& root : filled->strands.find<V3f>("P")) {
        float nearest = 10;
        for (const V3f& g : guides->strands.find<V3f>("P")) nearest = std::min(nearest, (g - root).length());
        CHECK(nearest <= 0.4f);
    }
    CHECK_THROWS_WITH(fill(StrandSet(), plane, plane, o, Progress::none()), Catch::Contains("no guides"));
}

TEST_CASE("a deforming surface carries roots exactly", "[strand]") {
    const MeshPtr before = makeSphere(1, 24);
    Mesh moved = *before;
    {
        auto p = moved.points.add<V3f>("P");
        for (V3f& v : p) v = V3f(v.x * 1.5f + 0.2f * v.y * v.y, v.y * 0.8f, v.z + 0.3f * v.x);
    }
    moved.corners.remove("N");
    moved.finish();
    const Surface rest(before), now(std::make_shared<const Mesh>(moved));
    const auto guides = guidesOn(rest, 200);
    size_t rebound = 1;
    const auto carried = strandsRebound(*guides, rest, now, Progress::none(), &rebound);
    CHECK(rebound == 0);
    const auto triangle = guides->strands.find<int32_t>("triangle");
    const auto bary = guides->strands.find<V2f>("bary");
    for (size_t s = 0; s < carried->size(); ++s) {
        const V3f wanted = now.sampleAt(uint32_t(triangle[s]), bary[s].x, bary[s].y).position;
        CHECK(line(*carried, s)[0] == wanted);
        CHECK(lengthOf(line(*carried, s)) == Approx(lengthOf(line(*guides, s))).epsilon(1e-4));
    }
    // Filling: neighbours at rest, shapes as they are now.
    FillOptions o;
    o.count = 400;
    const auto filled = fill(*carried, rest, now, o, Progress::none());
    const auto ft = filled->strands.find<int32_t>("triangle");
    const auto fb = filled->strands.find<V2f>("bary");
    for (size_t s = 0; s < filled->size(); ++s)
        CHECK((line(*filled, s)[0] - now.sampleAt(uint32_t(ft[s]), fb[s].x, fb[s].y).position).length() <
              1e-6f);
    // Another topology: by the nearest point, and said.
    const Surface other(makeSphere(1, 20));
    const auto again = strandsRebound(*guides, rest, other, Progress::none(), &rebound);
    CHECK(rebound == 200);
    for (size_t s = 0; s < again->size(); ++s)
        CHECK((line(*again, s)[0] - line(*guides, s)[0]).length() < 0.05f);
}

TEST_CASE("a clump at full tightness ends in its centre", "[strand]") {
    GrowOptions g;
    g.lean = {0, 0.5f, {}};
    g.scatter = 1;
    const auto strands = guidesOn(ball(), 800, g);
    ClumpOptions o;
    o.count = 40;
    o.effect = towardsTip();
    const auto made = clump(*strands, o, Progress::none());
    const auto number = made->strands.find<int32_t>("clump");
    std::map<int32_t, std::set<std::array<float, 3>>> tips;
    for (size_t s = 0; s < made->size(); ++s) {
        const V3f t = line(*made, s).back();
        tips[number[s]].insert({t.x, t.y, t.z});
        CHECK(line(*made, s).front() == line(*strands, s).front());
    }
    CHECK(tips.size() <= 40);
    CHECK(tips.size() > 30);
    for (const auto& [c, t] : tips) CHECK(t.size() == 1);
    o.stray = 0.25f;
    const auto loose = clump(*strands, o, Progress::none());
    size_t free = 0;
    for (size_t s = 0; s < loose->size(); ++s) free += tipDistance(*loose, *strands, s) == 0.0f;
    CHECK(free > 800 * 0.25 - 80);  // and the centres themselves
    CHECK(free < 800 * 0.25 + 120);
    o.stray = 0;
    o.levels = 3;
    o.loosen = 1.0f;
    o.gather = 5;
    const auto nested = clump(*strands, o, Progress::none());
    std::set<std::array<float, 3>> ends;
    for (size_t s = 0; s < nested->size(); ++s) {
        const V3f t = line(*nested, s).back();
        ends.insert({t.x, t.y, t.z});
    }
    CHECK(ends.size() < tips.size());
    o.count = 100000;  // more clumps than strands
    CHECK(linesById(*clump(*strands, o, Progress::none())).size() == 800);
}

TEST_CASE("curl radius and turns can be measured from the result", "[strand]") {
    const auto strands = uprights(20, 400);
    CurlOptions o;
    o.effect = everywhere();
    o.radius = {0, 0.05f, {}};
    o.turns = {0, 5, {}};
    const auto curled = curl(*strands, o, Progress::none());
    for (size_t s = 0; s < curled->size(); ++s) {
        const auto l = line(*curled, s);
        const V3f root = strands->strands.find<V3f>("P")[s];
        double turned = 0;
        for (size_t i = 0; i < l.size(); ++i) {
            const V3f off(l[i].x - root.x, 0, l[i].z - root.z);
            CHECK(off.length() == Approx(0.05f).margin(1e-5));
            if (i == 0) continue;
            const V3f before(l[i - 1].x - root.x, 0, l[i - 1].z - root.z);
            turned += std::atan2(double(before.cross(off).y), double(before.dot(off)));
        }
        CHECK(std::abs(turned) / (2.0 * double(kPi)) == Approx(5.0).margin(1e-3));
    }
    o.flat = true;
    const auto waved = curl(*strands, o, Progress::none());
    for (size_t s = 0; s < waved->size(); ++s) {  // to and fro in one plane through the path
        const V3f root = strands->strands.find<V3f>("P")[s];
        V3f plane(0.0f);
        float most = 0;
        for (const V3f& v : line(*waved, s)) {
            const V3f off(v.x - root.x, 0, v.z - root.z);
            if (off.length() > most) most = off.length(), plane = off;
        }
        CHECK(most == Approx(0.05f).margin(1e-4));
        for (const V3f& v : line(*waved, s))
            CHECK(V3f(v.x - root.x, 0, v.z - root.z).cross(plane.normalized()).length() < 1e-5f);
    }
}

TEST_CASE("coils have one radius and thickness from end to end", "[strand]") {
    CoilOptions o;
    o.effect = everywhere();
    o.radius = {0, 0.02f, {}};
    o.turns = {0, 12, {}};
    o.thickness = 0.003f;
    const auto made = coil(*uprights(5, 4), o, Progress::none());
    CHECK(made->round);
    CHECK(made->pointsOf(0) == 12 * 16 + 1);
    for (float w : made->points.find<float>("width")) CHECK(w == 0.003f);
    o.memoryLimit = 1000;
    CHECK_THROWS_WITH(coil(*uprights(5, 4), o, Progress::none()), Catch::Contains("limit"));
}

TEST_CASE("frizz stays within its amplitude, moves no root, and is each strand's own", "[strand]") {
    const auto strands = uprights(400, 30);
    FrizzOptions o;
    o.effect = towardsTip();
    o.amplitude = {0, 0.02f, {}};
    o.bends = {0, 7, {}};
    const auto made = frizz(*strands, o, Progress::none());
    float most = 0, sum = 0;
    for (size_t s = 0; s < made->size(); ++s) {
        CHECK(line(*made, s)[0] == line(*strands, s)[0]);
        for (size_t i = 0; i < line(*made, s).size(); ++i) {
            const V3f d = line(*made, s)[i] - line(*strands, s)[i];
            most = std::max({most, std::abs(d.x), std::abs(d.y), std::abs(d.z)});
            sum += d.length();
        }
    }
    CHECK(most <= 0.0201f);  // slopes of at most 1 give at most half each way, doubled
    CHECK(most > 0.01f);
    CHECK(sum > 0.0f);
    CHECK(lineNoise(7, 3.0f) == V3f(0.0f));
    CHECK(lineNoise(7, NAN) == V3f(0.0f));
    CHECK((lineNoise(7, 3.0001f) - lineNoise(7, 2.9999f)).length() < 1e-3f);
}

TEST_CASE("leaning, flyaways and straight cuts keep lengths as they say", "[strand]") {
    const auto strands = guidesOn(ball(), 300);
    const auto before = segmentLengths(*strands);
    LiftLeanOptions l;
    l.effect = everywhere();
    l.lean = {0, 0.8f, {}};
    l.gusts = {0, 0.5f, {}};
    FlyawayOptions f;
    f.effect = everywhere();
    f.fraction = 0.5f;
    for (const StrandsPtr& made :
         {liftLean(*strands, l, Progress::none()), flyaways(*strands, f, Progress::none())}) {
        const auto after = segmentLengths(*made);
        for (size_t i = 0; i < before.size(); ++i) CHECK(after[i] == Approx(before[i]).epsilon(1e-4));
    }
    const auto flown = flyaways(*strands, f, Progress::none());
    size_t changed = 0;
    for (size_t s = 0; s < flown->size(); ++s) changed += tipDistance(*flown, *strands, s) > 0.0f;
    CHECK(changed > 100);
    CHECK(changed < 200);
    LiftLeanOptions lift;
    lift.effect = everywhere();
    lift.lift = {0, kPi, {}};  // as far as the normal, no further
    const auto raised = liftLean(*strands, lift, Progress::none());
    for (size_t s = 0; s < raised->size(); ++s) {
        const V3f d = (line(*raised, s).back() - line(*raised, s).front()).normalized();
        CHECK(d.dot(strands->strands.find<V3f>("N")[s]) > 0.9999f);
    }
    StrandLengthOptions cut;
    cut.cut = true;
    cut.factor = {0.5f, 0.5f, {}};
    const auto half = strandLength(*strands, cut, Progress::none());
    for (size_t s = 0; s < half->size(); ++s) {
        CHECK(lengthOf(line(*half, s)) == Approx(0.5f * lengthOf(line(*strands, s))).epsilon(2e-3));
        CHECK(half->pointsOf(s) == strands->pointsOf(s));
    }
    cut.cut = false;
    cut.longest = 0.04f;
    cut.shortest = 0.041f;
    CHECK(strandLength(*strands, cut, Progress::none())->size() == 0);
}

TEST_CASE("twisting turns a bundle about its middle", "[strand]") {
    BundleOptions b;
    b.count = 6;
    b.root = {0, 0.05f, {}}, b.tip = {0, 0.05f, {}};
    b.length = {1, 1, {}};
    const auto bundled = bundle(*uprights(1, 40), b, Progress::none());
    REQUIRE(bundled->size() == 6);
    TwistOptions t;
    t.effect = towardsTip();
    t.turns = {0, 0.25f, {}};
    const auto twisted = twist(*bundled, t, Progress::none());
    V3f middle(0.0f);
    for (size_t s = 0; s < 6; ++s) middle += line(*bundled, s).back() / 6.0f;
    for (size_t s = 0; s < 6; ++s) {
        const V3f a = line(*bundled, s).back() - middle, c = line(*twisted, s).back() - middle;
        CHECK(c.length() == Approx(a.length()).epsilon(1e-3));
        CHECK(std::abs(a.dot(c)) < 1e-4f);  // a quarter turn
    }
}

TEST_CASE("widths go from root to tip, resampling keeps ends, smoothing keeps roots and tips", "[strand]") {
    const auto strands = uprights(10, 8);
    StrandWidthOptions w;
    w.root = {0, 0.004f, {}}, w.tip = {0, 0.001f, {}};
    w.along = Curve{{{0, 1}, {1, 0}}, false};
    w.variation = 0;
    const auto wide = strandWidth(*strands, w, Progress::none());
    const auto width = wide->points.find<float>("width");
    CHECK(width[0] == Approx(0.004f));
    CHECK(width[8] == Approx(0.001f));
    CHECK(width[4] == Approx(0.0025f).epsilon(1e-3));
    const auto finer = resampled(*wide, 21, Progress::none());
    CHECK(finer->pointsOf(3) == 21);
    CHECK(line(*finer, 3).front() == line(*wide, 3).front());
    CHECK((line(*finer, 3).back() - line(*wide, 3).back()).length() < 1e-6f);
    CHECK(finer->points.find<float>("width")[10] == Approx(0.0025f).epsilon(1e-3));
    FrizzOptions f;
    f.effect = everywhere();
    f.amplitude = {0, 0.1f, {}};
    const auto rough = frizz(*strands, f, Progress::none());
    const auto smooth = smoothStrands(*rough, everywhere(), 20, Progress::none());
    for (size_t s = 0; s < smooth->size(); ++s) {
        CHECK(line(*smooth, s).front() == line(*rough, s).front());
        CHECK(line(*smooth, s).back() == line(*rough, s).back());
        CHECK(lengthOf(line(*smooth, s)) < lengthOf(line(*rough, s)));
    }
}

TEST_CASE("colours go along the strand, and a share is grey", "[strand]") {
    const auto strands = uprights(1000, 4);
    StrandColorOptions o;
    o.root.high = Color(1, 0, 0), o.tip.high = Color(0, 0, 1);
    o.along = Curve{{{0, 0}, {1, 1}}, false};
    o.brightness = 0;
    const auto made = strandColor(*strands, o, Progress::none());
    const auto color = made->points.find<Color>("color");
    CHECK((color[0] - Color(1, 0, 0)).length() < 1e-5f);
    CHECK((color[4] - Color(0, 0, 1)).length() < 1e-5f);
    CHECK((color[2] - Color(0.5f, 0, 0.5f)).length() < 1e-3f);
    o.grey = {0, 0.3f, {}};
    const auto aged = strandColor(*strands, o, Progress::none());
    size_t grey = 0;
    for (size_t s = 0; s < aged->size(); ++s)
        grey += aged->points.find<Color>("color")[aged->start[s]] == o.greyColor;
    CHECK(grey > 200);  // 300 expected, standard deviation 14.5
    CHECK(grey < 400);
}

TEST_CASE("traced strands keep their step, hug the surface, and diverge from none", "[strand]") {
    TraceOptions o;
    o.steps = 30;
    o.length = {0.01f, 0.01f, {}};
    o.hug = {0, 1, {}};
    o.normal = {0, 0, {}};
    const auto made = trace(*pointsOn(ball(), 60), &ball(), o, Progress::none());
    for (float l : segmentLengths(*made)) CHECK(l == Approx(0.01f).epsilon(1e-3));
    for (const V3f& p : made->points.find<V3f>("P")) CHECK(std::abs(p.length() - 1.0f) < 0.01f);
    o.hug = {0, 0, {}};
    o.bias = V3f(0, 100, 0);
    const auto up = trace(*pointsOn(ball(), 20), &ball(), o, Progress::none());
    for (size_t s = 0; s < up->size(); ++s)
        CHECK((line(*up, s).back() - line(*up, s).front()).y == Approx(0.3f).epsilon(0.01));
    o.drift = V3f(0.05f, 0, 0);
    o.bias = V3f(0.0f);
    const auto moved = trace(*pointsOn(ball(), 20), &ball(), o, Progress::none());
    CHECK(tipDistance(*moved, *up, 0) > 0.0f);
}

TEST_CASE("strands sweep to closed tubes of their width", "[strand]") {
    auto one = std::make_shared<StrandSet>(*uprights(1, 10));
    one->points.remove("width");
    one->points.add<float>("width", 0.1f);
    const MeshPtr tube = tubesOf(*one, 24, 1);
    const MeshReport report = inspect(*tube);
    CHECK(report.openEdges == 0);
    CHECK(report.flippedEdges == 0);
    // A prism of 24 sides in a circle of radius 0.05, one metre high.
    const double wanted = 0.5 * 24 * 0.05 * 0.05 * std::sin(2 * double(kPi) / 24);
    double volume = 0;
    for (const Triangle& t : tube->triangles())
        volume += double(tube->cornerPosition(t[0]).dot(
                      tube->cornerPosition(t[1]).cross(tube->cornerPosition(t[2])))) /
                  6;
    CHECK(volume == Approx(wanted).epsilon(1e-4));
}

TEST_CASE("strands of curves begin at the curve's start, on the surface", "[strand]") {
    const CurveSet curves({{{0.5f, 0.3f, 0}, {0.5f, 1.3f, 0}}, {{0, 2, 0}, {0, 2, 1}, {0, 2, 3}}});
    const Surface plane(makePlane(4, 8));
    const auto free = strandsAlong(curves, nullptr, 10);
    CHECK(free->size() == 2);
    CHECK(line(*free, 0).front() == V3f(0.5f, 0.3f, 0));
    CHECK(lengthOf(line(*free, 1)) == Approx(3.0f));
    const auto on = strandsAlong(curves, &plane, 10);
    CHECK((line(*on, 0).front() - V3f(0.5f, 0, 0)).length() < 1e-6f);
    CHECK((line(*on, 0).back() - V3f(0.5f, 1, 0)).length() < 1e-5f);
    CHECK_THROWS_AS(strandsAlong(CurveSet({}), nullptr, 10), Error);
}

TEST_CASE("strands without length or number are left out, and counted", "[strand]") {
    GrowOptions o;
    o.length = {0, 0, {}};
    size_t dropped = 0;
    CHECK(grow(*pointsOn(ball(), 30), &ball(), o, Progress::none(), &dropped)->size() == 0);
    CHECK(dropped == 30);
    auto points = std::make_shared<PointSet>(*pointsOn(ball(), 30));
    points->attributes.add<V3f>("P")[7] = V3f(NAN, 0, 0);
    points->attributes.add<V3f>("P")[9] = V3f(0, INFINITY, 0);
    o.length = {0.1f, 0.1f, {}};
    CHECK(grow(*points, &ball(), o, Progress::none(), &dropped)->size() == 28);
    CHECK(dropped == 2);
    CHECK(droppedNote(2).find("2 strands") == 0);
    o.memoryLimit = 1000;
    CHECK_THROWS_WITH(grow(*points, &ball(), o, Progress::none()), Catch::Contains("limit"));
    // Nothing in, nothing out.
    const StrandSet none;
    ClumpOptions c;
    CHECK(clump(none, c, Progress::none())->size() == 0);
    CHECK(curl(none, {}, Progress::none())->size() == 0);
    CHECK(frizz(none, {}, Progress::none())->size() == 0);
    CHECK(bundle(none, {}, Progress::none())->size() == 0);
    CHECK(twist(none, {}, Progress::none())->size() == 0);
    CHECK(coil(none, {}, Progress::none())->size() == 0);
    CHECK(resampled(none, 5, Progress::none())->size() == 0);
    CHECK(tubesOf(none, 5, 1)->faceCount() == 0);
}

TEST_CASE("bundles of bundles keep ids of their own", "[strand]") {
    BundleOptions o;
    o.count = 7;
    const StrandsPtr once = bundle(*uprights(3, 4), o, Progress::none());
    o.count = 5;
    const StrandsPtr twice = bundle(*once, o, Progress::none());
    const auto first = once->strands.find<uint64_t>("id"), all = twice->strands.find<uint64_t>("id");
    CHECK(std::set<uint64_t>(all.begin(), all.end()).size() == all.size());
    for (size_t i = 0; i < first.size(); ++i) CHECK(all[i * 5] == first[i]);
}
