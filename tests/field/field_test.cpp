#include "field/field.h"

#include "base/error.h"
#include "base/hash.h"
#include "base/image.h"
#include "field/field_support.h"
#include "geo/mesh/primitives.h"
#include "geo/surface/surface.h"
#include "support.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;

namespace {

/// One sample of each kind, and fields over it.
struct Probe {
    std::vector<V3f> p{{0, 0.25f, 0}}, n{{0, 1, 0}};
    std::vector<V2f> uv{{0.5f, 0.5f}};
    std::vector<uint64_t> id{7};
    Samples samples() const {
        return Samples(p).with(channel::normal, n).with(channel::uv, uv).with(channel::id, id);
    }
    float of(const Field& field, const FieldContext& context = {}) const {
        float out = 0;
        CompiledField(field, context).evaluate(samples(), {&out, 1});
        return out;
    }
};

FieldSource constant(double value, Blend blend = Blend::Replace, double strength = 1.0) {
    FieldSource s = makeSource("constant");
    s.params["value"].value = value;
    s.blend = blend;
    s.strength.value = strength;
    return s;
}

}  // namespace

TEST_CASE("an empty field is 1 and sources blend as they say", "[field]") {
    const Probe probe;
    CHECK(probe.of({}) == 1.0f);
    CHECK(probe.of({{constant(0.5)}}) == 0.5f);
    CHECK(probe.of({{constant(0.5), constant(0.5, Blend::Multiply)}}) == 0.25f);
    CHECK(probe.of({{constant(0.5), constant(0.25, Blend::Add)}}) == 0.75f);
    CHECK(probe.of({{constant(0.5), constant(0.25, Blend::Min)}}) == 0.25f);
    CHECK(probe.of({{constant(0.5), constant(0.75, Blend::Max)}}) == 0.75f);
    CHECK(probe.of({{constant(0.5), constant(0.0, Blend::Multiply, 0.5)}}) == 0.25f);
    CHECK(probe.of({{constant(0.5), constant(0.1, Blend::Replace, 0.0)}}) == 0.5f);
}

TEST_CASE("sources that are off, inverted or remapped", "[field]") {
    const Probe probe;
    FieldSource off = constant(0.2);
    off.on = false;
    CHECK(probe.of({{off}}) == 1.0f);
    FieldSource inverted = constant(0.2);
    inverted.invert = true;
    CHECK(probe.of({{inverted}}) == Approx(0.8f));
    FieldSource remapped = constant(0.5);
    remapped.remap.points = {{0, 0}, {0.5f, 1}, {1, 0}};
    CHECK(probe.of({{remapped}}) == 1.0f);
}

TEST_CASE("slope passes the angles between its limits", "[field]") {
    Probe probe;
    const auto at = [&](float degreesFromUp, Range range, double soft) {
        probe.n[0] = V3f(std::sin(radians(degreesFromUp)), std::cos(radians(degreesFromUp)), 0);
        return probe.of({{with(with(makeSource("slope"), "range", range), "soft", soft)}});
    };
    CHECK(at(10, {0, 35}, 0) == 1.0f);
    CHECK(at(50, {0, 35}, 0) == 0.0f);
    CHECK(at(35, {0, 35}, 10) == Approx(0.5f).margin(1e-3));
    CHECK(at(37.5, {0, 35}, 10) == Approx(0.25f).margin(1e-3));
    CHECK(at(0, {0, 35}, 10) == 1.0f);
    CHECK(at(0, {20, 90}, 0) == 0.0f);
    CHECK(at(180, {90, 180}, 20) == 1.0f);
}

TEST_CASE("slope masks a sphere's cap of the right area", "[field]") {
    // Of a sphere, (1 - cos 60) / 2 = a quarter leans less than 60 degrees.
    size_t inside = 0;
    constexpr size_t kCount = 20000;
    std::vector<V3f> n(kCount);
    for (size_t i = 0; i < kCount; ++i) {  // evenly over the sphere
        const float y = 1 - 2 * (float(i) + 0.5f) / kCount, r = std::sqrt(1 - y * y),
                    a = 2.399963f * float(i);
        n[i] = V3f(r * std::cos(a), y, r * std::sin(a));
    }
    std::vector<float> out(kCount);
    const Field field{{with(with(makeSource("slope"), "range", Range{0, 60}), "soft", 0.0)}};
    CompiledField(field, {}).evaluate(Samples(n).with(channel::normal, n), out);
    for (float x : out) inside += x > 0.5f;
    CHECK(double(inside) / kCount == Approx(0.25).margin(1e-3));
}

TEST_CASE("slope and height may be measured from the object", "[field]") {
    Probe probe;
    FieldContext context;
    context.objectUp = V3f(1, 0, 0);
    CHECK(probe.of({{with(with(makeSource("slope"), "up", std::string("object")), "soft", 0.0)}}, context) ==
          0.0f);
    context.objectFromWorld.setTranslation(V3f(0, 10, 0));
    const Field height{
        {with(with(makeSource("height"), "range", Range{10, 11}), "from", std::string("object"))}};
    CHECK(probe.of(height, context) == Approx(0.25f));
    CHECK(probe.of({{with(makeSource("height"), "range", Range{0, 1})}}) == Approx(0.25f));
    CHECK(probe.of({{with(makeSource("height"), "range", Range{0.25, 0.25})}}) == 1.0f);
}

TEST_CASE("noise has its mean in the middle and another seed is another noise", "[field]") {
    std::vector<V3f> p(20000);
    for (size_t i = 0; i < p.size(); ++i)
        p[i] = V3f(float(i % 100), float(i / 100 % 100), float(i / 10000)) * 0.173f;
    std::vector<float> a(p.size()), b(p.size());
    CompiledField(Field{{makeSource("noise")}}, {}).evaluate(Samples(p), a);
    CompiledField(Field{{with(makeSource("noise"), "seed", int64_t(2))}}, {}).evaluate(Samples(p), b);
    double mean = 0;
    for (float x : a) mean += double(x) / double(a.size());
    CHECK(mean == Approx(0.5).margin(0.03));
    CHECK(a != b);
    for (float x : a) REQUIRE((x >= 0.0f && x <= 1.0f));
}

TEST_CASE("random per element depends on the id alone", "[field]") {
    const std::vector<V3f> p(3, V3f(0.0f)), q(3, V3f(9.0f));
    const std::vector<uint64_t> id = {5, 6, 5};
    std::vector<float> a(3), b(3);
    const CompiledField field(Field{{makeSource("random")}}, {});
    field.evaluate(Samples(p).with(channel::id, id), a);
    field.evaluate(Samples(q).with(channel::id, id), b);
    CHECK(a == b);
    CHECK(a[0] == a[2]);
    CHECK(a[0] != a[1]);
}

namespace {

struct OneImage : ImageSource {
    std::shared_ptr<Image> made = std::make_shared<Image>();
    OneImage() {
        made->width = made->height = 1;
        made->pixels = {half(0.5f), half(0.25f), half(0.125f), half(1)};
    }
    std::shared_ptr<const Image> image(const std::string& path, const std::string&) override {
        if (path != "there.png") throw Error("the file does not exist", path);
        return made;
    }
    std::map<int, std::shared_ptr<const Texture>> tiles(const std::string& pattern,
                                                        const std::string& space) override {
        return {{1001, texture(pattern, space)}};
    }
};

}  // namespace

TEST_CASE("images drive numbers by brightness and colours by colour", "[field]") {
    Probe probe;
    OneImage images;
    FieldContext context;
    context.images = &images;
    const Field field{{with(makeSource("image"), "file", std::string("there.png"))}};
    CHECK(probe.of(field, context) == Approx(0.2126f * 0.5f + 0.7152f * 0.25f + 0.0722f * 0.125f));
    V3f color(0.0f);
    CompiledField(field, context).evaluateColor(probe.samples(), {&color, 1});
    CHECK(color == V3f(0.5f, 0.25f, 0.125f));
    CHECK(probe.of({{with(with(makeSource("image"), "file", std::string("there.png")), "channel",
                          std::string("red"))}},
                   context) == 0.5f);
    CHECK_THROWS_WITH(probe.of({{with(makeSource("image"), "file", std::string("gone.png"))}}, context),
                      Catch::Contains("gone.png"));
    CHECK_THROWS_WITH(probe.of({{makeSource("image")}}, context), Catch::Contains("no file"));
    context.hasUvs = false;
    CHECK_THROWS_WITH(probe.of(field, context), Catch::Contains("UVs"));
}

TEST_CASE("fields never give what is not a number", "[field]") {
    Probe probe;
    const float nan = std::nanf("");
    probe.p[0] = V3f(nan, nan, nan);
    probe.n[0] = V3f(nan, 0, 0);
    for (const SourceType& t : sourceTypes()) {
        // These need a file, or something to measure to or to be inside of.
        if (t.id == "image" || t.id == "distance" || t.id == "inside") continue;
        INFO(t.id);
        FieldContext context;
        context.surface = std::make_shared<const Surface>(makePlane(1, 1));
        CHECK(std::isfinite(probe.of({{makeSource(t.id)}}, context)));
    }
    CHECK_THROWS_AS(
        probe.of({{FieldSource{"unknown", true, {}, {}, false, Blend::Add, {1.0, {}, nullptr, 0.0}}}}),
        Error);
    CompiledField(Field{{makeSource("noise")}}, {}).evaluate(Samples(), {});
}

TEST_CASE("curves pass through their points and never overshoot", "[curve]") {
    Curve c;
    CHECK(c.isIdentity());
    CHECK(c.at(0.3f) == Approx(0.3f));
    c.points = {{0, 0}, {0.4f, 0.9f}, {0.6f, 0.9f}, {1, 0.1f}};
    for (const V2f& p : c.points) CHECK(c.at(p.x) == Approx(p.y));
    for (float x = -0.5f; x < 1.5f; x += 0.01f) {
        CHECK(c.at(x) <= 0.9f + 1e-6f);
        CHECK(c.at(x) >= 0.0f);
    }
    CHECK(c.at(std::nanf("")) == 0.0f);
    c.points = {{2, 5}, {-1, std::nanf("")}, {0.5f, -3}};
    c.tidy();
    CHECK(c.points == std::vector<V2f>{{0.5f, 0}, {1, 1}});
    c.points.clear();
    c.tidy();
    CHECK(c.points.size() == 2);
    const Curve band{{{0.25f, 0}, {0.35f, 1}, {0.65f, 1}, {0.75f, 0}}, true};
    CHECK(band.at(0.5f) == 1.0f);
    CHECK(band.at(0.1f) == 0.0f);
    CHECK(band.at(0.9f) == 0.0f);
}

TEST_CASE("keys give values between and around them", "[param]") {
    Param p;
    p.value = 1.0;
    CHECK(std::get<double>(p.at(50)) == 1.0);
    p.keys = {{10, 0.0, KeyEase::Linear},
              {20, 10.0, KeyEase::Hold},
              {30, 20.0, KeyEase::Eased},
              {40, 30.0, KeyEase::Eased}};
    CHECK(std::get<double>(p.at(0)) == 0.0);
    CHECK(std::get<double>(p.at(15)) == 5.0);
    CHECK(std::get<double>(p.at(25)) == 10.0);
    CHECK(std::get<double>(p.at(35)) == 25.0);
    CHECK(std::get<double>(p.at(32.5)) == Approx(20 + 10 * 0.15625));
    CHECK(std::get<double>(p.at(99)) == 30.0);
}

TEST_CASE("driven numbers run from low to high", "[field]") {
    const Probe probe;
    Varying d{2, 10, std::make_shared<CompiledField>(Field{{constant(0.25)}}, FieldContext())};
    CHECK(d.over(probe.samples())[0] == Approx(4));
    d.field = nullptr;
    CHECK(d.over(probe.samples())[0] == 10);
    VaryingRange r{2, 6, std::make_shared<CompiledField>(Field{{constant(0.5)}}, FieldContext())};
    CHECK(r.over(probe.samples(), 1, Stream::Size)[0] == Approx(4));
}

TEST_CASE("the hash of parameters changes with everything that counts", "[field]") {
    const ParamSpec spec{.id = "x", .title = "X", .initial = 1.0, .drivable = true};
    const auto hash = [&](const Param& p, double frame) {
        Hasher h;
        addParamsToHash(h, std::span(&spec, 1), {{"x", p}}, frame, {});
        return h.value();
    };
    Param p;
    p.value = 1.0;
    const uint64_t plain = hash(p, 0);
    CHECK(plain == hash(p, 5));
    p.keys = {{0, 1.0, KeyEase::Linear}, {10, 2.0, KeyEase::Linear}};
    CHECK(hash(p, 0) == plain);
    CHECK(hash(p, 5) != plain);
    p.keys.clear();
    auto field = std::make_shared<Field>(Field{{makeSource("noise")}});
    p.field = field;
    const uint64_t varying = hash(p, 0);
    CHECK(varying != plain);
    field->sources[0].strength.value = 0.5;
    CHECK(hash(p, 0) != varying);
    field->sources[0].strength.value = 1.0;
    field->sources[0].params["seed"].value = int64_t(9);
    CHECK(hash(p, 0) != varying);
}

TEST_CASE("noise on an object goes with it, and noise in the world does not", "[field]") {
    const V3f local(0.3f, 0.2f, -0.7f);
    M44f here, there;
    here.translate(V3f(5, 0, 0)), there.rotate(V3f(0.4f, 1, 0));
    const std::vector<M44f> toObject{here.inverse(), there.inverse()};
    const std::vector<V3f> p{local * here, local * there};
    const auto at = [&](const char* space) {
        float out[2];
        const CompiledField field(Field{{with(makeSource("noise"), "space", std::string(space))}}, {});
        field.evaluate(Samples(p).with(channel::toObject, toObject), out);
        return std::pair(out[0], out[1]);
    };
    const auto [a, b] = at("on the object");
    CHECK(a == Approx(b).margin(1e-3));  // the places are rounded by 1e-6 m of 5 m
    const auto [c, d] = at("in the world");
    CHECK(std::abs(c - d) > 1e-3f);
}

TEST_CASE("samples that lie on nothing, or on another surface, find their nearest place", "[field]") {
    const Surface ball(makeSphere(1, 12));
    const std::vector<V3f> p{V3f(0, 2, 0), V3f(0, 2, 0), V3f(0, 2, 0)};
    const std::vector<int32_t> triangle{-1, 1 << 30, 0};
    const std::vector<V2f> bary(3, V2f(0.25f, 0.25f));
    Samples s(p);
    CHECK(PlacesOn(ball, s)[0].distance == Approx(1).margin(0.05));
    s.with(channel::triangle, triangle).with(channel::bary, bary);
    CHECK(PlacesOn(ball, s)[0].triangle == PlacesOn(ball, s)[1].triangle);
    CHECK(PlacesOn(ball, s)[2].triangle == 0);
    const Surface none(std::make_shared<Mesh>());
    CHECK_FALSE(PlacesOn(none, s)[2].hit);
}
