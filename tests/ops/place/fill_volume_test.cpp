// Points that fill meshes: how many, where, and what they are called.
#include "ops/place/fill_volume.h"

#include <tbb/global_control.h>

#include "base/error.h"
#include "eval/two_layers.h"
#include "geo/points/curve_set.h"
#include "geo/points/nearest.h"
#include "geo/surface/surface.h"
#include "geo/surface/winding.h"
#include "support.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;

namespace {

SurfacePtr surface(MeshPtr mesh, const V3f& at = V3f(0.0f)) {
    M44f m;
    m.setTranslation(at);
    return std::make_shared<const Surface>(at == V3f(0.0f) ? std::move(mesh) : transformed(*mesh, m));
}

std::shared_ptr<const PointSet> fill(const std::vector<SurfacePtr>& all, const FillVolumeOptions& o) {
    return fillVolume(all, o, Progress::none());
}

std::map<uint64_t, V3f> pointsById(const PointSet& set) {
    const auto p = set.attributes.find<V3f>("P");
    const auto id = set.attributes.find<uint64_t>("id");
    std::map<uint64_t, V3f> out;
    for (size_t i = 0; i < p.size(); ++i) out[id[i]] = p[i];
    REQUIRE(out.size() == p.size());  // no two of one id
    return out;
}

/// The lower half of a ball, open above.
MeshPtr bowl(float radius) {
    return makeGrid(96, 48, [&](float u, float v) {
        const float around = 2 * kPi * u, down = kPi / 2 * (1 + v);
        return V3f(radius * std::sin(down) * std::cos(around), radius * std::cos(down),
                   radius * std::sin(down) * std::sin(around));
    });
}

MeshPtr insideOut(const Mesh& mesh) {
    auto out = std::make_shared<Mesh>(mesh);
    reverseFaces(*out);
    out->finish();
    return out;
}

constexpr double kBall = 4.0 / 3.0 * kPi;

}  // namespace

TEST_CASE("a mesh winds once around what is in it, and not around what is not", "[winding]") {
    const MeshPtr ball = makeSphere(1, 64), ring = makeTorus(1, 0.3f, 64);
    for (const MeshPtr& mesh : {ball, ring}) {
        const WindingNumber winding(*mesh);
        const Surface exact(mesh);
        std::mt19937_64 random(7);
        std::uniform_real_distribution<float> d(-1.5f, 1.5f);
        for (int i = 0; i < 3000; ++i) {
            const V3f p(d(random), d(random), d(random));
            const float w = winding.at(p);
            CHECK(w == Approx(exact.inside(p) ? 1.0f : 0.0f).margin(0.05));
        }
    }
    CHECK(WindingNumber(*insideOut(*ball)).at(V3f(0.2f)) == Approx(-1.0f).margin(0.05));
    // A half ball takes up half of what is seen from its middle.
    CHECK(WindingNumber(*bowl(1)).at(V3f(0.0f)) == Approx(0.5f).margin(0.05));
    CHECK(WindingNumber(Mesh()).at(V3f(0.0f)) == 0.0f);
}

TEST_CASE("a fill has as many points as the solid has cells", "[fill-volume]") {
    const SurfacePtr ball = surface(makeSphere(1, 128)), ring = surface(makeTorus(1, 0.3f, 128));
    using Pattern = FillVolumeOptions::Pattern;
    for (const Pattern pattern : {Pattern::Strict, Pattern::Jittered, Pattern::Even}) {
        FillVolumeOptions o{.spacing = 0.05f, .pattern = pattern};
        // The rim has 4 pi / s^2 cells, each in or out: its root is 71 of 33,510. The mesh lies within the
        // round ball by 0.1 % of its volume.
        CHECK(double(fill({ball}, o)->size()) == Approx(kBall / std::pow(0.05, 3)).epsilon(0.008));
        CHECK(double(fill({ring}, o)->size()) ==
              Approx(2 * kPi * kPi * 0.09 / std::pow(0.05, 3)).epsilon(0.012));
        const auto within = fill({ball}, o);
        const auto p = within->attributes.find<V3f>("P");
        CHECK(std::all_of(p.begin(), p.end(), [](const V3f& at) { return at.length() <= 1.0f; }));
    }
    CHECK(likelyFill(std::vector{ball}, {.spacing = 0.05f}) ==
          Approx(kBall / std::pow(0.05, 3)).epsilon(0.005));
}

TEST_CASE("a zone is a shell between two depths", "[fill-volume]") {
    const SurfacePtr ball = surface(makeSphere(1, 128));
    FillVolumeOptions o{.spacing = 0.04f, .depth = true};
    const auto whole = pointsById(*fill({ball}, o));
    for (const auto& [from, to] : {std::pair(0.0f, 0.2f), std::pair(0.3f, 0.6f), std::pair(0.5f, 0.0f)}) {
        o.from.high = from, o.to.high = to;
        const auto shell = fill({ball}, o);
        const double outer = 1 - from, inner = to > 0 ? 1 - to : 0;
        CHECK(double(shell->size()) ==
              Approx(kBall * (std::pow(outer, 3) - std::pow(inner, 3)) / std::pow(0.04, 3)).epsilon(0.03));
        const auto p = shell->attributes.find<V3f>("P");
        const auto depth = shell->attributes.find<float>("depth");
        const auto n = shell->attributes.find<V3f>("N");
        size_t wrong = 0;
        for (size_t i = 0; i < p.size(); ++i) {
            // 128 segments: the mesh is within 0.0007 of the round ball.
            wrong += std::abs(depth[i] - (1 - p[i].length())) > 0.001f;
            wrong += p[i].length() > 0.1f && !(n[i].dot(p[i].normalized()) > 0.99f);
        }
        for (const auto& [id, place] : pointsById(*shell))
            wrong += whole.at(id) != place;  // they are those of the whole
        CHECK(wrong == 0);
    }
}

TEST_CASE("depths by a field peel a body where the field says", "[fill-volume]") {
    const SurfacePtr ball = surface(makeSphere(1, 64));
    FieldSource height = makeSource("height");
    height.params["range"].value = Range{-1, 1};
    FillVolumeOptions o{.spacing = 0.05f};
    o.from = {0.0f, 0.6f, std::make_shared<const CompiledField>(Field{{height}}, FieldContext{})};
    const auto whole = pointsById(*fill({ball}, {.spacing = 0.05f}));
    const auto peeled = pointsById(*fill({ball}, o));
    CHECK(peeled.size() < whole.size());
    size_t wrong = 0;
    for (const auto& [id, p] : whole) {
        const float depth = 1 - p.length(), least = 0.6f * (p.y + 1) / 2;
        wrong += std::abs(depth - least) > 0.005f && (peeled.count(id) > 0) != (depth > least);
    }
    CHECK(wrong == 0);
    CHECK_FALSE(fill({ball}, o)->attributes.has("depth"));
}

TEST_CASE("points are those of their cells, whatever else is filled", "[fill-volume]") {
    using Pattern = FillVolumeOptions::Pattern;
    for (const Pattern pattern : {Pattern::Strict, Pattern::Jittered, Pattern::Even}) {
        const FillVolumeOptions o{.spacing = 0.06f, .pattern = pattern};
        const SurfacePtr a = surface(makeSphere(1, 64)),
                         b = surface(makeSphere(0.8f, 64), V3f(0.7f, 0.2f, 0));
        const auto first = pointsById(*fill({a}, o)), second = pointsById(*fill({b}, o)),
                   both = pointsById(*fill({a, b}, o));
        auto joined = first;
        joined.insert(second.begin(), second.end());
        CHECK(joined == both);
        CHECK(joined.size() < first.size() + second.size());
        size_t wrong = 0;
        for (const auto& [id, p] : second) wrong += first.count(id) && first.at(id) != p;
        if (pattern == Pattern::Strict)
            for (const auto& [id, p] : first) {
                const V3f cell = p / 0.06f - V3f(0.5f);
                for (int k = 0; k < 3; ++k) wrong += !(std::abs(cell[k] - std::round(cell[k])) < 1e-3f);
            }
        // A share is a part of it.
        FillVolumeOptions half = o;
        half.share = 0.5;
        const auto some = pointsById(*fill({a}, half));
        CHECK(double(some.size()) == Approx(0.5 * double(first.size())).epsilon(0.05));
        for (const auto& [id, p] : some) wrong += first.at(id) != p;
        CHECK(wrong == 0);
        const tbb::global_control one(tbb::global_control::max_allowed_parallelism, 1);
        CHECK(fill({a, b}, o)->attributes == [&] {
            const tbb::global_control four(tbb::global_control::max_allowed_parallelism, 4);
            return fill({a, b}, o)->attributes;
        }());
    }
}

TEST_CASE("even points keep apart, and show no rows", "[fill-volume]") {
    const SurfacePtr ball = surface(makeSphere(1, 64));
    const auto closest = [&](FillVolumeOptions::Pattern pattern) {
        const auto set = fill({ball}, {.spacing = 0.08f, .pattern = pattern});
        const auto p = set->attributes.find<V3f>("P");
        std::vector<float> out;
        for (size_t i = 0; i < p.size(); ++i) {
            if (p[i].length() > 0.7f) continue;
            float nearest = 1e9f;
            for (size_t k = 0; k < p.size(); ++k)
                if (k != i) nearest = std::min(nearest, (p[k] - p[i]).length());
            out.push_back(nearest / 0.08f);
        }
        std::sort(out.begin(), out.end());
        return out;
    };
    const auto even = closest(FillVolumeOptions::Pattern::Even),
               jittered = closest(FillVolumeOptions::Pattern::Jittered);
    CHECK(even[even.size() / 100] > 0.45f);  // all but one in a hundred
    CHECK(even[even.size() / 100] > 2 * jittered[jittered.size() / 100]);
    // Where they lie in their cells is spread: a lattice would have all in one place.
    const auto set = fill({ball}, {.spacing = 0.08f});
    V3d sum(0.0), squares(0.0);
    const auto p = set->attributes.find<V3f>("P");
    for (const V3f& at : p)
        for (int k = 0; k < 3; ++k) {
            const double in = double(at[k]) / 0.08 - std::floor(double(at[k]) / 0.08);
            sum[k] += in, squares[k] += in * in;
        }
    for (int k = 0; k < 3; ++k) {
        const double n = double(p.size()), mean = sum[k] / n;
        CHECK(mean == Approx(0.5).margin(0.02));
        CHECK(std::sqrt(squares[k] / n - mean * mean) > 0.12);
    }
}

TEST_CASE("open, inside-out and self-crossing meshes have an inside", "[fill-volume]") {
    const FillVolumeOptions o{.spacing = 0.05f};
    const auto ball = pointsById(*fill({surface(makeSphere(1, 64))}, o));
    CHECK(pointsById(*fill({surface(insideOut(*makeSphere(1, 64)))}, o)) == ball);
    const auto cup = pointsById(*fill({surface(bowl(1))}, o));
    CHECK(cup.size() > ball.size() / 4);
    CHECK(cup.size() < ball.size() * 2 / 3);
    for (const auto& [id, p] : cup) CHECK(p.y < 0.3f);
    // Two balls as one mesh: where they cross it winds twice, and is filled once.
    const MeshPtr one = makeSphere(1, 64);
    M44f aside;
    aside.setTranslation(V3f(0.6f, 0, 0));
    auto two = std::make_shared<Mesh>(*one);
    const MeshPtr other = transformed(*one, aside);
    auto joined = std::make_shared<Mesh>();
    joined->points.resize(2 * one->positions().size());
    const auto p = joined->points.add<V3f>("P");
    std::copy(one->positions().begin(), one->positions().end(), p.begin());
    std::copy(other->positions().begin(), other->positions().end(),
              p.begin() + std::ptrdiff_t(one->positions().size()));
    for (const uint32_t shift : {0u, uint32_t(one->positions().size())})
        for (size_t f = 0; f < one->faceCount(); ++f) {
            std::vector<uint32_t> face;
            for (uint32_t c = one->faceStart[f]; c < one->faceStart[f + 1]; ++c)
                face.push_back(one->cornerPoint[c] + shift);
            joined->addFace(face);
        }
    joined->finish();
    CHECK(pointsById(*fill({surface(joined)}, o)) == pointsById(*fill({surface(one), surface(other)}, o)));
}

TEST_CASE("what cannot be filled is said before any of it is made", "[fill-volume]") {
    const SurfacePtr ball = surface(makeSphere(1, 32));
    CHECK_THROWS_AS(fill({}, {}), Error);
    CHECK_THROWS_AS(fill({std::make_shared<const Surface>(std::make_shared<const Mesh>())}, {}), Error);
    const float none = std::numeric_limits<float>::quiet_NaN();
    for (const float spacing : {0.0f, -1.0f, none})
        CHECK_THROWS_AS(fill({ball}, {.spacing = spacing}), Error);
    for (const float spacing : {1e-3f, 1e-4f, 1e-30f}) {
        FillVolumeOptions o{.spacing = spacing, .memoryLimit = size_t(1) << 20};
        CHECK_THROWS_AS(fill({ball}, o), Error);
    }
    // Beyond what ids can number.
    CHECK_THROWS_AS(fill({surface(makeSphere(1, 32), V3f(1e6f, 0, 0))}, {.spacing = 0.05f}), Error);
    CHECK(fill({ball}, {.spacing = 50.0f})->size() <= 8);
    Progress stopped;
    stopped.cancel();
    CHECK_THROWS_AS(fillVolume(std::vector{ball}, {}, stopped), Cancelled);
}

TEST_CASE("a layer is filled with points that go with what they fill", "[fill-volume][evaluator]") {
    Two s;
    const std::string layer = [&] {
        Node n = makeNode(s.document, "layer");
        n.steps = {makeStep("fill_volume", n)};
        n.steps[0].params["of"].value = Refs{s.ball};
        n.steps[0].params["spacing"].value = 0.01;
        s.document.put(n);
        return n.id;
    }();
    const auto made = [&](Purpose purpose, bool full) {
        const LayerResult r = s.evaluator.layer(s.document, layer, {1, purpose, full}, Progress::none());
        REQUIRE(r.ok);
        return std::get<std::shared_ptr<const PointSet>>(r.geometry);
    };
    const auto still = pointsById(*made(Purpose::Render, true));
    CHECK(double(still.size()) == Approx(kBall * std::pow(0.05 / 0.01, 3)).epsilon(0.06));
    s.set(s.ball + "/position", "3,1,0");
    const auto gone = pointsById(*made(Purpose::Render, true));
    REQUIRE(gone.size() == still.size());
    for (const auto& [id, p] : still) CHECK((gone.at(id) - p - V3f(3, 1, 0)).length() < 1e-5f);
    // Draft has a spacing of its own.
    s.set(layer + "/fill_volume/view_spacing", "0.025");
    CHECK(double(made(Purpose::Viewport, false)->size()) < 0.12 * double(still.size()));
    CHECK(made(Purpose::Render, true)->size() == still.size());
}
TEST_CASE("strands and meshes of a layer are filled as the shapes that they are",
          "[fill-volume][evaluator]") {
    Two s;
    const auto layerOf = [&](const std::vector<const char*>& steps) {
        Node n = makeNode(s.document, "layer");
        n.params[kLayer.surface.id()].value = s.ball;
        for (const char* step : steps) n.steps.push_back(makeStep(step, n));
        const std::string id = n.id;
        s.document.put(std::move(n));
        return id;
    };
    const std::string coat = layerOf({"scatter", "grow", "strand_width"});
    s.set(coat + "/scatter/count", "12");
    s.set(coat + "/grow/length", "0.2..0.2");
    s.set(coat + "/strand_width/root", "20"), s.set(coat + "/strand_width/tip", "20");
    const std::string fill = layerOf({"fill_volume"});
    s.document = withValue(s.document, {fill, "fill_volume", "of"}, Refs{coat});
    s.set(fill + "/fill_volume/spacing", "0.004");
    const auto of = [&](const std::string& id) {
        const LayerResult r = s.evaluator.layer(s.document, id, {1, Purpose::Render, true}, Progress::none());
        REQUIRE(r.ok);
        return r.geometry;
    };
    const auto strands = std::get<StrandsPtr>(of(coat));
    const auto points = std::get<std::shared_ptr<const PointSet>>(of(fill));
    REQUIRE(points->size() > 500);
    std::vector<std::vector<V3f>> lines;
    const auto p = strands->points.find<V3f>("P");
    for (size_t k = 0; k < strands->size(); ++k)
        lines.emplace_back(p.begin() + strands->start[k], p.begin() + strands->start[k + 1]);
    const CurveSet curves(lines);
    float furthest = 0.0f;
    for (const V3f& at : points->attributes.find<V3f>("P"))
        furthest = std::max(furthest, curves.closest(at)->distance);
    CHECK(furthest > 0.009f);
    CHECK(furthest < 0.012f);  // the corners of eight sides that are as wide in the mean, and bends
    // The same of a mesh that a layer makes of them.
    const std::string swept = layerOf({"scatter", "grow", "strand_width", "sweep"});
    for (const auto& [path, text] : {std::pair{"scatter/count", "12"},
                                     {"grow/length", "0.2..0.2"},
                                     {"strand_width/root", "20"},
                                     {"strand_width/tip", "20"},
                                     {"sweep/sides", "8"}})
        s.set(swept + "/" + path, text);
    s.document = withValue(s.document, {fill, "fill_volume", "of"}, Refs{swept});
    CHECK(std::get<std::shared_ptr<const PointSet>>(of(fill))->size() ==
          Approx(double(points->size())).epsilon(0.02));
}
