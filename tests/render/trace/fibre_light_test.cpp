// Light that strands share.
#include <tbb/global_control.h>

#include "base/random.h"
#include "geo/strands/strands.h"
#include "render/render_support.h"
#include "render/trace/passing.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;

namespace {

constexpr int kPlushSide = 40;  // more than a block in which strands share

/// Light strands of a brush, all within a unit square, that lean a little.
StrandsPtr plushStrands(size_t count) {
    constexpr uint32_t kPoints = 4;
    auto set = std::make_shared<StrandSet>();
    std::vector<V3f> p;
    std::vector<float> width;
    std::vector<uint64_t> id;
    for (size_t s = 0; s < count; ++s) {
        const Random4 r = random4(5, s, Stream::User);
        for (uint32_t i = 0; i < kPoints; ++i) {
            const float t = float(i) / (kPoints - 1);
            p.push_back(V3f(r[0] - 0.5f + 0.1f * t * (r[2] - 0.5f), 0.5f * t, r[1] - 0.5f + 0.2f * t * r[3]));
            width.push_back(0.02f);
        }
        id.push_back(s + 1);
        set->start.push_back(uint32_t(p.size()));
    }
    set->points.set("P", p);
    set->points.set("width", width);
    set->strands.set("id", id);
    return set;
}

void addPlush(RenderScene& scene, size_t count, float melanin) {
    SurfaceMaterial hair;
    auto f = std::make_shared<FibreMaterial>();
    f->shape = std::make_shared<const FibreShape>(1.55f, 0.0f);
    f->melanin.high = melanin;
    hair.fibre = f;
    const uint32_t look = scene.addMaterialSlots({scene.addMaterial(hair)});
    scene.addInstance({scene.addStrands(plushStrands(count), {}), look, 0, 7, RenderScene::kOwnElement},
                      M44f());
}

/// A brush in the sun, under an even sky, with a ball of glass beside it; or within one of green water.
struct Plush {
    RenderScene scene;
    CameraOptions camera;
    explicit Plush(bool sunk = false) {
        addPlush(scene, 600, 0.05f);
        addTo(scene, makePlane(4, 1), plain(0.5f, 1, 0, 0));
        SurfaceMaterial glass = plain(0.5f, 0.0f, 0, 1);
        glass.transmissionWeight.high = 1.0f;
        M44f beside;
        beside.translate(V3f(1.2f, 0.3f, 0));
        addTo(scene, makeSphere(0.3f, 24), glass, beside);
        if (sunk) {
            SurfaceMaterial water = glass;
            water.ior.high = 1.33f, water.transmissionDepth.high = 1.0f;
            water.transmissionColor.high = Color(0.4f, 0.8f, 0.6f);
            addTo(scene, makeSphere(1.1f, 48), water);
        }
        scene.lights.push_back(DomeLight(nullptr, V3f(0.2f, 0.3f, 0.5f), 0));
        Light light = SunLight{V3f(0.6f, 0.7f, -0.3f).normalized(), std::cos(radians(0.25f)), V3f(2e4f)};
        light.group = 1;
        scene.lights.push_back(light);
        scene.commit(Progress::none());
        camera.position = V3f(0, 1.2f, 2.2f), camera.target = V3f(0, 0.3f, 0);
        camera.focal = 60;
    }
    Film film(RenderOptions o, int passes, std::vector<std::string> groups = {}) const {
        o.bounces = 8;
        Film film(kPlushSide, kPlushSide,
                  {.passes = passesChosen(std::vector<std::string>{"fibre"}), .groups = std::move(groups)});
        const Renderer renderer(scene, Camera(camera, 1.0f), o);
        for (int pass = 0; pass < passes; ++pass)
            renderer.renderPass(film, uint32_t(pass), {0, 0, kPlushSide, kPlushSide}, Progress::none());
        return film;
    }
};

}  // namespace

TEST_CASE("shared light of fibres is as much, and less grainy", "[fibre-light][render]") {
    const Plush plush(GENERATE(false, true));
    constexpr int kRuns = 12;
    double mean[2] = {0, 0}, square[2] = {0, 0}, grain[2] = {0, 0};
    for (const bool shared : {false, true}) {
        std::vector<double> sum(12 * 16), squares(sum.size());
        for (int run = 0; run < kRuns; ++run) {
            RenderOptions o;
            o.seed = uint32_t(run + 1), o.shareFibreLight = shared;
            const Film film = plush.film(o, 4);
            double whole = 0;
            for (size_t i = 0; i < sum.size(); ++i) {  // of the brush alone
                const double light = double(film.beauty(12 + int(i % 16), 14 + int(i / 16)).y);
                whole += light / double(sum.size());
                sum[i] += light / kRuns, squares[i] += light * light / kRuns;
            }
            mean[shared] += whole / kRuns, square[shared] += whole * whole / kRuns;
        }
        for (size_t i = 0; i < sum.size(); ++i) grain[shared] += std::max(0.0, squares[i] - sum[i] * sum[i]);
    }
    const auto error2 = [&](int k) { return (square[k] - mean[k] * mean[k]) / (kRuns - 1); };
    CHECK(std::abs(mean[1] - mean[0]) < 4 * std::sqrt(error2(0) + error2(1)));
    CHECK(mean[0] > 0.01);
    CHECK(grain[1] < 0.5 * grain[0]);
}

TEST_CASE("white fibres that share their light keep all of it", "[fibre-light][render]") {
    RenderScene scene;
    addPlush(scene, 400, 0.0f);
    scene.lights.push_back(DomeLight(nullptr, V3f(1.0f), 0));
    scene.commit(Progress::none());
    CameraOptions c;
    c.position = V3f(0, 0.25f, 4), c.target = V3f(0, 0.25f, 0), c.focal = 150;
    const Film film = render(scene, c, 32, 32, 64);
    CHECK(double(meanOver(film, 8, 12, 24, 20).y) == Approx(1.0).epsilon(0.02));
}

TEST_CASE("shared light is the same on any threads, group by group and lobe by lobe",
          "[fibre-light][threads]") {
    const Plush plush;
    const Film many = plush.film({}, 2, {"others", "sun"});
    Film one;
    {
        tbb::global_control alone(tbb::global_control::max_allowed_parallelism, 1);
        one = plush.film({}, 2, {"others", "sun"});
    }
    const Film plain = plush.film({}, 2);
    size_t fibres = 0;
    for (size_t i = 0; i < many.count(); ++i) {
        const FilmPixel a = many.pixel(i), b = one.pixel(i);
        REQUIRE(a.direct == b.direct);
        REQUIRE(a.indirect == b.indirect);
        REQUIRE(a.samples == 2);
        const V3f all = many.sum(i), groups = many.sum(i, 0) + many.sum(i, 1);
        REQUIRE((all - groups).length() <= 1e-4f * (1e-3f + all.length()));
        REQUIRE((all - plain.sum(i)).length() <= 1e-4f * (1e-3f + all.length()));
        V3f lobes(0.0f);
        for (const V3f& l : a.fibre) lobes += l;
        fibres += lobes.y > 0.0f;
        if (a.layer == 7 && lobes.y > 0.0f) REQUIRE(lobes.y <= all.y * 1.001f + 1e-6f);
    }
    CHECK(fibres > 100);
}

TEST_CASE("sharing ends when it is cancelled, and holds in parts of a picture", "[fibre-light]") {
    const Plush plush;
    Film film(kPlushSide, kPlushSide);
    const Renderer renderer(plush.scene, Camera(plush.camera, 1.0f), {});
    Progress progress;
    progress.cancel();
    CHECK_THROWS_AS(renderer.renderPass(film, 0, {0, 0, kPlushSide, kPlushSide}, progress), Cancelled);
    // A part that holds whole blocks is that part of the whole, and one of a single pixel is sound.
    Film whole(kPlushSide, kPlushSide), part(kPlushSide, kPlushSide);
    renderer.renderPass(whole, 0, {0, 0, kPlushSide, kPlushSide}, Progress::none());
    renderer.renderPass(part, 0, {0, 0, 32, 32}, Progress::none());
    for (int y = 0; y < 32; ++y)
        for (int x = 0; x < 32; ++x) REQUIRE(part.at(x, y).indirect == whole.at(x, y).indirect);
    renderer.renderPass(part, 0, {39, 39, 1, 1}, Progress::none());
    CHECK(part.at(39, 39).samples == 1);
    CHECK(part.at(38, 39).samples == 0);
}

TEST_CASE("strands take their part of light in scenes with clear things too", "[fibre-light][glass]") {
    RenderScene scene;
    const uint32_t skin = scene.addMaterialSlots({scene.addMaterial(plain(1, 1, 0, 0))});
    auto set = std::make_shared<StrandSet>();
    set->points.set("P", std::vector<V3f>{{0, 0, 0}, {0, 1, 0}});
    set->points.set("width", std::vector<float>{0.01f, 0.01f});
    set->strands.set("id", std::vector<uint64_t>{1});
    set->start.push_back(2);
    const ThinLimit limit{.eye = V3f(0, 0.4f, 100), .perMetre = 0.0004f};  // a quarter as wide as drawn
    scene.addInstance({scene.addStrands(set, limit), skin, 0, 1, RenderScene::kOwnElement}, M44f());
    SurfaceMaterial glass = plain(0.5f, 0.0f, 0, 1);
    glass.transmissionWeight.high = 1.0f;
    M44f away;
    away.translate(V3f(3, 0, 0));
    addTo(scene, makeSphere(0.5f, 24), glass, away);
    scene.commit(Progress::none());
    const auto through = [&](const V3f& from, float far) {
        return lightThrough(scene, {from, V3f(0, 0, -1), 0.0f}, far, {});
    };
    const Passed strand = through(V3f(0, 0.37f, 3), 10);
    CHECK(strand.light.x == Approx(0.75f).epsilon(1e-3));
    CHECK_FALSE(strand.clear);
    const Passed ball = through(V3f(3, 0.01f, 3), 10);
    CHECK(ball.clear);
    CHECK(ball.light.x > 0.85f);  // two boundaries lose 4% each
    CHECK(ball.light.x < 0.95f);
    bool clear = false;
    CHECK(scene.passing(V3f(3, 0.01f, 3), V3f(0, 0, -1), 10, 0, &clear) == 1.0f);
    CHECK(clear);
    CHECK(scene.passing(V3f(3, 0.01f, 3), V3f(0, 0, -1), 10) == 0.0f);
    // Behind the glass something solid stops it.
    M44f wall;
    wall.setEulerAngles(V3f(kPi / 2, 0, 0));
    wall[3][0] = 3, wall[3][2] = -2;
    addTo(scene, makePlane(1, 1), plain(1, 1, 0, 0), wall);
    scene.commit(Progress::none());
    CHECK(through(V3f(3, 0.01f, 3), 10).light == V3f(0.0f));
    CHECK(through(V3f(3, 0.01f, 3), 4).light.x > 0.85f);
}

TEST_CASE("softened fibres scatter as much light, less bundled", "[fibre-light][fibre]") {
    const FibreShape shape(1.55f, 0.0f);
    Fibre::Options o;
    o.roughness = o.roughnessAround = 0.2f;
    const Fibre sharp(shape, o, 0.3f), soft = sharp.softened(0.6f), same = sharp.softened(0.1f);
    const V3f wo = V3f(0.3f, 0.2f, 0.9f).normalized();
    constexpr int kDraws = 100000;
    double sum[2] = {0, 0}, most[2] = {0, 0};
    for (int i = 0; i < kDraws; ++i) {
        const Random4 r = random4(3, uint64_t(i), Stream::User);
        const float z = 2 * r[0] - 1, a = 2 * kPi * r[1], s = std::sqrt(1 - z * z);
        const V3f wi(s * std::cos(a), s * std::sin(a), z);
        const double f[2] = {double(sharp.evaluate(wo, wi).f.y), double(soft.evaluate(wo, wi).f.y)};
        for (int k = 0; k < 2; ++k)
            sum[k] += f[k] * 4 * std::numbers::pi / kDraws, most[k] = std::max(most[k], f[k]);
        REQUIRE(same.evaluate(wo, wi).f == sharp.evaluate(wo, wi).f);
    }
    CHECK(sum[0] == Approx(1.0).epsilon(0.04));  // white
    CHECK(sum[1] == Approx(1.0).epsilon(0.02));
    CHECK(most[1] < 0.4 * most[0]);
}
