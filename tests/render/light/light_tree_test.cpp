// Many lights: each is drawn as often as is said, more often where it gives more, and never missed.
#include "render/light/light_tree.h"
#include "render/light/lamp_boxes.h"

#include <set>

#include "base/random.h"
#include "render/light/black_body.h"
#include "render/light/disk.h"
#include "support.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;

namespace {

V3f onBall(float u, float v) {
    const float z = 1 - 2 * u, s = std::sqrt(std::max(0.0f, 1 - z * z));
    return V3f(s * std::cos(2 * kPi * v), z, s * std::sin(2 * kPi * v));
}

QuadLight quadAt(const V3f& middle, const V3f& normal, float side, float light) {
    V3f x, y;
    basis(normal, x, y);
    QuadLight q;
    q.side1 = x * side, q.side2 = y * side, q.radiance = V3f(light);
    q.corner = middle - (q.side1 + q.side2) * 0.5f;
    q.turn = q.side1.cross(q.side2).dot(normal) < 0 ? -1.0f : 1.0f;
    q.area = side * side, q.normal = normal;
    return q;
}

DiskLight diskAt(const V3f& middle, const V3f& normal, float radius, float light) {
    DiskLight d(M44f(), radius, V3f(light));
    basis(normal, d.axis1, d.axis2);
    d.axis1 *= radius, d.axis2 *= radius, d.center = middle, d.normal = normal;
    return d;
}

/// Lamps of all kinds, most of them small, in a box of 10 m.
std::vector<Light> manyLights(size_t count, uint64_t seed, bool far) {
    std::vector<Light> lights;
    for (uint64_t i = 0; i < count; ++i) {
        const Random4 a = random4(seed, i, Stream::Place), b = random4(seed, i, Stream::User);
        const V3f middle = V3f(a[0], a[1], a[2]) * 10.0f - V3f(5.0f), normal = onBall(b[0], b[1]);
        const float size = 0.01f + 0.3f * b[2] * b[2], light = 0.1f + 5.0f * b[3];
        const int kind = int(a[3] * 4);
        if (kind == 0) lights.push_back(quadAt(middle, normal, size, light));
        if (kind == 1) lights.push_back(diskAt(middle, normal, size, light));
        if (kind == 2)
            lights.push_back(SpotLight{.disk = diskAt(middle, normal, size, light),
                                       .cosEdge = 0.2f + 0.7f * b[2],
                                       .cosFull = 0.95f});
        if (kind == 3) lights.push_back(BallLight{.center = middle, .radius = size, .radiance = V3f(light)});
    }
    if (far) {
        lights.push_back(SunLight{.direction = onBall(0.1f, 0.3f), .cosAngle = 0.999f, .radiance = V3f(300)});
        lights.push_back(DomeLight(nullptr, V3f(0.5f), 0));
    }
    return lights;
}

LightTree treeOf(const std::vector<Light>& lights) {
    std::vector<LightBounds> bounds;
    for (const Light& light : lights) bounds.push_back(light.bounds());
    return LightTree(bounds, Progress::none());
}

LightReceiver receiverAt(uint64_t i) {
    const Random4 a = random4(77, i, Stream::Place);
    const LightReceiver::Kind kinds[] = {LightReceiver::Any, LightReceiver::Side, LightReceiver::Strand};
    return {kinds[i % 3], V3f(a[0], a[1], a[2]) * 14.0f - V3f(7.0f), onBall(a[3], float(i % 7) / 7)};
}

/// How much of light from there the receiver takes.
float taken(const LightReceiver& r, const V3f& direction) {
    const float c = direction.dot(r.axis);
    if (r.kind == LightReceiver::Any) return 1.0f;
    return r.kind == LightReceiver::Side ? std::max(0.0f, c) : std::sqrt(std::max(0.0f, 1 - c * c));
}

/// Of one light, by so many samples of it alone.
double irradianceOf(const Light& light, const LightReceiver& r, int samples) {
    double sum = 0;
    for (int k = 0; k < samples; ++k) {
        const Random4 u = random4(5, uint64_t(k), Stream::Place);
        const LightSample s = light.sample(r.position, u[0], u[1]);
        if (s.pdf > 0) sum += double(s.radiance.x / s.pdf * taken(r, s.direction)) / samples;
    }
    return sum;
}

}  // namespace

TEST_CASE("lights of a tree are drawn as often as it says, which is 1 in all", "[render][lights]") {
    for (const bool far : {false, true})
        for (const size_t count : {1, 2, 5, 60}) {
            const auto lights = manyLights(count, 3, far);
            const LightTree tree = treeOf(lights);
            for (uint64_t i = 0; i < 24; ++i) {
                const LightReceiver r = receiverAt(i);
                double sum = 0;
                std::vector<double> chance;
                for (uint32_t l = 0; l < lights.size(); ++l) {
                    chance.push_back(double(tree.probability(r, l)));
                    sum += chance.back();
                }
                constexpr int kDraws = 4000;
                std::vector<int> drawn(lights.size());
                int nothing = 0;
                for (int k = 0; k < kDraws; ++k) {
                    const LightTree::Choice c = tree.choose(r, (float(k) + 0.5f) / kDraws);
                    if (c.probability == 0.0f) {
                        ++nothing;
                        continue;
                    }
                    REQUIRE(c.probability == Approx(tree.probability(r, c.light)).epsilon(1e-4));
                    ++drawn[c.light];
                }
                INFO("far " << far << ", " << count << " lights, receiver " << i);
                // Where a branch gives nothing though its bounds might, its part is drawn as nothing.
                CHECK(sum == Approx(1.0 - double(nothing) / kDraws).margin(0.002));
                // Even numbers: what is drawn errs by what rounding and the ends of intervals take.
                for (size_t l = 0; l < lights.size(); ++l)
                    CHECK(double(drawn[l]) / kDraws == Approx(chance[l]).margin(0.002));
            }
        }
}

TEST_CASE("no light that comes to a place has a chance of 0 there", "[render][lights]") {
    const auto lights = manyLights(80, 11, true);
    const LightTree tree = treeOf(lights);
    int lit = 0;
    for (uint64_t i = 0; i < 60; ++i) {
        const LightReceiver r = receiverAt(i);
        for (uint32_t l = 0; l < lights.size(); ++l) {
            if (irradianceOf(lights[l], r, 16) < 1e-9) continue;
            ++lit;
            INFO("receiver " << i << ", light " << l);
            CHECK(tree.probability(r, l) > 0.0f);
        }
    }
    CHECK(lit > 1000);
}

TEST_CASE("by the tree, light of thousands of lamps has a fraction of the noise of even choice",
          "[render][lights]") {
    const auto lights = manyLights(3000, 21, false);
    const LightTree tree = treeOf(lights);
    double byTree = 0, even = 0;
    for (uint64_t i = 0; i < 12; ++i) {
        const LightReceiver r = receiverAt(i);
        std::vector<double> gives;
        double truth = 0;
        for (const Light& light : lights) truth += gives.emplace_back(irradianceOf(light, r, 16));
        // Both as they would be with the same samples of each light: only the choice differs.
        double treeSquares = 0, evenSquares = 0, mean = 0;
        for (uint32_t l = 0; l < lights.size(); ++l) {
            const double p = double(tree.probability(r, l)), n = double(lights.size());
            if (p > 0) treeSquares += gives[l] * gives[l] / p, mean += gives[l];
            evenSquares += gives[l] * gives[l] * n;
        }
        CHECK(mean == Approx(truth).epsilon(1e-6));
        byTree += std::sqrt(std::max(0.0, treeSquares - truth * truth)) / truth;
        even += std::sqrt(evenSquares - truth * truth) / truth;
    }
    CHECK(byTree < 0.2 * even);
}

TEST_CASE("the strongest light of a tree is the one that a place lies before", "[render][lights]") {
    std::vector<LightBounds> bounds;
    std::vector<V3f> middles;
    for (uint64_t i = 0; i < 300; ++i) {
        const Random4 a = random4(11, i, Stream::Place);
        middles.push_back(V3f(a[0], a[1], a[2]) * 10.0f);
        bounds.push_back(
            BallLight{.center = middles.back(), .radius = 0.01f, .radiance = V3f(1.0f)}.bounds());
    }
    bounds.push_back(DomeLight(nullptr, V3f(1e6f), 0).bounds());  // it has no place, and counts for nothing
    const LightTree tree(bounds, Progress::none());
    int right = 0;
    for (uint32_t i = 0; i < 300; ++i) {
        const LightReceiver before{LightReceiver::Any, middles[i] + V3f(0, 0.03f, 0), V3f(0, 1, 0)};
        const LightTree::Choice choice = tree.strongest(before);
        CHECK(choice.probability > 0.0f);
        CHECK(choice.probability == Approx(tree.probability(before, choice.light)).epsilon(1e-4));
        right += choice.light == i;
    }
    CHECK(right > 290);  // where another lies as near, halves may say otherwise
    CHECK(LightTree().strongest({}).probability == 0.0f);
    const LightTree far(std::vector<LightBounds>{bounds.back()}, Progress::none());
    CHECK(far.strongest({}).probability == 0.0f);
}

TEST_CASE("a ray meets the same lamps through their boxes as by asking each", "[render][lights]") {
    const auto lights = manyLights(300, 4, true);
    std::vector<LightBounds> bounds;
    for (const Light& light : lights) bounds.push_back(light.bounds());
    const LampBoxes boxes(bounds);
    CHECK(treeOf(lights).far() == std::vector<uint32_t>{300, 301});
    size_t met = 0;
    for (uint64_t i = 0; i < 3000; ++i) {
        const Random4 a = random4(8, i, Stream::Place), b = random4(9, i, Stream::Place);
        const V3f origin = V3f(a[0], a[1], a[2]) * 12.0f - V3f(6.0f), direction = onBall(a[3], b[0]);
        const float reach = 1.0f + 12.0f * b[1];
        std::set<uint32_t> through, each;
        boxes.along(origin, direction, reach, [&](uint32_t l) {
            const LightHit hit = lights[l].hit(origin, direction);
            if (hit.hit && hit.distance < reach) through.insert(l);
        });
        for (uint32_t l = 0; l < 300; ++l) {
            const LightHit hit = lights[l].hit(origin, direction);
            if (hit.hit && hit.distance < reach) each.insert(l);
        }
        REQUIRE(through == each);
        met += each.size();
    }
    CHECK(met > 50);
}

TEST_CASE("a tree takes no lights, dark ones, many at one place, and what is no number", "[render][lights]") {
    CHECK(LightTree({}, Progress::none()).choose({}, 0.5f).probability == 0.0f);
    const BallLight ball{.center = V3f(0, 1, 0), .radius = 0.1f, .radiance = V3f(1.0f)};
    BallLight dark = ball, lost = ball, huge = ball;
    dark.radiance = V3f(0.0f);
    lost.center.x = std::numeric_limits<float>::quiet_NaN();
    huge.radius = std::numeric_limits<float>::infinity();
    CHECK(treeOf({dark}).choose({}, 0.5f).probability == 0.0f);
    std::vector<Light> odd = {dark, lost, huge, ball};
    const LightTree::Choice c = treeOf(odd).choose({}, 0.3f);
    CHECK(c.light == 3);
    CHECK(c.probability == Approx(1.0f));
    const std::vector<Light> same(5000, Light(ball));
    const LightTree tree = treeOf(same);
    std::set<uint32_t> drawn;
    for (int k = 0; k < 20000; ++k) drawn.insert(tree.choose({}, (float(k) + 0.5f) / 20000).light);
    CHECK(drawn.size() == 5000);
}

TEST_CASE("the colour of heat is red when low, white at daylight, and blue above", "[render][lights]") {
    for (const float kelvin : {-5.0f, 0.0f, 1000.0f, 1900.0f, 3200.0f, 6500.0f, 40000.0f, 1e9f, NAN}) {
        const Color c = blackBody(kelvin);
        CHECK(luminance(c) == Approx(1).epsilon(1e-4));
        CHECK(std::min({c.x, c.y, c.z}) >= 0.0f);
    }
    // Published chromaticities of the Planckian locus at 3200 and 6500 K: (0.4234, 0.3990), (0.3135, 0.3237).
    const auto chromaticity = [](const Color& c) {
        const float x = 0.4124564f * c.x + 0.3575761f * c.y + 0.1804375f * c.z,
                    y = 0.2126729f * c.x + 0.7151522f * c.y + 0.0721750f * c.z,
                    z = 0.0193339f * c.x + 0.1191920f * c.y + 0.9503041f * c.z;
        return V2f(x, y) / (x + y + z);
    };
    // The fit of the observer is within 1%.
    CHECK((chromaticity(blackBody(3200)) - V2f(0.4234f, 0.3990f)).length() < 0.004f);
    CHECK((chromaticity(blackBody(6500)) - V2f(0.3135f, 0.3237f)).length() < 0.004f);
    CHECK(blackBody(2000).x > 2.0f * blackBody(2000).z);
    CHECK(blackBody(12000).z > blackBody(12000).x);
}

TEST_CASE("among lamps and below them each is drawn about as often as it gives light", "[render][lights]") {
    std::vector<LightBounds> lamps;
    for (uint64_t i = 0; i < 4000; ++i) {
        const Random4 r = random4(2, i, Stream::Place);
        const V3f at(60 * r[0], 1 + 3 * r[1], 60 * r[2]);
        lamps.push_back({.box = Box3f(at - V3f(0.02f), at + V3f(0.02f)), .power = 1 + 20 * r[3] * r[3]});
    }
    const LightTree tree(lamps, Progress::none());
    for (const auto kind : {LightReceiver::Side, LightReceiver::Any}) {
        constexpr int kPlaces = 24;
        double noise = 0;  // variance of one draw over the square of the light, exactly
        for (uint64_t i = 0; i < kPlaces; ++i) {
            const Random4 r = random4(3, i, Stream::Place);
            const LightReceiver to{
                kind, V3f(60 * r[0], kind == LightReceiver::Any ? 1 + 3 * r[2] : 0, 60 * r[1]), V3f(0, 1, 0)};
            double all = 0, squares = 0;
            for (uint32_t l = 0; l < lamps.size(); ++l) {
                const V3f way = lamps[l].box.center() - to.position;
                const double f =
                    double(lamps[l].power * taken(to, way.normalized()) / std::max(4e-4f, way.length2()));
                all += f, squares += f * f / double(tree.probability(to, l));
            }
            noise += (squares / (all * all) - 1) / kPlaces;
        }
        INFO("below " << (kind == LightReceiver::Side));
        CHECK(noise < 0.8);  // 2.4 and 2.8 where distances within a box of lamps are not told apart
    }
}
