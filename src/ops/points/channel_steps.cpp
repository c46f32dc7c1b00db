#include "ops/points/channel_steps.h"

#include <numeric>

#include "base/parallel.h"
#include "geo/points/nearest.h"
#include "ops/place/place_points.h"
#include "params/param_table.h"
#include "params/starting.h"

namespace ovrix::ops {

using namespace specs;

namespace {

constexpr size_t kMostAbout = 64;  // neighbours that count

const struct SetChannelParams : ParamTable {
    Handle<std::string> name =
        add(text("name", "Name", SetChannelOptions{}.name,
                 "What fields, materials and formulas call it; a new one, or one that is there"));
    Handle<SetChannelOptions::Kind> kind =
        add(choice("kind", "Kind", "number", {"number", "colour", "vector"}, "What it holds"));
    Handle<Varying> number = add(shownIf(drivable(specs::number("value", "Value", 1, "", -1e9, 1e9, 0, 1,
                                                                "Of each point: its field says how much")),
                                         "kind=number"));
    Handle<VaryingColor> color =
        add(shownIf(specs::color("color", "Colour", Color(1.0f), true, "Of each point"), "kind=colour"));
    Handle<Varying> x = add(axis("x", "X")), y = add(axis("y", "Y")), z = add(axis("z", "Z"));

  private:
    static ParamSpec axis(const char* id, const char* title) {
        return shownIf(drivable(specs::number(id, title, 0, "", -1e9, 1e9, -1, 1, "Of the vector")),
                       "kind=vector");
    }
} kSetChannel;

const struct MoveByParams : ParamTable {
    Handle<std::string> channel =
        add(text("channel", "Channel", "N", "A vector, or a number that moves along the normal"));
    Handle<Varying> amount = add(drivable(
        number("amount", "Amount", 0.1, "m", -1e6, 1e6, -1, 1, "How far 1 of the channel moves a point")));
} kMoveBy;

const struct SmoothChannelParams : ParamTable {
    Handle<std::string> channel =
        add(text("channel", "Channel", "P", "A number, colour or vector; P evens out where points lie"));
    Handle<double> radius = add(number("radius", "Radius", starting(SmoothChannelOptions{}.radius), "m", 1e-6,
                                       1e5, 0.01, 1, "How near others must be to count"));
    Handle<int64_t> rounds = add(whole("rounds", "Rounds", starting(SmoothChannelOptions{}.rounds), 0, 100, 0,
                                       10, "How often each goes towards the mean"));
    Handle<Varying> strength =
        add(drivable(unitNumber("strength", "Strength", 1, "How far it goes each time")));
} kSmoothChannel;

const struct DeleteByParams : ParamTable {
    Handle<Varying> chance = add(drivable(
        unitNumber("chance", "Chance", 0.5, "How likely a point goes; a field that is 0 or 1 decides")));
    Handle<int64_t> seed = add(seedSpec("Another number, other points go"));
} kDeleteBy;

const struct SortByParams : ParamTable {
    Handle<Varying> key =
        add(drivable(number("key", "By", 1, "", -1e9, 1e9, 0, 1, "Its field says the order")));
    Handle<bool> backward = add(flag("backward", "Backward", false, "The most first"));
} kSortBy;

const struct MergeNearParams : ParamTable {
    Handle<double> distance = add(number("distance", "Distance", 0.01, "m", 0, 1e5, 0.001, 0.2,
                                         "Of points that lie nearer than this one stays"));
} kMergeNear;

const PointSet& inPoints(const StepInput& in) { return *std::get<std::shared_ptr<const PointSet>>(in.in); }

[[noreturn]] void noChannel(const AttributeSet& set, const std::string& name) {
    std::string all;
    for (const auto& [known, column] : set.columns()) all += (all.empty() ? "" : ", ") + known;
    throw Error("there is no channel \"" + name + "\" here", {}, "There are " + all);
}

/// The mean of those about each point, and how much of it each takes.
template <class T>
void smoothColumn(std::span<T> values, const NearestPoints& cloud, const SmoothChannelOptions& o,
                  const std::vector<float>& strength, Progress& progress) {
    std::vector<T> before(values.begin(), values.end());
    for (int round = 0; round < o.rounds; ++round) {
        parallelFor(values.size(), progress, [&](size_t i) {
            std::vector<uint32_t> near;
            cloud.withinMost(cloud.points()[i], o.radius, kMostAbout, near);
            std::sort(near.begin(), near.end());  // sums in one order
            T sum = before[i];
            float weight = 1.0f;
            for (const uint32_t n : near) {
                if (n == i) continue;
                const V3f d = cloud.points()[n] - cloud.points()[i];
                const float w = 1.0f - d.dot(d) / (o.radius * o.radius);
                if (!(w > 0.0f)) continue;
                sum = T(sum + before[n] * w), weight += w;
            }
            values[i] = T(before[i] + (T(sum / weight) - before[i]) * std::clamp(strength[i], 0.0f, 1.0f));
        });
        std::copy(values.begin(), values.end(), before.begin());
    }
}

std::shared_ptr<const PointSet> onlyThose(const PointSet& points, const std::vector<uint32_t>& kept) {
    auto out = std::make_shared<PointSet>();
    out->attributes = points.attributes.gathered(kept);
    return out;
}

}  // namespace

void requireWritable(const std::string& name, const std::string& type) {
    static const std::map<std::string, std::string> known{
        {"P", "vec3"},      {"N", "vec3"},      {"v", "vec3"},      {"stretch", "vec3"}, {"tint", "vec3"},
        {"scale", "float"}, {"width", "float"}, {"color", "color"}, {"Cd", "color"},     {"uv", ""},
        {"id", ""},         {"orient", ""},     {"triangle", ""},   {"bary", ""},        {"prototype", ""}};
    if (name.empty()) throw Error("the channel has no name", {}, "Give it one");
    const auto at = known.find(name);
    if (at == known.end() || at->second == type) return;
    if (at->second.empty())
        throw Error("the channel \"" + name + "\" is what other steps go by", {}, "Choose another name");
    throw Error("the channel \"" + name + "\" holds a " + at->second, {},
                "Choose that kind, or another name");
}

std::shared_ptr<const PointSet> setChannel(const PointSet& points, const SetChannelOptions& o,
                                           Progress& progress) {
    using Kind = SetChannelOptions::Kind;
    requireWritable(o.name, o.kind == Kind::Number ? "float" : o.kind == Kind::Colour ? "color" : "vec3");
    Progress::Task task(progress, "Setting a channel");
    const Samples samples = samplesOf(points.attributes);
    auto out = std::make_shared<PointSet>(points);
    AttributeSet& set = out->attributes;
    if (o.kind == Kind::Number) {
        std::vector<float> values = o.number.over(samples, progress);
        set.remove(o.name), set.set(o.name, std::move(values));
    } else if (o.kind == Kind::Colour) {
        std::vector<Color> values = o.color.over(samples, progress);
        set.remove(o.name), set.set(o.name, std::move(values));
    } else {
        std::vector<V3f> values(points.size());
        for (int k = 0; k < 3; ++k) {
            const std::vector<float> part = o.vector[size_t(k)].over(samples, progress);
            for (size_t i = 0; i < values.size(); ++i) values[i][k] = part[i];
        }
        set.remove(o.name), set.set(o.name, std::move(values));
    }
    return out;
}

std::shared_ptr<const PointSet> moveByChannel(const PointSet& points, const std::string& channel,
                                              const Varying& amount, Progress& progress) {
    const auto vectors = points.attributes.find<V3f>(channel);
    const auto numbers = points.attributes.find<float>(channel);
    const auto normals = points.attributes.find<V3f>("N");
    if (vectors.empty() && numbers.empty() && points.size() > 0) noChannel(points.attributes, channel);
    if (vectors.empty() && normals.empty() && points.size() > 0)
        throw Error("there are no normals to move along", {}, "Choose a channel of vectors");
    const std::vector<float> much = amount.over(samplesOf(points.attributes), progress);
    auto out = std::make_shared<PointSet>(points);
    const auto p = out->attributes.add<V3f>("P");
    parallelFor(points.size(), progress, [&](size_t i) {
        const V3f by = vectors.empty() ? normals[i] * numbers[i] : vectors[i];
        const V3f to = p[i] + by * much[i];
        if (isFinite(to)) p[i] = to;
    });
    return out;
}

std::shared_ptr<const PointSet> smoothChannel(const PointSet& points, const SmoothChannelOptions& o,
                                              Progress& progress) {
    Progress::Task task(progress, "Smoothing a channel");
    const auto p = points.attributes.find<V3f>("P");
    const NearestPoints cloud({p.begin(), p.end()});
    const std::vector<float> strength = o.strength.over(samplesOf(points.attributes), progress);
    auto out = std::make_shared<PointSet>(points);
    AttributeSet& set = out->attributes;
    if (!points.attributes.find<float>(o.channel).empty())
        smoothColumn(set.add<float>(o.channel), cloud, o, strength, progress);
    else if (!points.attributes.find<V3f>(o.channel).empty())
        smoothColumn(set.add<V3f>(o.channel), cloud, o, strength, progress);
    else if (!points.attributes.find<Color>(o.channel).empty())
        smoothColumn(set.add<Color>(o.channel), cloud, o, strength, progress);
    else if (points.size() > 0)
        noChannel(points.attributes, o.channel);
    return out;
}

std::shared_ptr<const PointSet> deleteBy(const PointSet& points, const Varying& chance, uint64_t seed,
                                         Progress& progress) {
    const std::vector<float> gone = chance.over(samplesOf(points.attributes), progress);
    const auto ids = points.attributes.find<uint64_t>("id");
    std::vector<uint32_t> kept;
    for (size_t i = 0; i < gone.size(); ++i)
        if (!(random1(seed, ids.empty() ? i : ids[i], Stream::Pick) < gone[i])) kept.push_back(uint32_t(i));
    return onlyThose(points, kept);
}

std::shared_ptr<const PointSet> sortedBy(const PointSet& points, const Varying& key, bool backward,
                                         Progress& progress) {
    const std::vector<float> keys = key.over(samplesOf(points.attributes), progress);
    std::vector<uint32_t> order(keys.size());
    std::iota(order.begin(), order.end(), 0u);
    const auto known =
        std::stable_partition(order.begin(), order.end(), [&](uint32_t i) { return !std::isnan(keys[i]); });
    std::stable_sort(order.begin(), known, [&](uint32_t a, uint32_t b) {
        return backward ? keys[a] > keys[b] : keys[a] < keys[b];
    });
    return onlyThose(points, order);
}

std::shared_ptr<const PointSet> mergedNear(const PointSet& points, float distance, Progress& progress) {
    Progress::Task task(progress, "Merging points");
    const auto p = points.attributes.find<V3f>("P");
    const auto ids = points.attributes.find<uint64_t>("id");
    if (!(distance > 0.0f) || p.empty()) return std::make_shared<PointSet>(points);
    const NearestPoints cloud({p.begin(), p.end()});
    std::vector<uint32_t> order(p.size());
    std::iota(order.begin(), order.end(), 0u);
    std::sort(order.begin(), order.end(), [&](uint32_t a, uint32_t b) {
        return std::pair(ids.empty() ? 0 : ids[a], a) < std::pair(ids.empty() ? 0 : ids[b], b);
    });
    std::vector<uint8_t> gone(p.size(), 0);
    for (size_t k = 0; k < order.size(); ++k) {
        if (k % 4096 == 0) progress.check();
        const uint32_t i = order[k];
        if (gone[i] || !isFinite(p[i])) continue;
        gone[i] = 2;  // it stays
        cloud.within(p[i], distance, [&](uint32_t n) { gone[n] |= gone[n] == 0; });
    }
    std::vector<uint32_t> kept;
    for (size_t i = 0; i < gone.size(); ++i)
        if (gone[i] != 1) kept.push_back(uint32_t(i));
    return onlyThose(points, kept);
}

namespace {

/// A step from points to points.
StepType channelStep(const char* id, const char* title, const char* help, const ParamTable& table,
                     std::function<Geometry(const StepInput&)> apply) {
    StepType step;
    step.id = id, step.title = title, step.help = help;
    step.phase = Phase::Shape;
    step.takes = step.gives = GeometryKind::Points;
    step.params = table.specs();
    step.apply = std::move(apply);
    return step;
}

}  // namespace

StepType setChannelStep() {
    StepType step = channelStep(
        "set_channel", "Set a channel", "Gives points a number, a colour or a vector by name, as fields say",
        kSetChannel, [](const StepInput& in) -> Geometry {
            SetChannelOptions o;
            o.name = in.params[kSetChannel.name];
            o.kind = in.params[kSetChannel.kind];
            o.number = in.params[kSetChannel.number];
            o.color = in.params[kSetChannel.color];
            o.vector = {in.params[kSetChannel.x], in.params[kSetChannel.y], in.params[kSetChannel.z]};
            return setChannel(inPoints(in), o, in.progress);
        });
    step.elementwise = true;
    return step;
}

StepType moveByStep() {
    StepType step =
        channelStep("move_by", "Move by a channel", "Along a vector, or along normals by a number", kMoveBy,
                    [](const StepInput& in) -> Geometry {
                        return moveByChannel(inPoints(in), in.params[kMoveBy.channel],
                                             in.params[kMoveBy.amount], in.progress);
                    });
    step.elementwise = true;
    return step;
}

StepType smoothChannelStep() {
    return channelStep("smooth_channel", "Smooth over neighbours",
                       "What points carry goes towards the mean of those about them", kSmoothChannel,
                       [](const StepInput& in) -> Geometry {
                           return smoothChannel(
                               inPoints(in),
                               {in.params[kSmoothChannel.channel], float(in.params[kSmoothChannel.radius]),
                                int(in.params[kSmoothChannel.rounds]), in.params[kSmoothChannel.strength]},
                               in.progress);
                       });
}

StepType deleteByStep() {
    StepType step = channelStep("delete_by", "Delete by", "Takes points out where a field says", kDeleteBy,
                                [](const StepInput& in) -> Geometry {
                                    return deleteBy(inPoints(in), in.params[kDeleteBy.chance],
                                                    uint64_t(in.params[kDeleteBy.seed]), in.progress);
                                });
    step.elementwise = true;
    return step;
}

StepType sortByStep() {
    return channelStep("sort_by", "Sort", "Puts points in the order of a number", kSortBy,
                       [](const StepInput& in) -> Geometry {
                           return sortedBy(inPoints(in), in.params[kSortBy.key], in.params[kSortBy.backward],
                                           in.progress);
                       });
}

StepType mergeNearStep() {
    return channelStep("merge_near", "Merge near ones", "Of points that lie close together one stays",
                       kMergeNear, [](const StepInput& in) -> Geometry {
                           return mergedNear(inPoints(in), float(in.params[kMergeNear.distance]),
                                             in.progress);
                       });
}

}  // namespace ovrix::ops
