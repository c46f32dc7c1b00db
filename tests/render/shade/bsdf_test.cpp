// Layers of a surface: energy, densities, and being alike both ways, of each lobe and of random stacks.
#include "render/shade/bsdf.h"
#include "base/random.h"
#include "render/render_support.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;

namespace {

/// Even numbers, by a counter.
class Even {
  public:
    explicit Even(uint64_t seed) : seed_(seed) {}
    float operator()() {
        if (left_ == 0) random_ = random4(seed_, n_++, Stream::User), left_ = 4;
        return random_[--left_];
    }
    float between(float a, float b) { return a + (b - a) * (*this)(); }

  private:
    uint64_t seed_, n_ = 0;
    int left_ = 0;
    Random4 random_{};
};

V3f above(Even& even) {
    const float z = even.between(0.05f, 1.0f), phi = even.between(0.0f, 2 * kPi), s = std::sqrt(1 - z * z);
    return V3f(s * std::cos(phi), s * std::sin(phi), z);
}

V3f tilted(float degrees) { return V3f(std::sin(degrees * kPi / 180), 0, std::cos(degrees * kPi / 180)); }

/// What is given back of even light from everywhere, by what is drawn.
float furnace(const SurfaceLayers& layers, const V3f& wo, int draws, uint64_t seed = 1) {
    const Bsdf bsdf(layers);
    Even even(seed);
    double sum = 0;
    for (int i = 0; i < draws; ++i) {
        const float pick = even(), u = even(), v = even();
        sum += double(bsdf.sample(wo, pick, u, v).weight.x);
    }
    return float(sum / draws);
}

SurfaceLayers randomLayers(Even& even, bool white) {
    const auto color = [&] { return white ? Color(1.0f) : Color(even(), even(), even()); };
    const auto sometimes = [&] { return even() < 0.5f ? 0.0f : even(); };
    SurfaceLayers l;
    l.base = color(), l.specularColor = color(), l.coatColor = color(), l.fuzzColor = color();
    l.diffuseRoughness = sometimes(), l.metalness = sometimes();
    l.specularWeight = sometimes() * 2, l.roughness = even(), l.anisotropy = sometimes();
    l.ior = even.between(1, 2.5f), l.translucency = sometimes();
    l.coatWeight = sometimes(), l.coatRoughness = even(), l.coatIor = even.between(1, 2.5f);
    l.coatDarkening = even();
    l.transmissionWeight = sometimes(), l.transmissionTint = color(), l.thinWalled = white || even() < 0.5f;
    l.inside = !l.thinWalled && even() < 0.5f, l.outerIor = even() < 0.5f ? 1.0f : even.between(1, 2);
    l.fuzzWeight = sometimes(), l.fuzzRoughness = even();
    l.film = {sometimes(), even.between(0, 1.5f), even.between(1, 2)};
    return l;
}

}  // namespace

TEST_CASE("white furnace: each layer by itself gives all light back", "[bsdf][furnace]") {
    const SurfaceLayers white{.base = Color(1.0f)};
    std::map<std::string, SurfaceLayers> lobes;
    lobes["body"] = white;
    lobes["dusty body"] = white, lobes["dusty body"].diffuseRoughness = 1;
    lobes["leaf"] = white, lobes["leaf"].translucency = 0.4f;
    lobes["wax"] = white, lobes["wax"].subsurfaceWeight = 0.6f, lobes["wax"].specularWeight = 1;
    for (const float rough : {0.0f, 0.2f, 0.5f, 1.0f}) {
        const std::string at = " " + std::to_string(rough);
        SurfaceLayers l = white;
        l.specularWeight = 1, l.roughness = rough;
        lobes["body under a shine" + at] = l;
        l.ior = 2.4f;
        lobes["body under a strong shine" + at] = l;
        l.metalness = 1;
        lobes["metal" + at] = l;
        l = white;
        l.coatWeight = 1, l.coatRoughness = rough;
        lobes["body under a coat" + at] = l;
        l = white;
        l.fuzzWeight = 1, l.fuzzRoughness = rough;
        lobes["body under fuzz" + at] = l;
        l = white;
        l.specularWeight = 1, l.roughness = rough, l.film = {1, 0.45f, 1.6f};
        lobes["body under a film" + at] = l;
        l.metalness = 1;
        lobes["metal under a film" + at] = l;
        l.metalness = 0, l.transmissionWeight = 1, l.thinWalled = true;
        lobes["pane under a film" + at] = l;
    }
    for (const auto& [name, layers] : lobes)
        for (const float degrees : {0.0f, 45.0f, 75.0f}) {
            INFO(name << " at " << degrees);
            CHECK(furnace(layers, tilted(degrees), 60000) == Approx(1.0f).epsilon(0.012));
        }
}

TEST_CASE("no stack of layers gives more light back than comes", "[bsdf][furnace]") {
    Even even(testSeed());
    for (int round = 0; round < 100; ++round) {
        SurfaceLayers l = randomLayers(even, true);
        const V3f wo = above(even);
        INFO(round << ": coat " << l.coatWeight << " rough " << l.coatRoughness << ", fuzz " << l.fuzzWeight
                   << " rough " << l.fuzzRoughness << ", shine " << l.specularWeight << " rough "
                   << l.roughness << " stretched " << l.anisotropy << ", metal " << l.metalness << ", film "
                   << l.film.weight << " of " << l.film.micrometres << ", ior " << l.ior << ", clear "
                   << l.transmissionWeight << ", through " << l.translucency << ", dust "
                   << l.diffuseRoughness << " at " << wo.z << " " << wo.x << " " << wo.y);
        const float given = furnace(l, wo, 30000, uint64_t(round));
        // A hundredth, and over three deviations; the light of a film is known at the mean angle of its
        // facets alone.
        CHECK(given < (l.film.weight > 0 ? 1.025f : 1.015f));
        // What a stretched shine gives at the rim is known by its mean width alone.
        CHECK(given > (l.anisotropy > 0.8f                  ? 0.8f
                       : l.anisotropy > 0.1f || wo.z < 0.2f ? 0.88f
                       : l.film.weight > 0                  ? 0.95f
                                                            : 0.965f));
    }
}

TEST_CASE("layers scatter alike both ways, and are drawn as they say", "[bsdf]") {
    Even even(testSeed() + 1);
    int alike = 0;
    for (int round = 0; round < 300; ++round) {
        SurfaceLayers l = randomLayers(even, false);
        if (round % 3 == 0)
            l.metalness = l.specularWeight = l.coatWeight = l.transmissionWeight = 0;  // a body below fuzz
        const bool shines = l.metalness > 0 || l.specularWeight > 0 || l.coatWeight > 0;
        const Bsdf bsdf(l);
        const V3f a = above(even);
        V3f b = above(even);
        if ((l.translucency > 0 || l.transmissionWeight > 0) && even() < 0.3f) b.z = -b.z;
        INFO("round " << round);
        const Bsdf::Value there = bsdf.evaluate(a, b);
        // A shine below others goes by the eye's side alone.
        if (b.z > 0 && l.transmissionWeight == 0 && (!shines || (l.coatWeight == 0 && l.fuzzWeight == 0))) {
            ++alike;
            const V3f back = bsdf.evaluate(b, a).f / a.z, forth = there.f / b.z;
            for (int k = 0; k < 3; ++k) CHECK(back[k] == Approx(forth[k]).epsilon(2e-4).margin(1e-6));
        }
        const Bsdf::Sample s = bsdf.sample(a, even(), even(), even());
        const Bsdf::Value value = bsdf.evaluate(a, s.wi);
        // A facet that reflects into the surface gives nothing, even where a leaf would let light through.
        CHECK((s.pdf == value.pdf || (s.pdf == 0.0f && s.wi.z <= 0.0f)));
        if (s.pdf > 0)
            for (int k = 0; k < 3; ++k)
                CHECK(s.weight[k] * s.pdf == Approx(value.f[k]).epsilon(1e-4).margin(1e-7));
    }
    CHECK(alike > 80);
}

TEST_CASE("directions are drawn as often as their density says", "[bsdf]") {
    Even even(testSeed() + 2);
    constexpr int kHeights = 16, kTurns = 16, kFine = 6, kDraws = 40000;
    for (int round = 0; round < 12; ++round) {
        SurfaceLayers l = randomLayers(even, false);
        l.roughness = 0.3f + 0.7f * l.roughness;  // cells of the histogram must not be wider than the lobes
        l.coatRoughness = 0.3f + 0.7f * l.coatRoughness;
        l.anisotropy *= 0.5f;
        const Bsdf bsdf(l);
        const V3f wo = above(even);
        std::vector<double> expected(kHeights * kTurns, 0.0), drawn(expected);
        const auto cellOf = [&](const V3f& w) {
            const int h = std::clamp(int((w.z + 1) / 2 * kHeights), 0, kHeights - 1);
            const int t = std::clamp(int((std::atan2(w.y, w.x) / (2 * kPi) + 0.5f) * kTurns), 0, kTurns - 1);
            return size_t(h * kTurns + t);
        };
        for (int i = 0; i < kHeights * kFine; ++i)
            for (int j = 0; j < kTurns * kFine; ++j) {
                const float z = -1 + 2 * (float(i) + 0.5f) / (kHeights * kFine);
                const float phi = (2 * (float(j) + 0.5f) / (kTurns * kFine) - 1) * kPi,
                            s = std::sqrt(1 - z * z);
                const V3f w(s * std::cos(phi), s * std::sin(phi), z);
                expected[cellOf(w)] += double(bsdf.evaluate(wo, w).pdf) * 4 * M_PI /
                                       (kHeights * kTurns * kFine * kFine) * kDraws;
            }
        int lost = 0;
        for (int i = 0; i < kDraws; ++i) {
            const float pick = even(), u = even(), v = even();
            const Bsdf::Sample s = bsdf.sample(wo, pick, u, v);
            if (s.pdf > 0)
                drawn[cellOf(s.wi)] += 1;
            else
                ++lost;
        }
        double chi = std::pow(double(lost) + std::accumulate(drawn.begin(), drawn.end(), 0.0) - kDraws, 2),
               few = 0, fewDrawn = 0;
        int cells = 0;
        for (size_t i = 0; i < drawn.size(); ++i) {
            if (expected[i] < 10) {
                few += expected[i], fewDrawn += drawn[i];
                continue;
            }
            // The expected value is known to a hundredth: six points a side in a cell.
            const double off = std::max(0.0, std::abs(drawn[i] - expected[i]) - 0.03 * expected[i]);
            chi += off * off / expected[i];
            ++cells;
        }
        if (few > 10) chi += (fewDrawn - few) * (fewDrawn - few) / few, ++cells;
        INFO("round " << round << " cells " << cells);
        CHECK(chi < chiSquareLimit(cells));
    }
}

TEST_CASE("a grain stretches the shine across it", "[bsdf]") {
    const Bsdf brushed({.base = Color(1.0f), .metalness = 1, .roughness = 0.4f, .anisotropy = 0.8f});
    const V3f wo(0, 0, 1);
    const float wide = brushed.evaluate(wo, tilted(30)).f.x,
                narrow = brushed.evaluate(wo, V3f(0, std::sin(kPi / 6), std::cos(kPi / 6))).f.x;
    CHECK(wide > 5 * narrow);
    const Bsdf even({.base = Color(1.0f), .metalness = 1, .roughness = 0.4f});
    CHECK(even.evaluate(wo, tilted(30)).f.x ==
          Approx(even.evaluate(wo, V3f(0, std::sin(kPi / 6), std::cos(kPi / 6))).f.x));
}

TEST_CASE("a coat darkens what lies below, as light is sent back and forth", "[bsdf]") {
    SurfaceLayers l{.base = Color(0.2f), .coatWeight = 1, .coatIor = 1.5f};
    const V3f wo(0, 0, 1);
    const float dark = Bsdf(l).albedo(wo).x;
    l.coatDarkening = 0;
    const float plain = Bsdf(l).albedo(wo).x, shine = 0.04f;
    // Of light from below, evenly spread, a smooth surface of 1.5 sends 0.596 back (Duntley 1942).
    CHECK((dark - shine) / (plain - shine) == Approx((1 - 0.596f) / (1 - 0.2f * 0.596f)).epsilon(0.02));
    l.base = Color(1.0f), l.coatDarkening = 1;  // nothing is lost on the way where nothing is taken
    CHECK(Bsdf(l).albedo(wo).x == Approx(1.0f).epsilon(0.01));
    l.coatColor = Color(0.5f, 1, 1);
    CHECK(Bsdf(l).albedo(wo).x < 0.6f);
    CHECK(Bsdf(l).albedo(wo).y == Approx(1.0f).epsilon(0.01));
}

TEST_CASE("dust is flat: seen from where the light comes it is as bright at the rim", "[bsdf]") {
    const auto atRim = [](float dustiness) {
        const Bsdf b({.base = Color(0.5f), .diffuseRoughness = dustiness});
        const V3f rim = tilted(70), middle(0, 0, 1);
        return b.evaluate(rim, rim).f.x / b.evaluate(middle, middle).f.x;
    };
    CHECK(atRim(0) == Approx(std::cos(70 * kPi / 180)).epsilon(1e-3));
    CHECK(atRim(1) > 1.25f * atRim(0));
}

TEST_CASE("fuzz gives back what its table says, at most what comes", "[bsdf]") {
    for (const float rough : {0.05f, 0.3f, 0.7f, 1.0f}) {
        const Fuzz fuzz{rough};
        for (const float degrees : {10.0f, 50.0f, 80.0f}) {
            const V3f wo = tilted(degrees);
            double sum = 0;
            constexpr int kSide = 400;
            for (int i = 0; i < kSide; ++i)
                for (int j = 0; j < kSide; ++j) {
                    const float z = (float(i) + 0.5f) / kSide, phi = 2 * kPi * (float(j) + 0.5f) / kSide;
                    const float s = std::sqrt(1 - z * z);
                    const V3f wi(s * std::cos(phi), s * std::sin(phi), z);
                    sum += double(fuzz.evaluate(wo, wi, (wo + wi).normalized()));
                }
            INFO(rough << " at " << degrees);
            CHECK(sum * 2 * M_PI / (kSide * kSide) == Approx(fuzz.albedo(wo.z)).margin(0.012));
            CHECK(fuzz.albedo(wo.z) < 1.0f);
        }
    }
}

TEST_CASE("layers of garbage give finite light or none", "[bsdf][damaged]") {
    Even even(5);
    const float bad[] = {std::numeric_limits<float>::infinity(),
                         std::numeric_limits<float>::quiet_NaN(),
                         -1e30f,
                         1e30f,
                         -1.0f,
                         0.0f};
    for (int round = 0; round < 200; ++round) {
        SurfaceLayers l = randomLayers(even, false);
        float* numbers[] = {
            &l.base.x,     &l.specularColor.y, &l.coatColor.z,     &l.fuzzColor.x, &l.metalness,
            &l.ior,        &l.roughness,       &l.anisotropy,      &l.coatIor,     &l.coatWeight,
            &l.fuzzWeight, &l.specularWeight,  &l.diffuseRoughness};
        for (int k = 0; k < 3; ++k) *numbers[size_t(even() * 12.99f)] = bad[size_t(even() * 5.99f)];
        const Bsdf bsdf(l);
        const V3f wo = above(even);
        const Bsdf::Sample s = bsdf.sample(wo, even(), even(), even());
        CHECK(isFinite(s.weight));
        CHECK(isFinite(bsdf.evaluate(wo, above(even)).f));
    }
}

TEST_CASE("the grain of a mesh runs along its first texture coordinate", "[bsdf][render]") {
    RenderScene scene;
    SurfaceMaterial brushed = plain(1, 0.3f, 1, 0);
    brushed.anisotropy.high = 0.7f;
    M44f turned;
    turned.setEulerAngles(V3f(0, kPi / 2, 0));
    addTo(scene, makePlane(2, 1), brushed);
    M44f aside = turned;
    aside[3][0] = 5;
    addTo(scene, makePlane(2, 1), brushed, aside);
    scene.commit(Progress::none());
    const auto tangentAt = [&](float x) {
        const Ray ray{V3f(x, 1, 0.1f), V3f(0, -1, 0), 0};
        return scene.surfacePoint(scene.intersect(ray, false), ray).tangent;
    };
    const V3f first = tangentAt(0.1f), second = tangentAt(5.1f);
    CHECK(std::abs(first.x) == Approx(1.0f).margin(1e-5));
    CHECK(std::abs(second.z) == Approx(1.0f).margin(1e-5));
}
