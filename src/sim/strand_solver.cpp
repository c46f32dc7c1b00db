#include "sim/strand_solver.h"

#include "base/error.h"
#include "base/parallel.h"
#include "base/specs.h"
#include "geo/strands.h"
#include "sim/collide.h"
#include "sim/rods.h"

namespace ovrix {

using namespace specs;

namespace {

/// The strands that drive the simulated ones: where their roots are at both ends of a frame.
struct Drive {
    StrandsPtr before, now;
    std::span<const V3f> place0, place1;
    std::span<const Quatf> frame0, frame1;

    Drive(const SolverInput& b, const SolverInput& n) {
        const auto take = [](const Geometry& g) {
            const auto* s = std::get_if<StrandsPtr>(&g);
            if (!s) throw Error("takes strands, and gets none");
            return *s;
        };
        before = take(b.source), now = take(n.source);
        place0 = before->points.find<V3f>("P"), place1 = now->points.find<V3f>("P");
        frame0 = before->strands.find<Quatf>("orient"), frame1 = now->strands.find<Quatf>("orient");
    }
    bool alike() const {
        const auto a = before->strands.find<uint64_t>("id"), b = now->strands.find<uint64_t>("id");
        return before->start == now->start && std::equal(a.begin(), a.end(), b.begin(), b.end());
    }
    static Quatf frameOf(std::span<const Quatf> frames, size_t s) {
        return frames.empty() ? Quatf() : frames[s];
    }
    V3f rootAt(size_t s, float t) const {
        const V3f a = place0[before->start[s]], b = place1[now->start[s]];
        return a + (b - a) * t;
    }
    Quatf frameAt(size_t s, float t) const {
        return Imath::slerpShortestArc(frameOf(frame0, s), frameOf(frame1, s), t);
    }
};

/// Closest places of two pieces, as parts of each. Ericson, "Real-Time Collision Detection", 2005,
/// section 5.1.9.
void closestOfPieces(const V3f& p1, const V3f& d1, const V3f& p2, const V3f& d2, float& s, float& t) {
    const V3f r = p1 - p2;
    const float a = d1.dot(d1), e = d2.dot(d2), f = d2.dot(r), c = d1.dot(r), b = d1.dot(d2);
    const float denominator = a * e - b * b;
    s = denominator > 1e-20f ? std::clamp((b * f - c * e) / denominator, 0.0f, 1.0f) : 0.0f;
    t = e > 0 ? (b * s + f) / e : 0.0f;
    if (t < 0) t = 0, s = a > 0 ? std::clamp(-c / a, 0.0f, 1.0f) : 0.0f;
    if (t > 1) t = 1, s = a > 0 ? std::clamp((b - c) / a, 0.0f, 1.0f) : 0.0f;
}

/// Pieces of different strands move apart by half of what is missing; all at once, so that no order counts.
void spaceStrands(const StrandSet& set, std::span<V3f> p, float thickness, int rounds, Progress& progress) {
    std::vector<uint32_t> strand, first;
    float longest = 0;
    for (size_t s = 0; s < set.size(); ++s)
        for (uint32_t k = set.start[s]; k + 1 < set.start[s + 1]; ++k) {
            strand.push_back(uint32_t(s)), first.push_back(k);
            longest = std::max(longest, (p[k + 1] - p[k]).length());
        }
    if (first.empty()) return;
    for (int round = 0; round < rounds; ++round) {
        std::vector<V3f> middles(first.size());
        for (size_t i = 0; i < first.size(); ++i) middles[i] = 0.5f * (p[first[i]] + p[first[i] + 1]);
        const NearestPoints tree(middles);
        std::vector<V3f> moveA(first.size(), V3f(0.0f)), moveB(first.size(), V3f(0.0f));
        parallelRanges(first.size(), 256, progress, [&](size_t begin, size_t end) {
            std::vector<uint32_t> near;
            for (size_t i = begin; i < end; ++i) {
                near.clear();
                tree.within(middles[i], longest + thickness, [&](uint32_t k) {
                    if (strand[k] != strand[i]) near.push_back(k);
                });
                std::sort(near.begin(), near.end());
                const V3f a = p[first[i]], d = p[first[i] + 1] - a;
                int met = 0;
                for (uint32_t k : near) {
                    const V3f b = p[first[k]], e = p[first[k] + 1] - b;
                    float s, t;
                    closestOfPieces(a, d, b, e, s, t);
                    const V3f apart = a + d * s - b - e * t;
                    const float distance = apart.length();
                    if (!(distance < thickness) || !(distance > 1e-9f)) continue;
                    const V3f push = apart * (0.5f * (thickness - distance) / distance);
                    const float norm = (1 - s) * (1 - s) + s * s;
                    moveA[i] += push * ((1 - s) / norm), moveB[i] += push * (s / norm);
                    ++met;
                }
                if (met > 2) moveA[i] *= 2.0f / float(met), moveB[i] *= 2.0f / float(met);
            }
        });
        for (size_t i = 0; i < first.size(); ++i) {  // in the order of pieces: the same sums always
            if (first[i] != set.start[strand[i]]) p[first[i]] += 0.5f * moveA[i];
            p[first[i] + 1] += first[i] + 2 < set.start[strand[i] + 1] ? 0.5f * moveB[i] : moveB[i];
        }
    }
}

class StrandSolver : public Solver {
  public:
    SolverState begin(const SolverInput& first, Progress& progress) const override {
        const Drive drive(first, first);
        auto set = std::make_shared<StrandSet>(*drive.now);
        progress.check();
        set->points.add<V3f>("v");
        return {first.frame, StrandsPtr(set), {}, {}};
    }

    SolverState advance(const SolverState& last, const SolverInput& before, const SolverInput& now,
                        Progress& progress) const override {
        const Drive drive(before, now);
        const StrandsPtr old = std::get<StrandsPtr>(last.geometry);
        if (!drive.alike() || old->start != drive.now->start) {
            SolverState fresh = begin(now, progress);
            fresh.notes.push_back("the strands are others than a frame before: they begin anew");
            return fresh;
        }
        ParticleParts parts = partsOf(before, now);
        auto set = std::make_shared<StrandSet>(*drive.now);  // colours and widths are those of now
        set->points.set("P", copied<V3f>(old->points, "P"));
        set->points.set("v", copied<V3f>(old->points, "v"));
        Stepping step(*set, drive, parts, *now.params, float((now.frame - before.frame) / now.rate));
        for (int s = 0; s < step.substeps; ++s) {
            const double seconds =
                (before.frame + double(s + 1) / step.substeps * (now.frame - before.frame)) / now.rate;
            step.run(s, seconds, progress);
        }
        SolverState state{now.frame, StrandsPtr(set), {}, parts.notes};
        if (const size_t n = step.frozen)
            state.notes.push_back(
                fmt::format("{} strand{} stood still for a while: a force on {} was no number", n,
                            n == 1 ? "" : "s", n == 1 ? "it" : "them"));
        return state;
    }

    Geometry between(const SolverState& a, const SolverState& b, double part, double) const override {
        if (part <= 0 || &a == &b) return a.geometry;
        if (part >= 1) return b.geometry;
        const StrandsPtr from = std::get<StrandsPtr>(a.geometry), to = std::get<StrandsPtr>(b.geometry);
        if (from->start != to->start) return a.geometry;
        auto set = std::make_shared<StrandSet>(*to);
        const auto p = set->points.add<V3f>("P");
        const auto q = from->points.find<V3f>("P");
        for (size_t i = 0; i < p.size(); ++i) p[i] = q[i] + (p[i] - q[i]) * float(part);
        const auto root = set->strands.add<V3f>("P");
        const auto before = from->strands.find<V3f>("P");
        for (size_t s = 0; s < root.size() && s < before.size(); ++s)
            root[s] = before[s] + (root[s] - before[s]) * float(part);
        return StrandsPtr(set);
    }

  private:
    template <class T>
    static std::vector<T> copied(const AttributeSet& set, const char* name) {
        const auto column = set.find<T>(name);
        return {column.begin(), column.end()};
    }

    /// A frame's substeps.
    struct Stepping {
        StrandSet& set;
        const Drive& drive;
        ParticleParts& parts;
        float frame;
        int substeps;
        RodNature nature;
        Curve along;
        float stiff, damping, drag;
        std::span<V3f> position, velocity;
        std::vector<float> one, zero, forever;
        std::vector<int32_t> group;
        std::vector<uint64_t> id;
        std::vector<V3f> start;
        std::atomic<size_t> frozen{0};
        std::vector<RodRest> rest;

        Stepping(StrandSet& s, const Drive& d, ParticleParts& pp, const ResolvedParams& p, float seconds)
            : set(s), drive(d), parts(pp), frame(seconds), substeps(int(p.integer("substeps"))) {
            nature.iterations = int(p.integer("iterations"));
            nature.rootStiffness = float(p.number("root"));
            nature.keepShape = float(p.number("keep"));
            nature.stretch = float(p.number("stretch"));
            stiff = float(p.number("stiff"));
            along = p.profile("along");
            damping = float(p.number("damping"));
            drag = float(p.number("air"));
            position = set.points.add<V3f>("P"), velocity = set.points.add<V3f>("v");
            const size_t n = position.size();
            one.assign(n, 1.0f), zero.assign(n, 0.0f), group.assign(n, 0);
            forever.assign(n, std::numeric_limits<float>::infinity());
            id.resize(n);
            const auto ids = std::as_const(set.strands).find<uint64_t>("id");
            rest.resize(set.size());
            parallelFor(set.size(), Progress::none(), [&](size_t k) {
                for (uint32_t i = set.start[k]; i < set.start[k + 1]; ++i) id[i] = ids.empty() ? k : ids[k];
                rest[k] = RodRest::of(pointsOf(*drive.now, drive.place1, k), Drive::frameOf(drive.frame1, k));
            });
        }

        void run(int s, double seconds, Progress& progress) {
            const double from = double(s) / substeps, to = double(s + 1) / substeps;
            const Collisions collisions(parts.colliders, from, to, frame);
            const float dt = frame / float(substeps);
            start.assign(position.begin(), position.end());
            const Crowd crowd{position, velocity, group, group};
            for (const auto& force : parts.forces) force->look(crowd, progress);
            parallelRanges(set.size(), 8, progress, [&](size_t begin, size_t end) {
                for (size_t k = begin; k < end; ++k) predict(k, float(to), dt, seconds);
                for (size_t k = begin; k < end; ++k) {
                    const std::span<V3f> line = position.subspan(set.start[k], set.pointsOf(k));
                    RodNature own = nature;
                    own.stiffLength.resize(line.size() - 1);
                    for (size_t i = 0; i < own.stiffLength.size(); ++i)
                        own.stiffLength[i] =
                            std::max(1e-5f, stiff * along.at(float(i) / float(own.stiffLength.size())));
                    relaxRod(line, drive.frameAt(k, float(to)), rest[k], own, dt);
                    if (!parts.colliders.empty() && parts.strandThickness <= 0) meet(k, collisions, dt);
                }
            });
            if (parts.strandThickness > 0) {
                spaceStrands(set, position, parts.strandThickness, parts.strandRounds, progress);
                parallelFor(set.size(), progress, [&](size_t k) {
                    keepLengths(position.subspan(set.start[k], set.pointsOf(k)), rest[k].length,
                                nature.stretch);
                    if (!parts.colliders.empty()) meet(k, collisions, dt);
                });
            }
            const float left = std::exp(-damping * dt);
            parallelFor(set.size(), progress, [&](size_t k) { finish(k, dt, left); });
        }

        /// Where forces alone would take the points; the root goes with what it stands on.
        void predict(size_t k, float t, float dt, double seconds) {
            V3f push[kBlock], drift[kBlock];
            float grip[kBlock];
            for (size_t at = set.start[k]; at < set.start[k + 1]; at += kBlock) {
                const size_t count = std::min<size_t>(kBlock, set.start[k + 1] - at);
                std::fill(push, push + count, V3f(0.0f));
                std::fill(drift, drift + count, V3f(0.0f));
                std::fill(grip, grip + count, drag);
                Block b;
                b.begin = at, b.count = count, b.seconds = seconds, b.dt = dt;
                b.position = start.data() + at, b.velocity = velocity.data() + at;
                b.age = zero.data() + at, b.life = forever.data() + at, b.scale = one.data() + at;
                b.id = id.data() + at, b.group = group.data() + at;
                b.push = push, b.grip = grip, b.drift = drift;
                for (const auto& force : parts.forces) force->act(b);
                for (size_t i = 0; i < count; ++i) {
                    const float kh = grip[i] * dt, left = std::exp(-kh);
                    const float part = kh > 1e-4f ? (1.0f - left) / grip[i] : dt;
                    velocity[at + i] = velocity[at + i] * left + (push[i] + drift[i]) * part;
                    position[at + i] += velocity[at + i] * dt;
                }
            }
            position[set.start[k]] = drive.rootAt(k, t);
        }

        void meet(size_t k, const Collisions& collisions, float dt) {
            const std::span<V3f> p = position.subspan(set.start[k], set.pointsOf(k));
            bool any = false;
            for (int round = 0; round < 2; ++round) {
                if (round == 1 && !any) return;  // and lengths have not moved it either
                for (size_t i = 1; i < p.size(); ++i) {
                    const V3f from = start[set.start[k] + i], v = (p[i] - from) / dt;
                    Passage passage{from, v, p[i], v};
                    collisions.pushOut(passage, dt);
                    p[i] = passage.x1;
                    any |= passage.touched;
                }
                if (round == 0 && any) keepLengths(p, rest[k].length, nature.stretch);
            }
        }

        void finish(size_t k, float dt, float left) {
            const size_t begin = set.start[k], end = set.start[k + 1];
            bool good = true;
            for (size_t i = begin; i < end; ++i) good &= isFinite(position[i]);
            if (!good) {
                ++frozen;
                for (size_t i = begin; i < end; ++i) position[i] = start[i], velocity[i] = V3f(0.0f);
                return;
            }
            for (size_t i = begin; i < end; ++i) velocity[i] = (position[i] - start[i]) / dt * left;
        }
    };
};

}  // namespace

ParticlePart strandSpacingPart() {
    StepType type =
        partType("strand_spacing", "Keep strands apart", "Strands meet each other",
                 {number("thickness", "Thickness", 0.002, "m", 0, 1e4, 0, 0.05, "From middle to middle"),
                  whole("rounds", "Rounds", 1, 1, 32, 1, 8, "More keeps tighter packed ones apart")});
    type.partOf = {"strands"};
    return {type, [](const PartContext& c, ParticleParts& parts) {
                parts.strandThickness = float(c.params().number("thickness"));
                parts.strandRounds = int(c.params().integer("rounds"));
            }};
}

StepType simulateStrandsStep() {
    StepType type;
    type.id = "simulate_strands", type.title = "Simulate strands", type.phase = Phase::Move;
    type.help =
        "Guides as elastic rods that hang, sway and meet things; what is filled in later follows them";
    type.takes = GeometryKind::Strands, type.gives = GeometryKind::Strands;
    type.holds = "strands";
    type.startsWith = {"strand_gravity"};
    type.params = {
        number("stiff", "Holds up", 0.08, "m", 1e-5, 1e4, 0.005, 0.5,
               "Length of a level strand whose tip sinks by an eighth of it: longer is stiffer"),
        profile("along", "Along it", {{0, 1}, {1, 0.8f}}, "Stiffness from root to tip, as a factor"),
        unitNumber("root", "Root", 1, "1 holds the root's direction, 0 lets it turn freely"),
        unitNumber("keep", "Keeps shape", 0,
                   "Part of the way back to the shape before the simulation, each 1/24 s"),
        number("stretch", "Stretches by", 0, "", 0, 10, 0, 0.3,
               "Part of its length by which it may be longer"),
        number("damping", "Damping", 1, "1/s", 0, 1e4, 0, 20, "Part of its motion that is lost each second"),
        number("air", "Air drag", 0.5, "1/s", 0, 1e4, 0, 20, "Air at rest around it"),
        whole("substeps", "Substeps", 4, 1, 1000, 1, 32,
              "Parts that each frame is worked out in: more is closer"),
        whole("iterations", "Iterations", 1, 1, 1000, 1, 32,
              "Rounds of each substep: more holds stiff strands")};
    return solverStep(std::move(type), std::make_shared<const StrandSolver>());
}

}  // namespace ovrix
