#include "render/film/film.h"

#include <limits>
#include <random>
#include <thread>

#include "render/finish/ranked_coverage.h"
#include "render/render_support.h"

using namespace ovrix::tests;

namespace {

/// As channels hold it.
float idOf(const std::string& name) { return std::bit_cast<float>(coverageHash(name)); }

FilmLayout everything() {
    return {.passes = passesChosen(passChoices()),
            .groups = {"", "lamp"},
            .exposure = 3,
            .bins = true,
            .fields = {{"wet", false}, {"tint", true}}};
}

/// What the sample of a pass brings to a pixel: of many magnitudes, and another for each.
void addSample(Film& film, size_t pixel, uint32_t pass) {
    std::mt19937 random(uint32_t(pixel) * 7919 + pass);
    std::uniform_real_distribution<float> even(0.0f, 1.0f);
    const auto light = [&] { return V3f(std::exp(20.0f * even(random) - 10.0f), even(random), 0.1f); };
    for (int bounces = 0; bounces < 3; ++bounces) film.addLight(pixel, pass, light(), bounces);
    film.addGroup(pass % 2, pixel, light());
    for (size_t part = 0; part < kComponents; ++part) film.add(passOf(part, pass % 3 == 0), pixel, light());
    if (even(random) < 0.8f)
        film.see(pixel, pass,
                 {.position = light(),
                  .normal = V3f(0, 1, 0),
                  .albedo = light(),
                  .depth = 1.0f + even(random),
                  .uv = V2f(even(random), even(random)),
                  .object = 1 + pass,
                  .layer = 2,
                  .material = pass,
                  .element = uint32_t(random())});
    for (size_t field = 0; field < film.layout().fields.size(); ++field) film.addField(field, pixel, light());
    film.finish(pixel, pass, even(random));
}

Film filmOf(std::vector<uint32_t> passes) {
    Film film(5, 4, everything());
    for (const uint32_t pass : passes)
        for (size_t pixel = 0; pixel < film.count(); ++pixel) addSample(film, pixel, pass);
    return film;
}

}  // namespace

TEST_CASE("passes in any order, on any threads and made apart give the same film", "[film]") {
    const Film whole = filmOf({0, 1, 2, 3, 4, 5, 6, 7});
    CHECK(sameFilms(whole, filmOf({7, 3, 5, 0, 1, 6, 2, 4})));
    Film late = filmOf({4, 5, 6, 7}), early = filmOf({2, 0, 1, 3});
    Film merged = early;
    merged.merge(late);
    CHECK(sameFilms(whole, merged));
    late.merge(early);
    CHECK(sameFilms(whole, late));
    Film threaded(5, 4, everything());
    {
        std::vector<std::jthread> threads;
        for (size_t t = 0; t < 4; ++t)
            threads.emplace_back([&, t] {
                for (uint32_t pass = 0; pass < 8; ++pass)
                    for (size_t pixel = t; pixel < threaded.count(); pixel += 4)
                        addSample(threaded, pixel, pass);
            });
    }
    CHECK(sameFilms(whole, threaded));
    CHECK_FALSE(sameFilms(whole, filmOf({0, 1, 2, 3, 4, 5, 6})));
    CHECK_FALSE(sameFilms(whole, filmOf({1, 1, 2, 3, 4, 5, 6, 7})));
}

TEST_CASE("films of other sizes or planes do not add up", "[film]") {
    Film film(5, 4, everything());
    CHECK_THROWS_AS(film.merge(Film(4, 5, everything())), std::invalid_argument);
    CHECK_THROWS_AS(film.merge(Film(5, 4)), std::invalid_argument);
    FilmLayout brighter = everything();
    brighter.exposure = 4;
    CHECK_THROWS_AS(film.merge(Film(5, 4, brighter)), std::invalid_argument);
}

TEST_CASE("a million passes lose nothing", "[film]") {
    Film film(1, 1);
    constexpr uint32_t kPassCount = 1u << 20;
    for (uint32_t pass = 0; pass < kPassCount; ++pass) {
        film.addLight(0, pass, V3f(0.1f, 1000.0f, 1e-6f), 1);
        film.finish(0, pass, 1.0f);
    }
    // A step is 2^-32, and each sample is rounded to one: half a step off at most.
    CHECK(std::abs(double(film.light(0).x) - double(0.1f)) <= 0x1p-33 + 0.1 * 0x1p-24);
    CHECK(film.light(0).y == 1000.0f);
    CHECK(std::abs(double(film.light(0).z) - double(1e-6f)) <= 0x1p-33 + 1e-6 * 0x1p-24);
    CHECK(film.value(Pass::Alpha, 0) == 1.0f);
    CHECK(film.samples(0) == kPassCount);
}

TEST_CASE("light beyond all measure stays at the most there is, and what is no number is none", "[film]") {
    Film film(1, 1, {.groups = {"a"}});
    const float huge = std::numeric_limits<float>::max();
    for (uint32_t pass = 0; pass < 5; ++pass) {
        film.addLight(0, pass, V3f(huge, -huge, 1.0f), 1);
        film.addGroup(0, 0, V3f(huge, 0, 0));
        film.addGroup(1, 0, V3f(1.0f));  // none of the film's
    }
    film.finish(0, 0, 1.0f);
    CHECK(film.light(0).x > 1e9f);
    CHECK(film.light(0).y < -1e9f);
    CHECK(film.light(0).z == 5.0f);
    CHECK(film.light(0, 0).x > 1e9f);
    Film bad(1, 1, everything());
    const float none = std::numeric_limits<float>::quiet_NaN(), far = std::numeric_limits<float>::infinity();
    bad.addLight(0, 0, V3f(none, far, -far), 1);
    bad.see(0, 0, {.position = V3f(none), .normal = V3f(far), .albedo = V3f(none), .depth = none});
    bad.finish(0, 0, none);
    const FilmPixel p = bad.pixel(0);
    CHECK((p.direct == V3f(0.0f) && p.normal == V3f(0.0f) && p.albedo == V3f(0.0f)));
    CHECK((p.alpha == 0.0f && p.depth == 0.0f));
    CHECK(bad.mean(Pass::Position, 0) == V3f(0.0f));
}

TEST_CASE("a field is the mean over all samples, in one channel or in three", "[film]") {
    Film film(2, 1, {.fields = {{"number", false}, {"colour", true}}});
    for (uint32_t pass = 0; pass < 4; ++pass) {
        if (pass < 2) film.addField(0, 1, V3f(3, 4, 5)), film.addField(1, 1, V3f(-1, 0.5f, 1e6f));
        film.finish(1, pass, 1.0f);
    }
    CHECK(film.fieldMean(0, 1) == V3f(1.5f));
    CHECK(film.fieldMean(1, 1) == V3f(-0.5f, 0.25f, 5e5f));
    CHECK(film.fieldMean(1, 0) == V3f(0.0f));
    CHECK(film.fieldPlane(1, 2) == std::vector<float>{0.0f, 5e5f});
    Film other(2, 1, {.fields = {{"number", false}}});
    CHECK_THROWS_AS(film.merge(other), std::invalid_argument);
}

TEST_CASE("parts of a film begin on its grid, and do not add up with others", "[film]") {
    CHECK_THROWS_AS(Film({16, 0, 8, 8}, {64, 64}), std::invalid_argument);
    Film part({32, 64, 8, 4}, {100, 100});
    CHECK((part.width() == 8 && part.height() == 4 && part.whole() == V2i(100, 100)));
    CHECK_THROWS_AS(part.merge(Film(8, 4)), std::invalid_argument);
    CHECK_THROWS_AS(part.merge(Film({0, 64, 8, 4}, {100, 100})), std::invalid_argument);
    CHECK_NOTHROW(part.merge(Film({32, 64, 8, 4}, {100, 100})));
}

TEST_CASE("a film takes what its layout says", "[film][memory]") {
    Film film(64, 32, everything());
    double bytes = 0;
    film.eachPlane([&](const std::string&, auto& numbers, size_t channels) {
        REQUIRE(numbers.size() == film.count() * channels);
        bytes += double(numbers.size() * sizeof(numbers[0]));
    });
    for (const PassInfo& info : passTable()) bytes += double(film.covers(info.pass).size()) * (24 + 4 * 8);
    CHECK(bytes == everything().bytesOfPixel() * double(film.count()));
    CHECK(FilmLayout().bytesOfPixel() < 0.3 * everything().bytesOfPixel());
}

TEST_CASE("each pass has a name of its own, and is chosen by what there is to choose", "[film]") {
    for (size_t p = 0; p < kPasses; ++p) {
        const PassInfo& info = passTable()[p];
        REQUIRE(size_t(info.pass) == p);
        CHECK(findPass(info.id) == &info);
        CHECK((channelsOf(info.pass) >= 1 && channelsOf(info.pass) <= 3));
        CHECK(FilmLayout().has(info.pass) == info.always());
        CHECK(FilmLayout().chosen(info.pass) == !*info.choice);
        CHECK(everything().has(info.pass));
    }
    CHECK(findPass("nothing") == nullptr);
    CHECK(passesChosen(std::vector<std::string>{"coat", "nothing"}) ==
          std::vector<Pass>{Pass::CoatDirect, Pass::CoatIndirect});
}

TEST_CASE("passes say where things are, how they lie and what they are made of", "[film][aov]") {
    RenderScene scene;
    const uint32_t grey = scene.addMaterial(plain(0.25f, 1, 0, 0)), white = scene.addMaterial({});
    const auto put = [&](uint32_t material, uint64_t element, const V3f& at) {
        M44f m;
        m[3][0] = at.x, m[3][1] = at.y, m[3][2] = at.z;
        scene.addInstance({scene.addMesh(makePlane(1, 1)), scene.addMaterialSlots({material}), 1, 0, element},
                          m);
    };
    put(grey, 7, V3f(-0.5f, 0, 0));
    put(white, 8, V3f(0.5f, 0.5f, 0));
    scene.commit(Progress::none());
    CameraOptions c;
    c.position = V3f(0, 4, 0.0001f), c.target = V3f(0.0f);
    const Film film = render(scene, c, 32, 4, 2);
    const size_t left = film.indexOf(10, 16), right = film.indexOf(22, 16);
    CHECK(film.value(Pass::Depth, left) == Approx(4).margin(1e-3));
    CHECK(film.value(Pass::DepthMean, left) == Approx(4).margin(1e-3));
    CHECK(film.value(Pass::DepthFront, right) == Approx(3.5).margin(1e-3));
    CHECK(film.mean(Pass::Position, right).y == Approx(0.5));
    // A pixel is 36 mm / 35 mm x 4 m / 32 = 0.1286 m wide at the ground; the filter reaches 1.5 pixels.
    CHECK(film.mean(Pass::Position, left).x == Approx((10.5 - 16) * 0.12857).margin(1.5 * 0.1286));
    CHECK(film.mean(Pass::Uv, left).x == Approx(1.0f + film.mean(Pass::Position, left).x).margin(1e-4));
    CHECK(film.number(Pass::Material, left) == grey + 1);
    CHECK(film.number(Pass::Material, right) == white + 1);
    CHECK(film.number(Pass::Element, left) != film.number(Pass::Element, right));
    CHECK(film.number(Pass::Element, left) == film.number(Pass::Element, film.indexOf(11, 17)));
    // Where a thing covers a part of the pixel, the mean distance is its own all the same.
    int rims = 0;
    for (size_t i = 0; i < film.count(); ++i) {
        const uint32_t object = film.coverage(Pass::ObjectCover, i).all().empty() ? 0 : 1;
        const float covered =
            object ? float(film.coverage(Pass::ObjectCover, i).all()[0].count) / 4.0f : 0.0f;
        const float depth = film.value(Pass::DepthMean, i);
        if (object) REQUIRE((depth > 3.49f && depth < 4.01f));
        rims += covered > 0.0f && covered < 1.0f;
    }
    CHECK(rims > 10);
    const size_t empty = film.indexOf(0, 0);
    CHECK(film.number(Pass::Material, empty) == 0);
    CHECK(film.value(Pass::DepthFront, empty) == 0.0f);
    CHECK(film.halfSamples(empty) == 2);
}

TEST_CASE("motion says how far things move in the picture", "[film][aov][motion]") {
    RenderScene scene;
    const uint32_t look = scene.addMaterialSlots({scene.addMaterial(plain(0.5f, 1, 0, 0))});
    M44f from, to;
    from[3][0] = -0.25f, to[3][0] = 0.25f;
    scene.addInstance({scene.addMesh(makePlane(6, 1)), look, 1, 0, 0}, {from, to});
    scene.commit(Progress::none());
    CameraOptions c, moved;
    c.position = V3f(0, 4, 0.0001f), c.target = V3f(0.0f);
    const Film film = render(scene, c, 32, 2, 1);
    // Half a metre at 4 m, where a pixel is 36 mm / 35 mm x 4 m / 32 wide.
    const double pixels = 0.5 / (36.0 / 35.0 * 4.0 / 32.0);
    CHECK(film.mean(Pass::Motion, film.indexOf(16, 16)).x == Approx(pixels).epsilon(1e-3));
    CHECK(film.mean(Pass::Motion, film.indexOf(16, 16)).y == Approx(0).margin(1e-2));

    RenderScene still;
    addTo(still, makePlane(6, 1), plain(0.5f, 1, 0, 0));
    still.commit(Progress::none());
    moved = c;
    moved.position.z += 0.25f, moved.target.z += 0.25f;
    Film other(32, 32, {.passes = {Pass::Motion}});
    Renderer(still, Camera(std::vector<CameraOptions>{c, moved}, 1.0f), {})
        .renderPass(other, 0, {0, 0, 32, 32}, Progress::none());
    // The camera goes down the picture, and all goes up in it.
    CHECK(other.mean(Pass::Motion, other.indexOf(8, 20)).y == Approx(-pixels / 2).epsilon(1e-2));
}

TEST_CASE("what light came by adds up to the light", "[film][aov]") {
    RenderScene scene;
    SurfaceMaterial all = plain(0.5f, 0.3f, 0, 0.5f);
    all.coatWeight.high = 0.5f, all.fuzzWeight.high = 0.5f;
    all.transmissionWeight.high = 0.4f, all.subsurfaceWeight.high = 0.5f;
    addTo(scene, makeSphere(1, 48), all);
    addTo(scene, makePlane(12, 1), plain(0.6f, 1, 0, 0), M44f().translate(V3f(0, -1, 0)));
    SurfaceMaterial lamp;
    lamp.luminance.high = 5.0f;
    addTo(scene, makeSphere(0.3f, 24), lamp, M44f().translate(V3f(1.2f, 1.0f, 0)));
    scene.lights.push_back(DomeLight(nullptr, V3f(0.5f), 0));
    scene.commit(Progress::none());
    CameraOptions c;
    c.position = V3f(0, 0.5f, 5);
    const Film film = render(scene, c, 32, 16, 6);
    // That it is kept apart changes nothing.
    Film plain(32, 32);
    RenderOptions o;
    o.bounces = 6;
    const Renderer renderer(scene, Camera(c, 1.0f), o);
    for (uint32_t pass = 0; pass < 16; ++pass)
        renderer.renderPass(plain, pass, {0, 0, 32, 32}, Progress::none());
    for (size_t i = 0; i < film.count(); ++i) REQUIRE(plain.light(i) == film.light(i));
    std::array<double, kPasses> total{};
    for (size_t i = 0; i < film.count(); ++i) {
        V3f sum = film.mean(Pass::Emission, i);
        for (size_t part = 0; part < kComponents; ++part)
            for (const bool indirect : {false, true}) {
                if (indirect && part < kFibreComponents) continue;
                const V3f one = film.mean(passOf(part, indirect), i);
                sum += one;
                total[size_t(passOf(part, indirect))] += double(one.x);
            }
        total[size_t(Pass::Emission)] += double(film.mean(Pass::Emission, i).x);
        for (int k = 0; k < 3; ++k) REQUIRE(sum[k] == Approx(film.light(i)[k]).epsilon(1e-4).margin(1e-6));
    }
    for (const Pass pass :
         {Pass::Emission, Pass::DiffuseDirect, Pass::DiffuseIndirect, Pass::FuzzDirect, Pass::SpecularDirect,
          Pass::CoatDirect, Pass::TransmissionIndirect, Pass::SubsurfaceDirect, Pass::SubsurfaceIndirect}) {
        INFO(infoOf(pass).id);
        CHECK(total[size_t(pass)] > 0.5);
    }
    CHECK(total[size_t(Pass::VolumeDirect)] == 0.0);
}

TEST_CASE("coverage counts what is seen, in any order", "[film][coverage]") {
    Film a(1, 1, everything()), b = a;
    const auto see = [](Film& film, uint32_t pass, uint32_t object) {
        if (object) film.see(0, pass, {.object = object});
        film.finish(0, pass, object ? 1.0f : 0.0f);
    };
    const std::vector<uint32_t> objects{3, 1, 3, 0, 2, 3, 1, 3};
    for (uint32_t pass = 0; pass < 8; ++pass)
        see(a, pass, objects[pass]), see(b, 7 - pass, objects[7 - pass]);
    CHECK(sameFilms(a, b));
    CHECK(a.coverage(Pass::ObjectCover, 0).all() == std::vector<Coverage::Seen>{{1, 2}, {2, 1}, {3, 4}});
    CHECK(a.coverage(Pass::LayerCover, 0).all().empty());
    const auto planes = rankedCoverage(a, Pass::ObjectCover, {{1, "one"}, {2, "two"}, {3, "three"}});
    REQUIRE(planes.size() == 2 * kCoverageRanks);
    CHECK((planes[0][0] == idOf("three") && planes[1][0] == 0.5f));
    CHECK((planes[2][0] == idOf("one") && planes[3][0] == 0.25f));
    CHECK((planes[4][0] == idOf("two") && planes[5][0] == 0.125f));
    CHECK((planes[6][0] == 0.0f && planes[7][0] == 0.0f));
    // Things of one name are one; what has none is left out.
    const auto alike = rankedCoverage(a, Pass::ObjectCover, {{1, "x"}, {3, "x"}});
    CHECK((alike[0][0] == idOf("x") && alike[1][0] == 0.75f && alike[2][0] == 0.0f));
    a.clear(0);
    CHECK(a.coverage(Pass::ObjectCover, 0).all().empty());
    CHECK(rankedCoverage(Film(1, 1), Pass::ObjectCover, {})[0][0] == 0.0f);
}

TEST_CASE("names become the ids that the specification says", "[film][coverage]") {
    CHECK(coverageHash("hello") == 0x248bfa47u);  // a published value of the hash
    int turned = 0;
    for (int i = 0; i < 4000; ++i) {
        const float id = idOf("thing " + std::to_string(i));
        REQUIRE(std::isnormal(id));
        turned += (coverageHash("thing " + std::to_string(i)) >> 23 & 255) == 1;
    }
    CHECK(turned > 5);  // 1 in 128 by chance, half of them turned from what would be denormal
}
