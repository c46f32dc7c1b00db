// The fibre model against what it promises, and strands in the ray tracer.
#include "render/shade/fibre.h"
#include "base/random.h"
#include "render/render_support.h"
#include "render/scene/strand_curves.h"
#include "render/trace/renderer.h"
#include "render/trace/shading.h"
#include "strand_support.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;

namespace {

V3f onSphere(float u, float v) {
    const float x = 1 - 2 * u, r = std::sqrt(std::max(0.0f, 1 - x * x));
    return V3f(x, r * std::cos(2 * kPi * v), r * std::sin(2 * kPi * v));
}

V3f outgoing(float theta, float phi) {
    return V3f(std::sin(theta), std::cos(theta) * std::cos(phi), std::cos(theta) * std::sin(phi));
}

Fibre::Options clear(float along, float around) {
    Fibre::Options o;
    o.roughness = along, o.roughnessAround = around;
    return o;
}

/// Mean of f over even directions times the sphere's area: light scattered of light from everywhere.
double albedo(const FibreShape& shape, const Fibre::Options& o, const V3f& wo, int count) {
    double sum = 0;
    for (int i = 0; i < count; ++i) {
        const Random4 r = random4(3, uint64_t(i), Stream::User);
        const Fibre fibre(shape, o, 2 * r[3] - 1);
        const Fibre::Sample s = fibre.sample(wo, r[0], r[1], r[2]);
        sum += double(s.weight.x);
    }
    return sum / count;
}

}  // namespace

TEST_CASE("fibre, white furnace: what absorbs nothing gives back all light", "[fibre][furnace]") {
    for (const float shift : {0.0f, 2.5f}) {
        const FibreShape shape(1.55f, radians(shift));
        for (const float along : {0.15f, 0.3f, 0.5f, 0.8f})
            for (const float around : {0.1f, 0.3f, 0.7f})
                for (const float theta : {0.0f, 0.5f, 1.0f, 1.3f}) {
                    INFO(shift << " " << along << " " << around << " " << theta);
                    // Weights are near 1, so that 60,000 of them leave an error far under 1%.
                    const double a = albedo(shape, clear(along, around), outgoing(theta, 0.7f), 60000);
                    CHECK(a == Approx(1.0).epsilon(0.01));
                }
    }
}

TEST_CASE("fibre, white furnace by even sampling of the sphere", "[fibre][furnace]") {
    const FibreShape shape(1.55f, 0.0f);
    for (const float along : {0.4f, 0.8f}) {
        const Fibre::Options o = clear(along, 0.5f);
        double sum = 0;
        const int side = 500;
        for (int i = 0; i < side * side; ++i) {
            const Random4 r = random4(9, uint64_t(i), Stream::User);
            const V3f wi = onSphere((float(i % side) + r[0]) / side, (float(i / side) + r[1]) / side);
            sum += double(Fibre(shape, o, 2 * r[2] - 1).evaluate(outgoing(0.6f, 1.1f), wi).f.x);
        }
        CHECK(sum / (side * side) * 4 * double(kPi) == Approx(1.0).epsilon(0.01));
    }
}

TEST_CASE("fibre: directions may be exchanged, mirrored across the width", "[fibre]") {
    const FibreShape shape(1.55f, 0.0f);
    Fibre::Options o = clear(0.35f, 0.4f);
    o.absorption = V3f(0.2f, 0.6f, 1.5f);
    for (int i = 0; i < 2000; ++i) {
        const Random4 r = random4(5, uint64_t(i), Stream::User), q = random4(6, uint64_t(i), Stream::User);
        const V3f a = onSphere(r[0], r[1]), b = onSphere(r[2], r[3]);
        const float h = 1.8f * q[0] - 0.9f;
        const V3f one = Fibre(shape, o, h).evaluate(a, b).f, other = Fibre(shape, o, -h).evaluate(b, a).f;
        // The tangent's sign decides what is across: seen from the other direction it is on the other side.
        for (int k = 0; k < 3; ++k) CHECK(one[k] == Approx(other[k]).epsilon(2e-3).margin(1e-5));
    }
}

TEST_CASE("fibre: the sampling density adds up to 1 and is that of the samples", "[fibre]") {
    const FibreShape shape(1.55f, radians(2.5f));
    Fibre::Options o = clear(0.4f, 0.4f);
    o.absorption = V3f(0.3f);
    for (const float h : {-0.7f, 0.0f, 0.5f}) {
        const Fibre fibre(shape, o, h);
        const V3f wo = outgoing(0.4f, 0.9f);
        double sum = 0, x = 0, sampledX = 0;
        const int side = 600;
        for (int i = 0; i < side * side; ++i) {
            const V3f wi = onSphere((float(i % side) + 0.5f) / side, (float(i / side) + 0.5f) / side);
            const double pdf = double(fibre.evaluate(wo, wi).pdf);
            sum += pdf;
            x += pdf * double(wi.x + wi.y * wi.z);
        }
        const double area = 4 * double(kPi) / (side * side);
        CHECK(sum * area == Approx(1.0).epsilon(0.005));
        const int count = 200000;
        for (int i = 0; i < count; ++i) {
            const Random4 r = random4(11, uint64_t(i), Stream::User);
            const Fibre::Sample s = fibre.sample(wo, r[0], r[1], r[2]);
            CHECK(s.wi.length() == Approx(1.0f).epsilon(1e-4));
            sampledX += double(s.wi.x + s.wi.y * s.wi.z) / count;
        }
        CHECK(sampledX == Approx(x * area).margin(0.005));  // standard error under 0.0015
    }
}

TEST_CASE("fibre: lobes add up, and the highlight lies opposite", "[fibre]") {
    const FibreShape shape(1.55f, 0.0f);
    const Fibre fibre(shape, clear(0.1f, 0.2f), 0.1f);
    const V3f wo = outgoing(0.5f, kPi / 2);
    const auto strong = fibre.evaluate(wo, outgoing(-0.5f, kPi / 2)),
               weak = fibre.evaluate(wo, outgoing(0.5f, kPi / 2));
    CHECK(strong.lobe[0].x > 50 * weak.lobe[0].x);
    V3f sum(0.0f);
    for (const V3f& l : strong.lobe) sum += l;
    CHECK((sum - strong.f).length() < 1e-5f * strong.f.length());
    Fibre::Options draft = clear(0.3f, 0.3f);
    draft.draft = true;
    draft.base = Color(1.0f);
    CHECK(albedo(shape, draft, wo, 100000) <= 1.01);
    CHECK(albedo(shape, draft, wo, 100000) > 0.8);
}

TEST_CASE("melanin 0 gives light and 1 dark hair; colours come back from their absorption", "[fibre]") {
    CHECK(absorptionOfMelanin(0, 0.5f) == V3f(0.0f));
    const Color light = colorOfAbsorption(absorptionOfMelanin(0.03f, 0), 0.3f),
                dark = colorOfAbsorption(absorptionOfMelanin(1, 0), 0.3f),
                red = colorOfAbsorption(absorptionOfMelanin(0.4f, 1), 0.3f);
    CHECK(light.y > 0.5f);
    CHECK(dark.x < 0.01f);
    CHECK(red.x > 2 * red.z);
    for (const float x : {0.05f, 0.3f, 0.9f}) {
        const Color c(x, 0.5f * x, 0.2f * x);
        CHECK((colorOfAbsorption(absorptionOfColor(c, 0.4f), 0.4f) - c).length() < 1e-4f);
    }
}

TEST_CASE("each strand has its own melanin, and some have none", "[fibre]") {
    SurfaceMaterial m;
    auto f = std::make_shared<FibreMaterial>();
    f->shape = std::make_shared<FibreShape>(1.55f, 0.0f);
    f->melanin.high = 0.5f;
    m.fibre = f;
    const auto colors = [&] {
        std::vector<float> all;
        for (uint64_t id = 0; id < 4000; ++id) {
            SurfacePoint p;
            p.strand = true, p.tangent = V3f(1, 0, 0), p.normal = V3f(0, 0, 1), p.element = id;
            all.push_back(shade(m, p, {Media()}).base.x);
        }
        return all;
    };
    const auto even = colors();
    CHECK(even.front() == even.back());
    f->grey.high = 0.3f;
    const auto grey = colors();
    const float white = *std::max_element(grey.begin(), grey.end());
    const double share = double(std::count(grey.begin(), grey.end(), white)) / 4000;
    CHECK(share == Approx(0.3).margin(0.03));  // four deviations
    CHECK(std::count(grey.begin(), grey.end(), even.front()) == 4000 - int(share * 4000 + 0.5));
    f->grey.high = 0.0f, f->melaninRange.high = 0.2f;
    auto varied = colors();
    CHECK(varied == colors());  // it stays with the strand
    std::sort(varied.begin(), varied.end());
    f->melaninRange.high = 0.0f;
    f->melanin.high = 0.7f;
    CHECK(varied.front() == Approx(colors()[0]).epsilon(0.02));
    f->melanin.high = 0.3f;
    CHECK(varied.back() == Approx(colors()[0]).epsilon(0.02));
}

TEST_CASE("the second highlight has its own tint, and nothing else does", "[fibre]") {
    const FibreShape shape(1.55f, 0.0f);
    Fibre::Options o;
    const Fibre plain(shape, o, 0.4f);
    o.innerTint = V3f(0.5f, 1.0f, 0.0f);
    const Fibre tinted(shape, o, 0.4f);
    const V3f wo = V3f(0.1f, 0.3f, 1).normalized(), wi = V3f(-0.2f, -0.5f, 1).normalized();
    const Fibre::Value a = plain.evaluate(wo, wi), b = tinted.evaluate(wo, wi);
    for (size_t p = 0; p < Fibre::kLobes; ++p)
        for (int k = 0; k < 3; ++k)
            CHECK(b.lobe[p][k] == Approx(a.lobe[p][k] * (p == 2 ? o.innerTint[k] : 1.0f)).margin(1e-7));
    CHECK(a.pdf == b.pdf);
}

TEST_CASE("fibre: odd options and directions give numbers", "[fibre]") {
    const FibreShape shape(1.0f, 10.0f);
    Fibre::Options o;
    o.roughness = 0, o.roughnessAround = 5, o.absorption = V3f(1e30f, 0, 1);
    for (const float h : {-5.0f, 1.0f, 0.0f})
        for (const V3f& w : {V3f(1, 0, 0), V3f(-1, 0, 0), V3f(0, 0, 1), V3f(0, -1, 0)}) {
            const Fibre f(shape, o, h);
            const auto v = f.evaluate(w, V3f(1, 0, 0));
            CHECK(isFinite(v.f));
            const auto s = f.sample(w, 0.999999f, 0.0f, 0.999999f);
            CHECK(isFinite(s.weight));
            CHECK(isFinite(s.wi));
        }
}

namespace {

struct Fur {
    RenderScene scene;
    StrandsPtr strands;
    uint32_t look;
    explicit Fur(StrandsPtr s, const ThinLimit& limit = {}, bool fibre = true, float translucency = 0)
        : strands(std::move(s)) {
        SurfaceMaterial m;
        m.base.high = Color(1.0f);
        m.specularWeight.high = 0;
        m.roughness.high = 1;
        m.translucency.high = translucency;
        if (fibre) {
            auto f = std::make_shared<FibreMaterial>();
            f->shape = std::make_shared<const FibreShape>(1.55f, 0.0f);
            f->melanin.high = 0;
            m.fibre = f;
        }
        look = scene.addMaterialSlots({scene.addMaterial(m)});
        scene.addInstance({scene.addStrands(strands, limit), look, 0, 7, RenderScene::kOwnElement}, M44f());
        scene.commit(Progress::none());
    }
};

/// One upright strand of an even width.
StrandsPtr rod(float width, bool round, int segments = 4) {
    auto set = std::make_shared<StrandSet>(*uprights(1, segments));
    auto p = set->points.add<V3f>("P");
    const V3f root = p[0];
    for (V3f& v : p) v -= root;
    set->points.remove("width");
    set->points.add<float>("width", width);
    set->round = round;
    return set;
}

}  // namespace

TEST_CASE("a fibre seen as a whole gives the mean light of its offsets, with less noise", "[fibre]") {
    const FibreShape shape(1.55f, 0.04f);
    Fibre::Options o;
    o.absorption = V3f(0.1f, 0.4f, 0.9f);
    const V3f wo = V3f(0.3f, 0.2f, 0.9f).normalized();
    constexpr int kDraws = 60000;
    V3f single(0.0f), whole(0.0f), drawn(0.0f), drawnWhole(0.0f);
    double noise = 0, noiseWhole = 0;
    const V3f wi = V3f(-0.2f, 0.5f, -0.8f).normalized();  // against the light, where one lobe is all
    for (int i = 0; i < kDraws; ++i) {
        const Random4 r = random4(9, uint64_t(i), Stream::User);
        const Fibre fibre(shape, o, 2 * r[0] - 1);
        const V3f a = fibre.evaluate(wo, wi).f, b = fibre.evaluateWhole(wo, wi).f;
        single += a / kDraws, whole += b / kDraws;
        noise += double(a.x) * double(a.x) / kDraws, noiseWhole += double(b.x) * double(b.x) / kDraws;
        drawn += fibre.sample(wo, r[1], r[2], r[3]).weight / kDraws;
        drawnWhole += fibre.sampleWhole(wo, r[1], r[2], r[3]).weight / kDraws;
    }
    for (int k = 0; k < 3; ++k) {
        CHECK(whole[k] == Approx(single[k]).epsilon(0.02));
        CHECK(drawnWhole[k] == Approx(drawn[k]).epsilon(0.02));
    }
    noise -= double(single.x) * double(single.x), noiseWhole -= double(whole.x) * double(whole.x);
    CHECK(noiseWhole < 0.3 * noise);
    const Fibre fibre(shape, o, 0.9f);
    const auto v = fibre.evaluateWhole(wo, wi);
    V3f parts(0.0f);
    for (const V3f& l : v.lobe) parts += l;
    CHECK((parts - v.f).length() < 1e-5f);
}

TEST_CASE("strands drawn wider than they are take their part of light, and not all or nothing",
          "[fibre][render]") {
    // Upright rods one behind the other, a quarter as wide as they are drawn.
    RenderScene scene;
    const uint32_t skin = scene.addMaterialSlots({scene.addMaterial(plain(1, 1, 0, 0))});
    const ThinLimit limit{.eye = V3f(0, 0.4f, 100), .perMetre = 0.0004f};
    const uint32_t thin = scene.addStrands(rod(0.01f, false), limit);
    for (int i = 0; i < 3; ++i) {
        M44f behind;
        behind[3][2] = -float(i);
        scene.addInstance({thin, skin, 0, 1, RenderScene::kOwnElement}, behind);
    }
    scene.commit(Progress::none());
    const V3f to(0, 0, -1);
    CHECK(scene.passing(V3f(0, 0.37f, 3), to, 10) == Approx(0.75f * 0.75f * 0.75f).epsilon(1e-3));
    CHECK(scene.passing(V3f(0.003f, 0.37f, 3), to, 3.5f) == Approx(0.75f).epsilon(1e-3));  // the first alone
    CHECK(scene.passing(V3f(1, 0.37f, 3), to, 10) == 1.0f);
    // What is solid behind them blocks all of it.
    M44f up;
    up.setEulerAngles(V3f(kPi / 2, 0, 0));
    up[3][2] = -5;
    addTo(scene, makePlane(2, 1), plain(1, 1, 0, 0), up);
    scene.commit(Progress::none());
    CHECK(scene.passing(V3f(0, 0.37f, 3), to, 10) == 0.0f);
    // As many rays as by chance: nearest ones go through by chance still.
    int through = 0;
    for (int i = 0; i < 4000; ++i)
        through +=
            scene
                .intersect({V3f(0.015f * (random1(3, uint64_t(i), Stream::User) - 0.5f), 0.37f, 3), to},
                           false)
                .distance > 7.5f;
    CHECK(through / 4000.0 == Approx(0.42).margin(0.04));
}

TEST_CASE("rays meet strands where they are, with place, tangent and number", "[fibre][render]") {
    for (const bool round : {false, true}) {
        INFO(round);
        const Fur fur(rod(0.2f, round));
        for (const float off : {-0.09f, -0.03f, 0.0f, 0.06f}) {
            const Ray ray{V3f(off, 0.4f, 3), V3f(0, 0, -1)};
            const RayHit hit = fur.scene.intersect(ray, false);
            REQUIRE(hit.hit());
            const SurfacePoint p = fur.scene.surfacePoint(hit, ray);
            CHECK(p.strand);
            CHECK((p.tangent - V3f(0, 1, 0)).length() < 1e-5f);
            CHECK(p.radius == Approx(0.1f));
            CHECK(std::abs(p.across) == Approx(std::abs(off) / 0.1f).margin(1e-3));
            // On the tube: the offset is that of the ray.
            CHECK(p.position.x == Approx(off).margin(1e-4));
            CHECK(p.position.z == Approx(std::sqrt(0.01f - off * off)).margin(1e-3));
            CHECK(p.element == fur.strands->strands.find<uint64_t>("id")[0]);
            CHECK(p.layer == 7);
            CHECK((p.center - V3f(0, 0.4f, 0)).length() < 1e-4f);  // as far along as the ray is high
        }
        CHECK(!fur.scene.intersect({V3f(0.11f, 0.4f, 3), V3f(0, 0, -1)}, false).hit());
    }
}

TEST_CASE("white furnace: strands under an even sky vanish, as fibres and as surfaces", "[fibre][furnace]") {
    struct Case {
        bool fibre;
        float translucency;
    };
    for (const auto& [fibre, translucency] : {Case{true, 0}, Case{false, 0}, Case{false, 0.5f}})
        for (const bool round : {false, true}) {
            INFO(fibre << " " << translucency << " " << round);
            Fur fur(rod(0.3f, round), {}, fibre, translucency);
            fur.scene.lights.push_back(DomeLight(nullptr, V3f(1.0f), 0));
            CameraOptions c;
            c.position = V3f(0, 0.5f, 4), c.target = V3f(0, 0.5f, 0);
            c.focal = 150;
            Film film(32, 32);
            RenderOptions o;
            o.bounces = 16;
            o.limit = 0;
            const Renderer renderer(fur.scene, Camera(c, 1.0f), o);
            for (uint32_t pass = 0; pass < 64; ++pass)
                renderer.renderPass(film, pass, {0, 0, 32, 32}, Progress::none());
            double sum = 0;
            for (int y = 12; y < 20; ++y)
                for (int x = 12; x < 20; ++x) sum += double(film.beauty(x, y).x) / 64;
            CHECK(sum == Approx(1.0).epsilon(0.02));  // 4096 samples of about 0.3 deviation: 0.005
        }
}

TEST_CASE("thin strands cover as much as they are wide", "[fibre][render]") {
    // Two hundred strands of a thirty-seventh of a pixel.
    const auto cover = [](float part) {
        auto set = std::make_shared<StrandSet>();
        std::vector<V3f> p;
        std::vector<uint64_t> id;
        for (uint64_t k = 0; k < 200; ++k) {
            const float x = -1 + 2 * (float(k) + 0.5f) / 200;
            // Not one behind the other at the very same depth, as no fur is.
            const float z = 0.5f * random1(2, k, Stream::User);
            for (const float y : {-2.0f, 2.0f}) p.push_back(V3f(x, y, z));
            set->start.push_back(uint32_t(p.size()));
            id.push_back(k);
        }
        set->points.set("P", p);
        set->points.add<float>("width", 0.001f);
        set->strands.set("id", id);
        CameraOptions c;
        c.position = V3f(0, 0, 20), c.target = V3f(0.0f);
        c.focal = 300;
        const Camera camera(c, 1.0f);
        const ThinLimit limit{c.position, part * 2 * camera.halfHeight() / 64};
        size_t met = 0;
        const Fur fur(set, limit);
        for (int y = 0; y < 64; ++y)
            for (int x = 0; x < 64; ++x)
                for (int s = 0; s < 16; ++s) {
                    const Random4 r = random4(1, uint64_t((y * 64 + x) * 16 + s), Stream::User);
                    met += fur.scene
                               .intersect(camera.ray((float(x) + r[0]) / 64, (float(y) + r[1]) / 64, 0, 0),
                                          false)
                               .hit();
                }
        return double(met) / (64 * 64 * 16);
    };
    const double thin = cover(0.0f), wide = cover(0.7f);
    CHECK(thin > 0.05);
    CHECK(wide == Approx(thin).epsilon(0.06));  // 65,536 rays, a tenth of which meet: 1.2% deviation each
}

TEST_CASE("bends of less than a tenth of a pixel are not missed in what rays meet", "[fibre][render]") {
    auto set = std::make_shared<StrandSet>();
    std::vector<V3f> p;
    std::vector<uint64_t> id;
    for (uint64_t s = 0; s < 60; ++s) {
        const float phase = 6.2831853f * random1(3, s, Stream::User);
        for (int k = 0; k < 97; ++k) {
            const float t = float(k) / 96, a = phase + 9.0f * t;
            p.push_back(V3f(-0.6f + 0.02f * float(s) + 0.05f * std::cos(a), t - 0.5f, 0.05f * std::sin(a)));
        }
        set->start.push_back(uint32_t(p.size()));
        id.push_back(s);
    }
    set->points.set("P", p);
    set->points.add<float>("width", 0.01f);
    set->strands.set("id", id);
    CameraOptions c;
    c.position = V3f(0, 0, 8), c.target = V3f(0.0f);
    c.focal = 150;
    const Camera camera(c, 1.0f);
    const float pixel = 2 * camera.halfHeight() / 64;
    const Fur whole(set), few(set, {.eye = c.position, .perMetre = 0, .detail = 0.1f * pixel});
    REQUIRE(StrandCurves(set, {.eye = c.position, .perMetre = 0, .detail = 0.1f * pixel}).pieces() < 60 * 40);
    size_t met = 0, otherwise = 0, hits[2] = {0, 0};
    double turned = 0, shifted = 0;
    for (int y = 0; y < 64; ++y)
        for (int x = 0; x < 64; ++x)
            for (int s = 0; s < 4; ++s) {
                const Random4 r = random4(1, uint64_t((y * 64 + x) * 4 + s), Stream::User);
                const Ray ray = camera.ray((float(x) + r[0]) / 64, (float(y) + r[1]) / 64, 0, 0);
                const RayHit a = whole.scene.intersect(ray, false), b = few.scene.intersect(ray, false);
                otherwise += a.hit() != b.hit();
                hits[0] += a.hit(), hits[1] += b.hit();
                if (!a.hit() || !b.hit()) continue;
                const SurfacePoint pa = whole.scene.surfacePoint(a, ray), pb = few.scene.surfacePoint(b, ray);
                if (pa.element != pb.element) continue;
                ++met;
                turned += std::acos(std::clamp(double(pa.tangent.dot(pb.tangent)), -1.0, 1.0));
                shifted += double((pa.center - pb.center).length());
            }
    REQUIRE(met > 2000);
    // Strands are half a pixel wide, and both edges are off by a tenth of one at most.
    CHECK(double(otherwise) < 0.4 * double(met));
    // As many are met all the same: three deviations of those that are met otherwise.
    CHECK(std::abs(double(hits[0]) - double(hits[1])) < 3 * std::sqrt(double(otherwise)));
    CHECK(turned / double(met) < 0.05);  // radians: pieces bend smoothly to the light
    CHECK(shifted / double(met) < 0.1 * double(pixel) * 8);
}

TEST_CASE("passes hold the tangent and the light of each lobe", "[fibre][render]") {
    Fur fur(rod(0.5f, false));
    fur.scene.lights.push_back(DomeLight(nullptr, V3f(1.0f), 0));
    CameraOptions c;
    c.position = V3f(0, 0.5f, 4), c.target = V3f(0, 0.5f, 0);
    c.focal = 150;
    Film film(8, 8, {.passes = passesChosen(passChoices())});
    RenderOptions o;
    o.limit = 0;
    const Renderer renderer(fur.scene, Camera(c, 1.0f), o);
    for (uint32_t pass = 0; pass < 32; ++pass)
        renderer.renderPass(film, pass, {0, 0, 8, 8}, Progress::none());
    const FilmPixel p = film.at(4, 4);
    CHECK((p.tangent / float(p.samples) - V3f(0, 1, 0)).length() < 1e-3f);
    V3f sum(0.0f);
    for (const V3f& l : p.fibre) {
        CHECK(l.x > 0.0f);
        sum += l;
    }
    CHECK((sum - p.direct - p.indirect).length() < 1e-3f * sum.length());
}
