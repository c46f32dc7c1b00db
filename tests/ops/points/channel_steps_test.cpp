// Steps on what points carry.
#include "ops/points/channel_steps.h"

#include "base/error.h"
#include "base/random.h"
#include "support.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;

namespace {

/// Points along X at whole metres, with ids that go down.
PointSet row(size_t count) {
    PointSet set;
    set.attributes.resize(count);
    const auto p = set.attributes.add<V3f>("P"), n = set.attributes.add<V3f>("N");
    const auto id = set.attributes.add<uint64_t>("id");
    const auto heat = set.attributes.add<float>("heat");
    for (size_t i = 0; i < count; ++i) {
        p[i] = V3f(float(i), 0, 0), n[i] = V3f(0, 1, 0);
        id[i] = 100 - i, heat[i] = float(i) * 0.5f;
    }
    return set;
}

/// An attribute of the points, 0 to 1 between two numbers.
Varying attribute(const PointSet& points, const std::string& name, double low, double high) {
    FieldContext context;
    context.elements = &points.attributes;
    FieldSource source = makeSource("attribute");
    source.params["name"].value = name;
    source.params["range"].value = Range{low, high};
    return {0.0f, 1.0f, std::make_shared<const CompiledField>(Field{{source}}, context)};
}

template <class T>
std::vector<T> column(const PointSet& set, const std::string& name) {
    const auto all = set.attributes.find<T>(name);
    return {all.begin(), all.end()};
}

}  // namespace

TEST_CASE("a channel is set as fields say, and another of its name goes", "[channels]") {
    const PointSet points = row(5);
    const auto numbers = setChannel(
        points, {.name = "wet", .number = {10, 20, attribute(points, "heat", 0, 2).field}}, Progress::none());
    CHECK(column<float>(*numbers, "wet") == std::vector<float>{10, 12.5f, 15, 17.5f, 20});
    CHECK(column<float>(*numbers, "heat") == column<float>(points, "heat"));
    SetChannelOptions o{.name = "wet", .kind = SetChannelOptions::Kind::Vector};
    o.vector[1] = {0, 3, nullptr};
    const auto vectors = setChannel(*numbers, o, Progress::none());
    CHECK(column<V3f>(*vectors, "wet") == std::vector<V3f>(5, V3f(0, 3, 0)));
    CHECK(column<float>(*vectors, "wet").empty());
    o.kind = SetChannelOptions::Kind::Colour, o.name = "color";
    o.color.high = Color(0.1f, 0.2f, 0.3f);
    CHECK(column<Color>(*setChannel(points, o, Progress::none()), "color") ==
          std::vector<Color>(5, Color(0.1f, 0.2f, 0.3f)));
    for (const char* name : {"", "id", "orient", "triangle", "P", "color"})
        CHECK_THROWS_AS(setChannel(points, {.name = name}, Progress::none()), Error);
    CHECK(setChannel(PointSet(), {}, Progress::none())->size() == 0);
}

TEST_CASE("points move by a vector, or by a number along their normals", "[channels]") {
    PointSet points = row(3);
    const auto v = points.attributes.add<V3f>("v");
    v[0] = V3f(1, 2, 3), v[2] = V3f(std::numeric_limits<float>::infinity(), 0, 0);
    const auto by = column<V3f>(*moveByChannel(points, "v", {0, 0.5f, nullptr}, Progress::none()), "P");
    CHECK(by == std::vector<V3f>{V3f(0.5f, 1, 1.5f), V3f(1, 0, 0), V3f(2, 0, 0)});  // what is endless stays
    const auto up = column<V3f>(*moveByChannel(points, "heat", {0, 2, nullptr}, Progress::none()), "P");
    CHECK(up == std::vector<V3f>{V3f(0), V3f(1, 1, 0), V3f(2, 2, 0)});
    CHECK_THROWS_AS(moveByChannel(points, "nothing", {0, 1, nullptr}, Progress::none()), Error);
    points.attributes.remove("N");
    CHECK_THROWS_AS(moveByChannel(points, "heat", {0, 1, nullptr}, Progress::none()), Error);
    CHECK(moveByChannel(PointSet(), "v", {0, 1, nullptr}, Progress::none())->size() == 0);
}

TEST_CASE("a channel goes towards the mean of its neighbours", "[channels]") {
    const PointSet points = row(5);
    SmoothChannelOptions o{.channel = "heat", .radius = 1.5f};
    // Neighbours are 1 m away: 1 - 1 / 2.25 = 5/9 of a point's own weight each.
    const auto heat = column<float>(*smoothChannel(points, o, Progress::none()), "heat");
    CHECK(heat[2] == Approx(1.0f));  // between both alike
    CHECK(heat[0] == Approx(0.5 * 5 / 9 / (1 + 5.0 / 9)));
    o.strength = {0, 0, nullptr};
    CHECK(column<float>(*smoothChannel(points, o, Progress::none()), "heat") ==
          column<float>(points, "heat"));
    // A plane stays one, and noise on it gets less.
    PointSet noisy = row(400);
    const auto p = noisy.attributes.add<V3f>("P");
    const auto values = noisy.attributes.add<float>("heat");
    for (size_t i = 0; i < 400; ++i) {
        p[i] = V3f(float(i % 20), 0, float(i / 20)) * 0.1f;
        values[i] = random1(3, i, Stream::User);
    }
    const auto spread = [](const std::vector<float>& x) {
        double sum = 0, squares = 0;
        for (const float v : x) sum += double(v), squares += double(v) * double(v);
        return squares / double(x.size()) - sum * sum / double(x.size() * x.size());
    };
    const auto even = column<float>(
        *smoothChannel(noisy, {.channel = "heat", .radius = 0.25f, .rounds = 3}, Progress::none()), "heat");
    CHECK(spread(even) < 0.2 * spread(column<float>(noisy, "heat")));
    CHECK_THROWS_AS(smoothChannel(points, {.channel = "nothing"}, Progress::none()), Error);
    CHECK_THROWS_AS(smoothChannel(points, {.channel = "id"}, Progress::none()), Error);
}

TEST_CASE("points are taken out, sorted and merged by what they carry", "[channels]") {
    const PointSet points = row(5);
    const auto some =
        deleteBy(points, attribute(points, "heat", 0.75, 0.76), 1, Progress::none());  // 1, 1.5 and 2 go
    CHECK(column<uint64_t>(*some, "id") == std::vector<uint64_t>{100, 99});
    CHECK(deleteBy(points, {0, 1, nullptr}, 1, Progress::none())->size() == 0);
    CHECK(deleteBy(points, {0, 0, nullptr}, 1, Progress::none())->size() == 5);
    const PointSet many = row(4000);
    CHECK(double(deleteBy(many, {0, 0.25f, nullptr}, 1, Progress::none())->size()) ==
          Approx(3000).margin(130));
    const auto back = sortedBy(points, attribute(points, "heat", 0, 2), true, Progress::none());
    CHECK(column<uint64_t>(*back, "id") == std::vector<uint64_t>{96, 97, 98, 99, 100});
    CHECK(column<uint64_t>(*sortedBy(points, {0, 1, nullptr}, true, Progress::none()), "id") ==
          column<uint64_t>(points, "id"));  // all alike
    // Ids go down along the row: of two at 1 m the further one stays.
    CHECK(column<uint64_t>(*mergedNear(points, 1.5f, Progress::none()), "id") ==
          std::vector<uint64_t>{100, 98, 96});
    CHECK(mergedNear(points, 0.5f, Progress::none())->size() == 5);
    CHECK(mergedNear(points, 100.0f, Progress::none())->size() == 1);
    PointSet heap = row(20000);
    for (V3f& p : heap.attributes.add<V3f>("P")) p = V3f(1, 2, 3);
    CHECK(mergedNear(heap, 0.01f, Progress::none())->size() == 1);
    CHECK(mergedNear(PointSet(), 1.0f, Progress::none())->size() == 0);
}
