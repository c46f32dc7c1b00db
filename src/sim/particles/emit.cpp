#include "sim/particles/emit.h"

#include <Imath/ImathMatrixAlgo.h>

#include <numeric>
#include <utility>

#include "base/error.h"
#include "base/hash.h"
#include "params/param_table.h"
#include "sim/particles/condition.h"

namespace ovrix::sim {

using namespace specs;

void Births::add(uint64_t newId, const V3f& at, const V3f& motion, const V3f& out, float lateBy) {
    id.push_back(newId);
    position.push_back(at);
    velocity.push_back(motion);
    normal.push_back(out);
    spin.push_back(V3f(0.0f));
    life.push_back(std::numeric_limits<float>::infinity());
    size.push_back(1.0f);
    weight.push_back(1.0f);
    late.push_back(lateBy);
    sourceAge.push_back(0.0f);
    group.push_back(0);
    state.push_back(0);
    generation.push_back(0);
    color.push_back(Color(1.0f));
}

std::vector<uint32_t> birthOrder(BirthOrder order, bool reversed, const AttributeSet& source,
                                 const V3f& point, const V3f& direction, const Varying& field,
                                 Progress& progress) {
    std::vector<uint32_t> places(source.size());
    std::iota(places.begin(), places.end(), 0u);
    const auto p = source.find<V3f>("P");
    std::vector<float> key;
    if (order == BirthOrder::Distance || order == BirthOrder::Direction)
        for (const V3f& q : p)
            key.push_back(order == BirthOrder::Distance ? (q - point).length2() : q.dot(direction));
    if (order == BirthOrder::Field) key = field.over(samplesOf(source), progress);
    if (!key.empty())
        std::stable_sort(places.begin(), places.end(),
                         [&](uint32_t a, uint32_t b) { return key[a] < key[b]; });
    if (reversed) std::reverse(places.begin(), places.end());
    return places;
}

namespace {

const char *const kOnContact = "on contact", *const kAtTheEnd = "at the end",
                  *const kAlongItsPath = "along its path";

/// What makes particles bear others: what a rule asks for, and two things more.
std::vector<std::string> branchNames() {
    std::vector<std::string> names = {kOnContact, kAtTheEnd, kAlongItsPath};
    for (const std::string& name : conditionNames())
        if (name != kOnContact) names.push_back(name);
    return names;
}

/// What both kinds of birth ask for.
struct SpawnParams {
    ParamTable& table;
    Handle<VaryingRange> life = table.add(
        drivable(specs::range("life", "Lifespan", {2, 4}, "s", 0, 1e6, 0, 20, "How long each is there")));
    Handle<bool> forever =
        table.add(specs::flag("forever", "For ever", false, "They end only where a rule ends them"));
    Handle<VaryingRange> speed = table.add(drivable(
        specs::range("speed", "Speed", {1, 1.5}, "m/s", -1e5, 1e5, 0, 10, "Along the source's normal")));
    Handle<double> cone = table.add(
        specs::number("cone", "Spread", 10, "deg", 0, 180, 0, 90, "How far from the normal they may start"));
    Handle<double> random =
        table.add(specs::number("random", "At random", 0, "m/s", 0, 1e5, 0, 5, "Added in any direction"));
    Handle<double> inherit =
        table.add(specs::unitNumber("inherit", "Inherit", 1, "Fraction of its source's own motion"));
    Handle<double> jitter = table.add(specs::number("jitter", "Jitter", 0, "m", 0, 1e5, 0, 1,
                                                    "Around the source, so that no two start alike"));
    Handle<VaryingRange> size = table.add(
        drivable(specs::range("size", "Size", {1, 1}, "", 0, 1e6, 0, 3, "Factor on what stands there")));
    Handle<VaryingRange> weight = table.add(drivable(specs::range(
        "weight", "Weight", {1, 1}, "kg", 1e-9, 1e9, 0.1, 10, "The heavier, the less air takes it along")));
    Handle<VaryingRange> spin = table.add(drivable(
        specs::range("spin", "Spin", {0, 0}, "deg/s", -1e6, 1e6, 0, 720, "About an axis of its own")));
    Handle<int64_t> group =
        table.add(specs::whole("group", "Group", 0, 0, 1000, 0, 9, "Forces and rules may ask for it"));
    Handle<bool> waiting =
        table.add(specs::flag("waiting", "Waits", false, "Stands still until it is woken"));
    Handle<bool> coloured =
        table.add(specs::flag("coloured", "Coloured", false, "Gives each a colour of its own"));
    Handle<VaryingColor> color = table.add(
        shownIf(specs::color("color", "Colour", Color(1.0f), true, "By a field, what each starts with"),
                "coloured=true"));
    Handle<int64_t> seed = table.add(seedSpec("Another number, other particles"));
};

const struct EmitParams : ParamTable {
    Handle<double> rate = add(number("rate", "Rate", 100, "1/s", 0, 1e9, 0, 5000, "Births a second"));
    Handle<int64_t> burst = add(whole("burst", "Burst", 0, 0, 1e9, 0, 5000, "So many at once"));
    Handle<double> burstAt = add(shownIf(
        number("burst_at", "In frame", 2, "", -1e6, 1e6, 1, 250, "When the burst comes"), "burst!=0"));
    Handle<double> from =
        add(number("from", "From frame", 1, "", -1e6, 1e6, 1, 250, "The rate counts from there"));
    Handle<double> until = add(number("until", "Until frame", 0, "", -1e6, 1e6, 0, 250,
                                      "And to there; for ever when it lies before"));
    Handle<int64_t> most = add(whole("most", "At most", 0, 0, 1e12, 0, 100000, "In all; 0 is any number"));
    Handle<BirthOrder> order =
        add(choice("order", "Order", "random", {"random", "index", "distance", "direction", "field"},
                   "Which of its sources comes next: a volley sweeps across them"));
    Handle<bool> reversed =
        add(shownIf(flag("reversed", "Reversed", false, "The last comes first"), "order!=random"));
    Handle<std::string> orderFrom =
        add(shownIf(ref("order_from", "From", "object", "The nearest to it comes first"), "order=distance"));
    Handle<V3f> orderAxis =
        add(shownIf(vector("order_axis", "Along", V3d(1, 0, 0), "", 1, "The least far along it comes first"),
                    "order=direction"));
    Handle<Varying> orderBy = add(shownIf(
        drivable(number("order_by", "By", 1, "", -1e6, 1e6, 0, 1, "The least comes first")), "order=field"));
    Handle<V3f> axis = add(vector("axis", "Along axes", V3d(0), "m/s", 5, "A speed that all start with"));
    Handle<std::string> axisOf =
        add(ref("axis_of", "Axes of", "object", "An object's own axes, as it is turned; else the world's"));
    Handle<double> tangent = add(
        number("tangent", "Along the ground", 0, "m/s", -1e5, 1e5, 0, 5, "Across the normal, to any side"));
    SpawnParams spawn{*this};
} kEmit;

const struct OffspringParams : ParamTable {
    Handle<std::string> when = add(choice("when", "When", kOnContact, branchNames(), "What makes them"));
    ConditionParams condition{*this};
    Handle<int64_t> count = add(
        shownIf(whole("count", "Count", 5, 1, 100000, 1, 50, "New ones each time"), "when!=along its path"));
    Handle<double> rate =
        add(shownIf(number("rate", "Rate", 20, "1/s", 0, 1e6, 0, 200, "New ones a second, of each"),
                    "when=along its path"));
    Handle<int64_t> of = add(whole("of", "Of group", 0, 0, 1000, 0, 9, "Which bear; 0 is all"));
    Handle<int64_t> generations =
        add(whole("generations", "Generations", 1, 1, 64, 1, 5,
                  "1: only those of a source bear; 2: also those that they bore; and so on"));
    SpawnParams spawn{*this};
} kOffspring;

/// A direction within @p cone radians of @p axis, even over the solid angle.
V3f inCone(const V3f& axis, float cone, float r0, float r1) {
    if (!(cone > 0.0f)) return axis;
    const float z = lerp(1.0f, std::cos(std::min(cone, kPi)), r0),
                s = std::sqrt(std::max(0.0f, 1.0f - z * z));
    V3f t, b;
    basis(axis, t, b);
    return axis * z + (t * std::cos(2 * kPi * r1) + b * std::sin(2 * kPi * r1)) * s;
}

V3f inBall(const Random4& r) {
    const V3f d = inCone(V3f(0, 1, 0), kPi, r[0], r[1]);
    return d * std::cbrt(r[2]);
}

/// What both kinds of birth give their particles, by id.
struct SpawnParameters {
    VaryingRange life, speed, size, spin, weight;
    VaryingColor color;
    bool forever = false, coloured = false, waiting = false;
    float cone = 0, inherit = 0, random = 0, jitter = 0;
    int32_t group = 0;
    uint64_t seed = 1;

    SpawnParameters(const ResolvedParams& p, const SpawnParams& params)
        : life(p[params.life]),
          speed(p[params.speed]),
          size(p[params.size]),
          spin(p[params.spin]),
          weight(p[params.weight]),
          color(p[params.color]),
          forever(p[params.forever]),
          coloured(p[params.coloured]),
          waiting(p[params.waiting]),
          cone(radians(float(p[params.cone]))),
          inherit(float(p[params.inherit])),
          random(float(p[params.random])),
          jitter(float(p[params.jitter])),
          group(int32_t(p[params.group])),
          seed(uint64_t(p[params.seed])) {}

    /// From index @p first on: places, normals and the sources' velocities are in; the rest follows.
    void give(Births& b, size_t first, const V3f& axis, Progress& progress) const {
        const size_t count = b.count() - first;
        if (!count) return;
        const auto from = [&](const auto& column) { return std::span(column).subspan(first, count); };
        const Samples s = Samples(from(std::as_const(b.position)))
                              .with(channel::normal, from(std::as_const(b.normal)))
                              .with(channel::velocity, from(std::as_const(b.velocity)))
                              .with(channel::id, from(std::as_const(b.id)))
                              .with(channel::age, from(std::as_const(b.sourceAge)));
        const auto lives = life.over(s, seed, Stream::Life, progress);
        const auto speeds = speed.over(s, seed, Stream::Speed, progress);
        const auto sizes = size.over(s, seed, Stream::Size, progress);
        const auto spins = spin.over(s, seed, Stream::Spin, progress);
        const auto weights = weight.over(s, seed, Stream::Weight, progress);
        const auto colors = coloured ? color.over(s, progress) : std::vector<Color>();
        for (size_t k = 0; k < count; ++k) {
            const size_t i = first + k;
            const Random4 r = random4(seed, b.id[i], Stream::Birth), q = random4(seed, b.id[i], Stream::Lean);
            if (!forever) b.life[i] = std::max(0.0f, lives[k]);
            b.size[i] = std::max(0.0f, sizes[k]);
            b.weight[i] = std::max(1e-9f, weights[k]);
            if (coloured) b.color[i] = colors[k];
            b.group[i] = group;
            b.state[i] = int32_t(waiting ? ParticleState::Waiting : ParticleState::Free);
            b.velocity[i] =
                b.velocity[i] * inherit + inCone(b.normal[i], cone, r[0], r[1]) * speeds[k] + axis;
            if (random > 0) b.velocity[i] += inBall(q) * random;
            if (jitter > 0) b.position[i] += inBall(random4(seed, b.id[i], Stream::Place)) * jitter;
            b.spin[i] = inCone(V3f(0, 1, 0), kPi, r[2], r[3]) * radians(spins[k]);
        }
    }
};

/// Only what is used costs memory.
void askForColumns(const PartContext& c, const SpawnParams& params, ParticleParts& parts) {
    parts.colours |= c.params()[params.coloured];
    parts.spins |= c.params().uniform(params.spin) != Range{0, 0};
    parts.weighs |= c.params().uniform(params.weight) != Range{1, 1};
}

class Emit : public Emitter {
  public:
    explicit Emit(const PartContext& c) : nature_(c.params(), kEmit.spawn), number_(c.number) {
        const ResolvedParams& p = c.params();
        rate_ = p[kEmit.rate];
        burst_ = double(p[kEmit.burst]);
        burstAt_ = p[kEmit.burstAt];
        from_ = p[kEmit.from];
        until_ = p[kEmit.until];
        most_ = double(p[kEmit.most]);
        reversed_ = p[kEmit.reversed];
        order_ = p[kEmit.order];
        by_ = p[kEmit.orderBy];
        direction_ = p[kEmit.orderAxis];
        if (order_ == BirthOrder::Distance && !p[kEmit.orderFrom].empty())
            point_ = c.query().placed(p[kEmit.orderFrom]).world.translation();
        tangent_ = float(p[kEmit.tangent]);
        axis_ = p[kEmit.axis];
        if (const std::string& of = p[kEmit.axisOf]; !of.empty()) {
            // Its turn alone: how large it is must not make them faster.
            V3f scale, shear, angles, position;
            M44f turn;
            if (Imath::extractSHRT(c.query().placed(of).world, scale, shear, angles, position, false))
                turn.setEulerAngles(angles);
            turn.multDirMatrix(V3f(axis_), axis_);
        }
    }

    void emit(double begin, double end, const SolverInput& before, const SolverInput& now,
              std::span<double> numbers, Births& births, Progress& progress) const override {
        const double born = numbers[0];
        double whole = 0;
        std::vector<double> at;  // parts of the frame
        const double f0 = before.frame + begin * (now.frame - before.frame);
        const double f1 = before.frame + end * (now.frame - before.frame);
        const double low = std::max(f0, from_), high = until_ > from_ ? std::min(f1, until_) : f1;
        if (high > low && rate_ > 0) {
            const double add = rate_ * (high - low) / now.rate, all = numbers[1] + add;
            whole = std::floor(all + 1e-9);  // what sums lose by rounding must not cost one
            requireMemory(whole * kParticleBytes * now.share, now.memoryLimit, whole * now.share);
            for (uint64_t k = 1; k <= uint64_t(whole); ++k) {
                const double frame =
                    low + std::clamp((double(k) - numbers[1]) / add, 0.0, 1.0) * (high - low);
                at.push_back((frame - before.frame) / (now.frame - before.frame));
            }
            numbers[1] = std::max(0.0, all - whole);
        }
        // A burst that should have been before the first frame is there with it.
        const bool first = before.frame == now.frame;
        if (burst_ > 0 && (burstAt_ > f0 || first) && burstAt_ <= f1) {
            requireMemory(burst_ * kParticleBytes * now.share, now.memoryLimit, burst_ * now.share);
            at.insert(at.end(), size_t(burst_),
                      first ? 0.0 : (burstAt_ - before.frame) / (now.frame - before.frame));
        }
        if (most_ > 0) at.resize(size_t(std::clamp(most_ - born, 0.0, double(at.size()))));
        numbers[0] = born + double(at.size());
        if (at.empty()) return;
        const double count = double(at.size()) * now.share;
        requireMemory(count * kParticleBytes, now.memoryLimit, count);
        spawn(at, uint64_t(born), before, now, end, births, progress);
    }

    void await(const SolverInput& now, std::span<const double> numbers, Births& births,
               std::vector<std::string>& notes, Progress& progress) const override {
        const double all = most_ > 0 ? most_ : rate_ > 0 ? 0.0 : burst_;
        if (all <= 0) {
            notes.emplace_back("none are shown before birth: At most must say how many there will be");
            return;
        }
        const uint64_t born = uint64_t(numbers[0]), count = uint64_t(std::max(0.0, all - numbers[0]));
        if (!count) return;
        requireMemory(double(count) * kParticleBytes * now.share, now.memoryLimit, double(count) * now.share);
        spawn(std::vector<double>(count, 1.0), born, now, now, 1.0, births, progress);
    }

  private:
    /// The sources of one frame after another, and where each was before.
    struct Sources {
        std::span<const V3f> position, normal, before;
        std::span<const uint64_t> id;
        std::span<const float> age;
        std::unordered_map<uint64_t, uint32_t> known;  ///< where an id was before; empty when none moved on
        bool alike = false;
        Sources(const SolverInput& then, const AttributeSet& a) {
            position = a.find<V3f>("P"), normal = a.find<V3f>("N"), id = a.find<uint64_t>("id");
            age = a.find<float>("age");
            std::span<const uint64_t> ids;
            if (const auto* old = std::get_if<std::shared_ptr<const PointSet>>(&then.source))
                before = (*old)->attributes.find<V3f>("P"), ids = (*old)->attributes.find<uint64_t>("id");
            alike = ids.size() == id.size() && std::equal(id.begin(), id.end(), ids.begin());
            if (!alike) known = indexById(ids);
        }
        V3f wasAt(uint32_t i) const {
            if (alike) return before[i];
            const auto it = known.find(id.empty() ? 0 : id[i]);
            return it == known.end() ? position[i] : before[it->second];
        }
    };

    void spawn(const std::vector<double>& at, uint64_t born, const SolverInput& before,
               const SolverInput& now, double end, Births& births, Progress& progress) const {
        const auto* there = std::get_if<std::shared_ptr<const PointSet>>(&now.source);
        if (!there || (*there)->size() == 0) return;
        const Sources sources(before, (*there)->attributes);
        const size_t count = sources.position.size();
        std::vector<uint32_t> order;
        if (order_ != BirthOrder::Random)
            order = birthOrder(order_, reversed_, (*there)->attributes, point_, direction_, by_, progress);
        const float frame = float((now.frame - before.frame) / now.rate);
        const size_t first = births.count();
        for (size_t k = 0; k < at.size(); ++k) {
            const uint64_t index = born + k, id = uint64_t(number_ + 1) << 40 | index;
            if (now.share < 1.0 && double(random1(1, id, Stream::Show)) >= now.share) continue;
            const uint32_t i = order.empty()
                                   ? uint32_t(std::min<uint64_t>(
                                         count - 1, uint64_t(double(random1(nature_.seed, id, Stream::Pick)) *
                                                             double(count))))
                                   : order[index % order.size()];
            const V3f from = sources.wasAt(i), to = sources.position[i];
            births.add(id, from + (to - from) * float(at[k]), frame > 0 ? (to - from) / frame : V3f(0.0f),
                       sources.normal.empty() ? V3f(0, 1, 0) : sources.normal[i],
                       std::max(0.0f, float(end - at[k]) * frame));
            if (!sources.age.empty()) births.sourceAge.back() = sources.age[i];
        }
        nature_.give(births, first, axis_, progress);
        if (tangent_ != 0.0f)
            for (size_t i = first; i < births.count(); ++i) {
                V3f t, b;
                basis(births.normal[i], t, b);
                const float turn = 2 * kPi * random1(nature_.seed, births.id[i], Stream::Roll);
                births.velocity[i] += (t * std::cos(turn) + b * std::sin(turn)) * tangent_;
            }
    }

    SpawnParameters nature_;
    size_t number_;
    double rate_, burst_, burstAt_, from_, until_, most_;
    BirthOrder order_ = BirthOrder::Random;
    bool reversed_;
    Varying by_;
    V3f point_{0, 0, 0}, direction_{0, 1, 0}, axis_{0, 0, 0};
    float tangent_ = 0;
};

class Branch : public Offspring {
  public:
    explicit Branch(const PartContext& c)
        : nature_(c.params(), kOffspring.spawn), number_(c.number), bit_(int32_t(1) << c.number % 31) {
        const ResolvedParams& p = c.params();
        when_ = p[kOffspring.when];
        count_ = p[kOffspring.count];
        rate_ = p[kOffspring.rate];
        of_ = int32_t(p[kOffspring.of]);
        generations_ = int32_t(p[kOffspring.generations]);
        if (when_ != kAtTheEnd && when_ != kAlongItsPath) condition_.emplace(c, kOffspring.condition, when_);
        if (bearsOnce() && c.number >= 31)
            throw Error("more than 31 of a simulation bear by what holds", {}, "Take some of them away");
    }
    bool together() const override { return condition_ && condition_->together(); }
    bool once() const override { return bearsOnce(); }

    void spawn(const Parents& a, Births& births) override {
        const size_t first = births.count();
        std::vector<uint8_t> holds;
        if (condition_) {
            condition_->all(a.position, a.state);
            holds = condition_->over(a.samples(), a.began);
        }
        std::vector<Clutch> clutches;
        double all = 0;
        for (size_t i = 0; i < a.id.size(); ++i) {
            const Clutch c = clutchOf(a, i, !holds.empty() && holds[i]);
            if (once()) remember(a, i, !holds.empty() && holds[i]);
            if (c.to <= c.from) continue;
            clutches.push_back(c);
            all += double(c.to - c.from);
        }
        const double count = all + double(a.id.size() + births.count());
        if (all > 0) requireMemory(count * kParticleBytes, a.memoryLimit, count);
        for (const Clutch& c : clutches)
            for (int64_t k = c.from; k < c.to; ++k) add(a, c.parent, k, births);
        nature_.give(births, first, V3f(0.0f), Progress::none());
        // The substep is over for all: they have gone on since they were born.
        for (size_t i = first; i < births.count(); ++i)
            births.position[i] += births.velocity[i] * births.late[i];
    }

  private:
    bool bearsOnce() const { return condition_ && when_ != kOnContact; }
    /// Those that one bears in a substep, by their numbers among all that it ever bears.
    struct Clutch {
        size_t parent;
        int64_t from = 0, to = 0;
    };
    Clutch clutchOf(const Parents& a, size_t i, bool holds) const {
        Clutch c{i};
        if ((of_ != 0 && a.group[i] != of_) || a.state[i] != 0 || a.generation[i] >= generations_) return c;
        if (holds && begins(a, i))
            c.from = int64_t(double(a.age[i]) * 1e6) * count_, c.to = c.from + count_;  // other ids each time
        if (when_ == kAtTheEnd && a.died[i]) c.to = count_;
        if (when_ == kAlongItsPath) {
            c.to = int64_t(std::floor(double(a.age[i]) * rate_ + 1e-6));
            c.from = int64_t(std::floor(double(std::max(0.0f, a.age[i] - a.dt)) * rate_ + 1e-6));
        }
        return c;
    }
    /// Whether what holds now did not before; that a contact began is told as such.
    bool begins(const Parents& a, size_t i) const { return !once() || !(a.held[i] & bit_); }
    void remember(const Parents& a, size_t i, bool holds) const {
        a.held[i] = holds ? a.held[i] | bit_ : a.held[i] & ~bit_;
    }
    void add(const Parents& a, size_t i, int64_t k, Births& births) const {
        // Of the part as well: two that bear with the same seed bear others.
        const uint64_t id =
            Hasher().add(nature_.seed).add(uint64_t(number_)).add(a.id[i]).add(uint64_t(k)).value() |
            uint64_t(1) << 63;
        const float late =
            when_ == kAlongItsPath ? std::clamp(a.age[i] - float(double(k + 1) / rate_), 0.0f, a.dt) : 0.0f;
        births.add(id, a.position[i] - a.velocity[i] * late, a.velocity[i],
                   a.normal.empty() ? V3f(0, 1, 0) : a.normal[i], late);
        births.sourceAge.back() = a.age[i];
        births.generation.back() = a.generation[i] + 1;
    }

    SpawnParameters nature_;
    size_t number_;
    std::string when_;
    std::optional<Condition> condition_;
    int64_t count_;
    double rate_;
    int32_t of_, generations_, bit_;  ///< bit_: what in "told" says that its condition held
};

}  // namespace

ParticleModifier emitPart() {
    StepType type = partType(
        "emit", "Emit",
        "Bears particles from the elements before the simulation: points, vertices, curves, other layers",
        kEmit);
    return {type, [](const PartContext& c, ParticleParts& parts) {
                parts.emitters.push_back(std::make_unique<Emit>(c));
                askForColumns(c, kEmit.spawn, parts);
            }};
}

ParticleModifier offspringPart() {
    StepType type = partType(
        "offspring", "Offspring",
        "Particles bear others: when they touch something, at their end, along their way, or when something "
        "begins to hold for them",
        kOffspring);
    type.start[kOffspring.spawn.group.id()].value = int64_t(1);
    type.start[kOffspring.spawn.life.id()].value = Range{0.3, 0.8};
    return {type, [](const PartContext& c, ParticleParts& parts) {
                parts.offspring.push_back(std::make_unique<Branch>(c));
                askForColumns(c, kOffspring.spawn, parts);
            }};
}

}  // namespace ovrix::sim
