#include "sim/particles/particle_solver.h"

#include <fmt/format.h>

#include <atomic>

#include "base/error.h"
#include "base/parallel.h"
#include "geo/strands/strands.h"
#include "params/param_table.h"
#include "sim/collide/collide.h"
#include "sim/particles/particles_between.h"

namespace ovrix::sim {

using namespace specs;

namespace {

const struct SimulateParams : ParamTable {
    Handle<int64_t> substeps = add(whole("substeps", "Substeps", 2, 1, 1000, 1, 16,
                                         "Parts that each frame is worked out in: more is closer"));
    Handle<double> fastest = add(number("fastest", "Speed limit", 1000, "m/s", 1e-6, 1e9, 1, 1000,
                                        "What would be faster is held to it, and counted"));
    Handle<bool> showBefore =
        add(flag("show_before", "Shown before", false,
                 "Those yet to be born wait where they will be, as far as At most says how many"));
    Handle<bool> keepEnded =
        add(flag("keep_ended", "Shown after", false, "Those that ended stay where they were"));
    Handle<bool> waiting = add(flag("waiting", "Points wait", false,
                                    "Without an emitter: the points stand still until something wakes them"));
    BakeParams bake{*this};
} kSimulate;

/// All columns that a substep works on.
struct Columns {
    std::span<V3f> position, velocity;
    std::span<float> age;
    std::span<const float> life, scale;  ///< most often shared with the frame before
    std::span<const int32_t> group;
    std::span<float> ownLife, ownScale;  ///< the same where something may change them; else empty
    std::span<int32_t> ownGroup, state;
    std::span<const uint64_t> id;
    std::span<const float> weight;
    std::span<Color> color;
    std::span<Quatf> turn, stuckTurn;
    std::span<int32_t> stuckIn, triangle, met;
    std::span<V2f> bary;

    explicit Columns(AttributeSet& a, const ParticleParts& parts)
        : position(a.add<V3f>("P")), velocity(a.add<V3f>("v")), age(a.add<float>("age")) {
        bool changes = !parts.rules.empty();
        for (const Collider& k : parts.colliders) changes |= k.then == OnContact::End;
        if (changes) {
            ownLife = a.add<float>("life"), ownScale = a.add<float>("scale");
            ownGroup = a.add<int32_t>("group");
        }
        life = std::as_const(a).find<float>("life"), scale = std::as_const(a).find<float>("scale");
        group = std::as_const(a).find<int32_t>("group");
        state = a.add<int32_t>("state");
        id = a.find<uint64_t>("id");
        weight = a.find<float>("weight");
        if (a.has("color")) color = a.add<Color>("color");
        if (a.has("orient")) turn = a.add<Quatf>("orient");
        if (a.has("met")) met = a.add<int32_t>("met");
        if (!a.has("stuck_in")) return;
        stuckIn = a.add<int32_t>("stuck_in"), triangle = a.add<int32_t>("stuck_triangle");
        bary = a.add<V2f>("stuck_bary"), stuckTurn = a.add<Quatf>("stuck_turn");
    }
};

/// Speed and place after @p h seconds of dv/dt = push + drift - grip v.
inline void integrate(const V3f& acceleration, float dragRate, const V3f& mediumAcceleration, float h,
                      const V3f& x0, const V3f& v0, V3f& x1, V3f& v1) {
    const V3f a = acceleration + mediumAcceleration;
    const float kh = dragRate * h;
    if (kh < 1e-4f) {  // the same to what floats hold
        v1 = v0 + (a - v0 * dragRate) * h;
        x1 = x0 + (v0 + v1) * (0.5f * h);
        return;
    }
    const float left = std::exp(-kh), part = (1.0f - left) / dragRate;
    const V3f end = a / dragRate;
    v1 = end + (v0 - end) * left;
    x1 = x0 + end * h + (v0 - end) * part;
}

/// A substep of all particles, block by block.
class Substep {
  public:
    Substep(AttributeSet& a, ParticleParts& parts, const StepSettings& settings, double begin, double end,
            float frame, double seconds, std::span<const float> late)
        : parts_(parts),
          settings_(settings),
          c_(a, parts),
          collisions_(parts.colliders, begin, end, frame),
          dt_(float(end - begin) * frame),
          seconds_(seconds),
          late_(late),
          firstLate_(a.size() - late.size()),
          touched_(a.size()),
          began_(a.has("met") ? a.size() : 0) {
        for (const Collider& k : parts.colliders) wakes_ |= k.then == OnContact::Wake;
    }

    void run(Progress& progress) {
        parallelRanges(c_.position.size(), kBlock, progress, [&](size_t begin, size_t end) {
            for (size_t at = begin; at < end; at += kBlock) block(at, std::min(end, at + kBlock));
        });
    }
    /// Those whose contact began.
    std::span<const uint8_t> began() const { return began_; }
    bool collides() const { return !collisions_.empty(); }

    /// Particles that were moved apart go no farther than what they meet lets them; @p from  where they were.
    void keepOut(std::span<const V3f> from, Progress& progress) {
        parallelRanges(from.size(), kBlock, progress, [&](size_t begin, size_t end) {
            for (size_t i = begin; i < end; ++i)
                if (c_.state[i] == 0 && c_.position[i] != from[i])
                    collisions_.keepOut(from[i], c_.position[i], c_.velocity[i], c_.scale[i], c_.group[i],
                                        c_.turn.empty() ? nullptr : &c_.turn[i]);
        });
    }

    /// What rules make of all, once all are where they are at the end.
    void rules(Progress& progress) {
        if (parts_.rules.empty()) return;
        const Crowd crowd{c_.position, c_.velocity, c_.group, c_.state, c_.id};
        for (const auto& rule : parts_.rules) rule->prepare(crowd, progress);
        parallelRanges(c_.position.size(), kBlock, progress,
                       [&](size_t begin, size_t end) { rules(begin, end); });
    }
    Columns& columns() { return c_; }
    size_t held() const { return held_; }

  private:
    float timeOf(size_t i) const { return i < firstLate_ ? dt_ : late_[i - firstLate_]; }

    void block(size_t begin, size_t end) {
        const size_t count = end - begin;
        if (parts_.forces.empty() && parts_.colliders.empty()) return coast(begin, end);
        V3f acceleration[kBlock], mediumAcceleration[kBlock], x1[kBlock], v1[kBlock], forced[kBlock],
            half[kBlock];
        float dragRate[kBlock];
        std::fill(acceleration, acceleration + count, V3f(0.0f));
        std::fill(mediumAcceleration, mediumAcceleration + count, V3f(0.0f));
        std::fill(dragRate, dragRate + count, 0.0f);
        ParticleBlock b;
        b.begin = begin, b.count = count, b.seconds = seconds_, b.dt = dt_;
        b.position = half, b.velocity = c_.velocity.data() + begin;
        b.age = c_.age.data() + begin, b.life = c_.life.data() + begin, b.scale = c_.scale.data() + begin;
        b.weight = c_.weight.empty() ? nullptr : c_.weight.data() + begin;
        b.id = c_.id.data() + begin, b.group = c_.group.data() + begin;
        b.acceleration = acceleration, b.dragRate = dragRate, b.mediumAcceleration = mediumAcceleration;
        // Asked half way, forces that change with the place are met to the second order.
        for (size_t i = 0; i < count; ++i)
            half[i] = c_.position[begin + i] + c_.velocity[begin + i] * (0.5f * timeOf(begin + i));
        for (const auto& force : parts_.forces) force->act(b);
        b.position = c_.position.data() + begin;
        for (size_t i = 0; i < count; ++i)
            integrate(acceleration[i], dragRate[i], mediumAcceleration[i], timeOf(begin + i), b.position[i],
                      b.velocity[i], x1[i], v1[i]);
        std::copy(v1, v1 + count, forced);
        for (const auto& force : parts_.forces) force->hold(b, v1);
        for (size_t i = 0; i < count; ++i) {
            if (v1[i] != forced[i]) x1[i] = b.position[i] + v1[i] * timeOf(begin + i);
            settle(begin + i, x1[i], v1[i]);
        }
    }

    /// Nothing acts on them.
    void coast(size_t begin, size_t end) {
        for (size_t i = begin; i < end; ++i) {
            if (c_.state[i] != 0) continue;
            const float h = timeOf(i);
            c_.position[i] += c_.velocity[i] * h;
            c_.age[i] += h;
        }
    }

    void settle(size_t i, const V3f& x1, const V3f& v1) {
        const auto state = ParticleState(c_.state[i]);
        if (state == ParticleState::Stuck) return moveWith(i);
        if (state == ParticleState::Waiting && wakes_ && collisions_.wakes(c_.position[i], c_.group[i]))
            c_.state[i] = 0;
        if (c_.state[i] != 0) return;
        c_.age[i] += timeOf(i);
        V3f v = v1, x = x1;
        if (!isFinite(x) || !isFinite(v)) {
            c_.state[i] = int32_t(ParticleState::Frozen);
            c_.velocity[i] = V3f(0.0f);
            return;
        }
        if (const float speed = v.length(); speed > settings_.fastest) {
            v *= settings_.fastest / speed;
            x = c_.position[i] + v * timeOf(i);
            ++held_;
        }
        if (collisions_.empty()) {
            c_.position[i] = x, c_.velocity[i] = v;
            return;
        }
        SweptParticle p{.x0 = c_.position[i],
                        .v0 = c_.velocity[i],
                        .x1 = x,
                        .v1 = v,
                        .scale = c_.scale[i],
                        .group = c_.group[i],
                        .turn = c_.turn.empty() ? nullptr : &c_.turn[i]};
        collisions_.settle(p);
        c_.position[i] = p.x1, c_.velocity[i] = p.v1;
        touched_[i] = p.touched;
        if (!began_.empty()) contact(i, p.touched);
        if (p.ended) c_.ownLife[i] = std::min(c_.life[i], c_.age[i]);
        if (p.stuckIn != 0) stick(i, p);
    }

    /// A contact begins with a touch, and ends when it is off what it touched by more than the thickness:
    /// what lies on something touches it again and again, and that is one contact.
    void contact(size_t i, bool touched) {
        began_[i] = touched && !c_.met[i];
        c_.met[i] = touched || (c_.met[i] && collisions_.near(c_.position[i], c_.scale[i], c_.group[i],
                                                              c_.turn.empty() ? nullptr : &c_.turn[i]));
    }

    void stick(size_t i, const SweptParticle& p) {
        c_.state[i] = int32_t(ParticleState::Stuck);
        c_.stuckIn[i] = p.stuckIn, c_.triangle[i] = int32_t(p.triangle), c_.bary[i] = p.bary;
        const Quatf frame = collisions_.frameOf(p.stuckIn, p.triangle);
        if (c_.turn.empty()) return;
        c_.stuckTurn[i] = ~frame * c_.turn[i];
    }

    void moveWith(size_t i) {
        // On a mesh the tip has its place; over a plane all of it moves along.
        const Collider& collider = parts_.colliders[size_t(std::abs(c_.stuckIn[i])) - 1];
        const float ahead = collider.surface && !c_.turn.empty() ? collider.ahead * c_.scale[i] : 0.0f;
        Quatf frame;
        V3f position = c_.position[i];
        if (ahead != 0) position += rotate(c_.turn[i], V3f(0, ahead, 0));
        uint32_t triangle = uint32_t(c_.triangle[i]);
        if (collisions_.rebind(c_.stuckIn[i], position, triangle, c_.bary[i])) {
            c_.triangle[i] = int32_t(triangle);
            if (!c_.turn.empty())
                c_.stuckTurn[i] = ~collisions_.frameOf(c_.stuckIn[i], triangle) * c_.turn[i];
        }
        collisions_.moveWith(c_.stuckIn[i], triangle, c_.bary[i], position, c_.velocity[i], frame);
        if (!c_.turn.empty()) c_.turn[i] = frame * c_.stuckTurn[i];
        if (ahead != 0) position -= rotate(c_.turn[i], V3f(0, ahead, 0));
        c_.position[i] = position;
        c_.age[i] += dt_;
    }

    void rules(size_t begin, size_t end) {
        const size_t n = end - begin;
        Rule::View v{.position = c_.position.subspan(begin, n),
                     .velocity = c_.velocity.subspan(begin, n),
                     .age = c_.age.subspan(begin, n),
                     .life = c_.ownLife.subspan(begin, n),
                     .scale = c_.ownScale.subspan(begin, n),
                     .group = c_.ownGroup.subspan(begin, n),
                     .state = c_.state.subspan(begin, n),
                     .id = c_.id.subspan(begin, n),
                     .color = c_.color.empty() ? std::span<Color>() : c_.color.subspan(begin, n),
                     .touched = {touched_.data() + begin, n}};
        for (const auto& rule : parts_.rules) rule->apply(v);
    }

    ParticleParts& parts_;
    const StepSettings& settings_;
    Columns c_;
    Collisions collisions_;
    float dt_;
    double seconds_;
    std::span<const float> late_;
    size_t firstLate_;
    bool wakes_ = false;
    std::vector<uint8_t> touched_, began_;
    std::atomic<size_t> held_{0};
};

/// Adds the newborn behind the others.
void append(AttributeSet& a, const Births& b, const ParticleParts& parts) {
    const size_t old = a.size(), count = b.count();
    if (!count) return;
    a.resize(old + count);
    const auto put = [&](auto column, const auto& values) {
        std::copy(values.begin(), values.end(), column.begin() + std::ptrdiff_t(old));
    };
    put(a.add<V3f>("P"), b.position);
    put(a.add<V3f>("v"), b.velocity);
    put(a.add<V3f>("N"), b.normal);
    put(a.add<uint64_t>("id"), b.id);
    put(a.add<float>("life"), b.life);
    put(a.add<float>("scale"), b.size);
    put(a.add<float>("born"), b.size);
    put(a.add<int32_t>("group"), b.group);
    put(a.add<int32_t>("state"), b.state);
    if (!parts.offspring.empty()) {
        a.add<int32_t>("told"), a.add<int32_t>("met");
        put(a.add<int32_t>("generation"), b.generation);
    }
    if (parts.weighs) put(a.add<float>("weight", 1.0f), b.weight);
    if (parts.colours) put(a.add<Color>("color", Color(1.0f)), b.color);
    if (!parts.spins && !parts.sticks) return;
    put(a.add<V3f>("spin"), b.spin);
    const auto turn = a.add<Quatf>("orient");
    for (size_t i = 0; i < count; ++i) {
        const V3f& direction = b.velocity[i].length() > 1e-4f ? b.velocity[i] : b.normal[i];
        turn[old + i] = direction.length() > 0 ? turnBetween(V3f(0, 1, 0), direction.normalized()) : Quatf();
    }
}

/// Gives particles all columns that the parts ask for, and lets go those that stick to what is no longer
/// there.
void complete(AttributeSet& a, const ParticleParts& parts) {
    const auto need = [&]<class T>(const char* name, const T& fill) {
        if (!a.has(name)) a.add<T>(name, fill);  // those that are there stay shared
    };
    for (const char* name : {"P", "v", "N"}) need(name, V3f(0.0f));
    for (const char* name : {"age", "life", "scale", "born"}) need(name, 0.0f);
    for (const char* name : {"group", "state"}) need(name, int32_t(0));
    need("id", uint64_t(0));
    if (!parts.offspring.empty())
        for (const char* name : {"told", "met", "generation"}) need(name, int32_t(0));
    if (parts.weighs) need("weight", 1.0f);
    if (parts.colours) need("color", Color(1.0f));
    if (parts.spins || parts.sticks) need("spin", V3f(0.0f)), need("orient", Quatf());
    if (parts.sticks) need("stuck_in", int32_t(0)), need("stuck_triangle", int32_t(0));
    if (parts.sticks) need("stuck_bary", V2f(0.0f)), need("stuck_turn", Quatf());
    if (!a.has("stuck_in")) return;
    const auto in = std::as_const(a).find<int32_t>("stuck_in");
    for (size_t i = 0; i < in.size(); ++i)
        if (size_t(std::abs(in[i])) > parts.colliders.size()) {
            a.add<int32_t>("stuck_in")[i] = 0;
            a.add<int32_t>("state")[i] = int32_t(ParticleState::Free);
        }
}

/// Takes out those whose life is over, or stops them where they are shown after it.
void removeDead(AttributeSet& a, bool keep) {
    const auto age = a.find<float>("age"), life = a.find<float>("life");
    std::vector<uint32_t> stay;
    size_t over = 0;
    for (size_t i = 0; i < a.size(); ++i) over += !(age[i] < life[i]);
    if (!over) return;
    if (keep) {
        const auto state = a.add<int32_t>("state");
        const auto velocity = a.add<V3f>("v");
        for (size_t i = 0; i < a.size(); ++i)
            if (!(age[i] < life[i])) state[i] = int32_t(ParticleState::Ended), velocity[i] = V3f(0.0f);
        return;
    }
    stay.reserve(a.size() - over);
    for (size_t i = 0; i < a.size(); ++i)
        if (age[i] < life[i]) stay.push_back(uint32_t(i));
    a = a.gathered(stay);
}

/// Moves those that are too near apart, never into what they meet, and lets them bounce and rub.
void space(Substep& step, const ParticleParts& parts, Progress& progress) {
    Columns& c = step.columns();
    const Spacing::View view{.position = c.position,
                             .velocity = c.velocity,
                             .scale = c.scale,
                             .weight = c.weight,
                             .state = c.state,
                             .id = c.id};
    for (const auto& spacing : parts.spacings) {
        const std::vector<V3f> from(c.position.begin(), c.position.end());
        spacing->part(view, progress);
        if (step.collides()) step.keepOut(from, progress);
        spacing->rub(view, progress);
    }
}

}  // namespace

void stepParticles(AttributeSet& particles, ParticleParts& parts, const StepSettings& settings, double begin,
                   double end, float frame, double seconds, std::span<const float> late, StepCounts& counts,
                   Progress& progress) {
    {
        const Crowd crowd{particles.find<V3f>("P"), particles.find<V3f>("v"),
                          particles.find<int32_t>("group"), particles.find<int32_t>("state"),
                          particles.find<uint64_t>("id")};
        for (const auto& force : parts.forces) force->prepare(crowd, progress);
    }
    Births children;
    {
        Substep step(particles, parts, settings, begin, end, frame, seconds, late);
        step.run(progress);
        counts.held = std::max(counts.held, step.held());  // the same ones, mostly, in each substep
        Columns& c = step.columns();
        if (!parts.spacings.empty()) space(step, parts, progress);
        step.rules(progress);
        if (!parts.offspring.empty()) {
            std::vector<uint8_t> died(particles.size());
            for (size_t i = 0; i < died.size(); ++i)
                died[i] = !(c.age[i] < c.life[i]) && c.state[i] != int32_t(ParticleState::Ended);
            const Offspring::Parents parents{.position = c.position,
                                             .velocity = c.velocity,
                                             .normal = particles.find<V3f>("N"),
                                             .age = c.age,
                                             .life = c.life,
                                             .scale = c.scale,
                                             .id = c.id,
                                             .group = c.group,
                                             .state = c.state,
                                             .generation = particles.find<int32_t>("generation"),
                                             .began = step.began(),
                                             .died = died,
                                             .held = particles.add<int32_t>("told"),
                                             .dt = float(end - begin) * frame,
                                             .memoryLimit = settings.memoryLimit};
            for (const auto& o : parts.offspring) o->spawn(parents, children);
        }
    }
    removeDead(particles, settings.keepEnded);
    const size_t old = particles.size();
    append(particles, children, parts);  // with what they had of the substep
    std::copy(children.late.begin(), children.late.end(),
              particles.add<float>("age").begin() + std::ptrdiff_t(old));
}

namespace {

using PointsPtr = std::shared_ptr<const PointSet>;

class ParticleSolver : public Solver {
  public:
    SolverState begin(const SolverInput& first, Progress& progress) const override {
        ParticleParts parts = partsOf(first, first);
        SolverInput in = first;
        if (acrossAll(parts)) in.share = 1.0;
        SolverState state{first.frame, {}, {}, {}};
        state.numbers.assign(parts.emitters.size() * Emitter::kNumbers, 0.0);
        AttributeSet a;
        complete(a, parts);
        StepCounts counts;
        Births births;
        if (parts.emitters.empty())
            bearAll(in, births);
        else
            for (size_t e = 0; e < parts.emitters.size(); ++e)
                parts.emitters[e]->emit(0, 0, in, in, numbersOf(state, e), births, progress);
        free(parts, births, 0, 0, float(1.0 / in.rate), counts);
        append(a, births, parts);
        return finished(std::move(state), std::move(a), parts, in, 0.0f, counts, progress);
    }

    SolverState advance(const SolverState& last, const SolverInput& before, const SolverInput& now,
                        Progress& progress) const override {
        ParticleParts parts = partsOf(before, now);
        SolverInput in = now;
        if (acrossAll(parts)) in.share = 1.0;
        SolverState state{now.frame, {}, last.numbers, {}};
        AttributeSet a = bornOf(std::get<PointsPtr>(last.geometry)->attributes);
        complete(a, parts);
        state.numbers.resize(parts.emitters.size() * Emitter::kNumbers, 0.0);
        StepSettings settings = settingsOf(*now.params);
        settings.memoryLimit = now.memoryLimit;
        const float frame = float((now.frame - before.frame) / now.rate);
        StepCounts counts;
        for (int s = 0; s < settings.substeps; ++s) {
            const double from = double(s) / settings.substeps, to = double(s + 1) / settings.substeps;
            Births births;
            for (size_t e = 0; e < parts.emitters.size(); ++e)
                parts.emitters[e]->emit(from, to, before, in, numbersOf(state, e), births, progress);
            free(parts, births, from, to, frame, counts);
            append(a, births, parts);
            requireMemory(double(a.size()) * kParticleBytes, now.memoryLimit, double(a.size()));
            const double seconds = (before.frame + to * (now.frame - before.frame)) / now.rate;
            renew(parts, before, now, to);
            stepParticles(a, parts, settings, from, to, frame, seconds, births.late, counts, progress);
        }
        return finished(std::move(state), std::move(a), parts, in, frame, counts, progress);
    }

    Geometry between(const SolverState& a, const SolverState& b, double fraction,
                     double rate) const override {
        return particlesBetween(a, b, fraction, rate);
    }

  private:
    static bool acrossAll(const ParticleParts& parts) {
        for (const auto& f : parts.forces)
            if (f->together()) return true;
        for (const auto& r : parts.rules)
            if (r->together()) return true;
        for (const auto& o : parts.offspring)
            if (o->together()) return true;
        return !parts.spacings.empty();
    }

    static std::span<double> numbersOf(SolverState& state, size_t emitter) {
        return {state.numbers.data() + emitter * Emitter::kNumbers, Emitter::kNumbers};
    }

    static StepSettings settingsOf(const ResolvedParams& p) {
        return {int(p[kSimulate.substeps]), float(p[kSimulate.fastest]), p[kSimulate.keepEnded], SIZE_MAX};
    }

    /// Without an emitter every element is a particle from the first frame on.
    static void bearAll(const SolverInput& in, Births& births) {
        const auto* points = std::get_if<PointsPtr>(&in.source);
        if (!points) return;
        const AttributeSet& a = (*points)->attributes;
        const auto p = a.find<V3f>("P"), n = a.find<V3f>("N"), v = a.find<V3f>("v");
        const auto id = a.find<uint64_t>("id");
        const auto scale = a.find<float>("scale");
        const auto color = a.find<Color>("color");
        const bool waits = (*in.params)[kSimulate.waiting];
        for (size_t i = 0; i < p.size(); ++i) {
            const uint64_t own = id.empty() ? i : id[i];
            if (in.share < 1.0 && double(random1(1, own, Stream::Show)) >= in.share) continue;
            births.add(own, p[i], v.empty() ? V3f(0.0f) : v[i], n.empty() ? V3f(0, 1, 0) : n[i], 0.0f);
            if (!scale.empty()) births.size.back() = scale[i];
            if (!color.empty()) births.color.back() = color[i];
            if (waits) births.state.back() = int32_t(ParticleState::Waiting);
        }
    }

    static void free(const ParticleParts& parts, Births& births, double from, double to, float frame,
                     StepCounts& counts) {
        if (parts.colliders.empty() || !births.count()) return;
        const Collisions collisions(parts.colliders, from, to, frame);
        for (V3f& p : births.position) counts.freed += collisions.freed(p);
    }

    /// Without those that are only shown before their birth.
    static AttributeSet bornOf(const AttributeSet& a) {
        const auto state = a.find<int32_t>("state");
        std::vector<uint32_t> born;
        for (size_t i = 0; i < state.size(); ++i)
            if (state[i] != int32_t(ParticleState::Unborn)) born.push_back(uint32_t(i));
        return born.size() == state.size() ? a : a.gathered(born);
    }

    /// Adds those yet to be born, behind all others: turned as they will start, and at rest.
    static void await(SolverState& state, AttributeSet& a, const ParticleParts& parts, const SolverInput& in,
                      Progress& progress) {
        Births births;
        for (size_t e = 0; e < parts.emitters.size(); ++e)
            parts.emitters[e]->await(in, numbersOf(state, e), births, state.notes, progress);
        const size_t old = a.size();
        append(a, births, parts);
        if (!births.count()) return;
        const auto velocity = a.add<V3f>("v");
        const auto states = a.add<int32_t>("state");
        for (size_t i = old; i < a.size(); ++i)
            velocity[i] = V3f(0.0f), states[i] = int32_t(ParticleState::Unborn);
    }

    static SolverState finished(SolverState state, AttributeSet a, const ParticleParts& parts,
                                const SolverInput& in, float seconds, const StepCounts& counts,
                                Progress& progress) {
        state.notes = parts.notes;
        if ((*in.params)[kSimulate.showBefore]) await(state, a, parts, in, progress);
        for (const auto& prepare : parts.appearances) prepare->apply(a, seconds, progress);
        size_t frozen = 0;
        for (int32_t s : a.find<int32_t>("state")) frozen += s == int32_t(ParticleState::Frozen);
        const auto say = [&](size_t count, const char* one, const char* many) {
            if (count) state.notes.push_back(fmt::format("{} {}", count, count == 1 ? one : many));
        };
        say(frozen, "particle is frozen: a force on it was no number",
            "particles are frozen: a force on them was no number");
        say(counts.held,
            "particle was too fast and is held to the highest speed: use more substeps or less force",
            "particles were too fast and are held to the highest speed: use more substeps or less force");
        say(counts.freed, "particle began inside of what it meets, and was moved to its surface",
            "particles began inside of what they meet, and were moved to its surface");
        state.geometry = std::make_shared<const PointSet>(PointSet{std::move(a)});
        return state;
    }
};

}  // namespace

StepType simulateStep() {
    StepType type;
    type.id = "simulate", type.title = "Simulate", type.phase = Phase::Move;
    type.help = "Particles born from these points, or the points themselves, moved by forces frame by frame";
    type.takes = GeometryKind::Points, type.gives = GeometryKind::Points;
    type.holds = "particles";
    type.startsWith = {"emit", "gravity"};
    type.usual = {"floor", "collide", "wind"};
    type.params = kSimulate.specs();
    return solverStep(std::move(type), std::make_shared<const ParticleSolver>());
}

}  // namespace ovrix::sim
