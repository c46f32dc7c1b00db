#include "sim/strands/strand_solver.h"

#include <fmt/format.h>

#include <filesystem>
#include <mutex>

#include "base/error.h"
#include "base/parallel.h"
#include "geo/strands/strands.h"
#include "params/param_table.h"
#include "sim/collide/collide.h"
#include "sim/strands/rods.h"
#include "sim/strands/strand_pose.h"
#include "sim/strands/strand_spacing.h"

namespace ovrix::sim {

using namespace specs;

namespace {

ParamSpec poseFile() {
    ParamSpec spec =
        file("starts_as", "Starts as",
             "A still pose in a file of strands; the shape that they keep is the recipe's all the "
             "same. The card's menu keeps one");
    spec.refKind = "strands";
    return spec;
}

const struct SimulateStrandsParams : ParamTable {
    Handle<double> stiff =
        add(number("stiff", "Stiffness", 0.08, "m", 1e-5, 1e4, 0.005, 0.5,
                   "Length of a level strand whose tip sinks by an eighth of it: longer is stiffer"));
    Handle<Curve> along =
        add(profile("along", "Along strand", {{0, 1}, {1, 0.8f}}, "Stiffness from root to tip, as a factor"));
    Handle<double> root =
        add(unitNumber("root", "Root", 1, "1 holds the root's direction, 0 lets it turn freely"));
    Handle<double> shapeMemory =
        add(unitNumber("shape_memory", "Shape memory", 0,
                       "Fraction of the way back to the shape before the simulation, each 1/24 s"));
    Handle<std::string> startsAs = add(poseFile());
    Handle<double> stretch = add(number("stretch", "Stretch", 0, "", 0, 10, 0, 0.3,
                                        "Fraction of its length by which it may be longer"));
    Handle<double> damping = add(number("damping", "Damping", 1, "1/s", 0, 1e4, 0, 20,
                                        "Fraction of its motion that is lost each second"));
    Handle<double> weight = add(
        number("weight", "Weight", 1, "", 1e-6, 1e6, 0.1, 10, "The heavier, the less air takes it along"));
    Handle<double> air = add(number("air", "Air drag", 0.5, "1/s", 0, 1e4, 0, 20, "Air at rest around it"));
    Handle<int64_t> substeps = add(whole("substeps", "Substeps", 4, 1, 1000, 1, 32,
                                         "Parts that each frame is worked out in: more is closer"));
    Handle<int64_t> iterations = add(whole("iterations", "Iterations", 1, 1, 1000, 1, 32,
                                           "Rounds of each substep: more holds stiff strands"));
    BakeParams bake{*this};
} kSimulateStrands;

const struct StrandSpacingParams : ParamTable {
    Handle<double> thickness =
        add(number("thickness", "Thickness", 0.002, "m", 0, 1e4, 0, 0.05, "From middle to middle"));
    Handle<int64_t> rounds =
        add(whole("rounds", "Rounds", 1, 1, 32, 1, 8, "More keeps tighter packed ones apart"));
} kStrandSpacing;

/// What a point takes beside the state before and the recipe's own: its new state, where it started, the rods
/// and what is known of what is near.
constexpr double kStrandPointBytes = 224, kStrandContactBytes = 96;

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
    V3f rootAt(size_t s, float t) const {
        const V3f a = place0[before->start[s]], b = place1[now->start[s]];
        return a + (b - a) * t;
    }
    Quatf frameAt(size_t s, float t) const {
        return Imath::slerpShortestArc(frameOf(frame0, s), frameOf(frame1, s), t);
    }
};

class StrandSolver : public Solver {
  public:
    SolverState begin(const SolverInput& first, Progress& progress) const override {
        const Drive drive(first, first);
        auto set = std::make_shared<StrandSet>(*drive.now);
        progress.check();
        set->points.add<V3f>("v");
        SolverState state{first.frame, set, {}, {}};
        const std::string& pose = (*first.params)[kSimulateStrands.startsAs];
        if (pose.empty()) return state;
        if (const size_t n = takePose(*first.query->strandFile(pose), *set))
            state.notes.push_back(
                fmt::format("{} strand{} not in the pose of {}, with as many points: {} as placed", n,
                            n == 1 ? " is" : "s are", std::filesystem::path(pose).filename().string(),
                            n == 1 ? "it starts" : "they start"));
        return state;
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
        const double points = double(drive.now->pointCount());
        const double each = kStrandPointBytes + (parts.strandThickness > 0 ? kStrandContactBytes : 0.0);
        requireMemory(points * each, now.memoryLimit, points);
        auto set = std::make_shared<StrandSet>(*drive.now);  // colours and widths are those of now
        set->points.set("P", copied<V3f>(old->points, "P"));
        set->points.set("v", copied<V3f>(old->points, "v"));
        Stepping step(*set, drive, parts, *now.params, float((now.frame - before.frame) / now.rate),
                      static_cast<const MemoBox*>(last.memo.get()));
        step.fresh = last.numbers.empty();
        for (int s = 0; s < step.substeps; ++s) {
            const double seconds =
                (before.frame + double(s + 1) / step.substeps * (now.frame - before.frame)) / now.rate;
            renew(parts, before, now, double(s + 1) / step.substeps);
            step.run(s, seconds, progress);
        }
        SolverState state{now.frame, StrandsPtr(set), {kBegun}, parts.notes, nullptr};
        step.say(state.notes);
        state.memo = std::make_shared<const MemoBox>(std::move(step.memo));
        return state;
    }

    Geometry between(const SolverState& a, const SolverState& b, double fraction, double) const override {
        if (fraction <= 0 || &a == &b) return a.geometry;
        if (fraction >= 1) return b.geometry;
        const StrandsPtr from = std::get<StrandsPtr>(a.geometry), to = std::get<StrandsPtr>(b.geometry);
        if (from->start != to->start) return a.geometry;
        auto set = std::make_shared<StrandSet>(*to);
        const auto p = set->points.add<V3f>("P");
        const auto q = from->points.find<V3f>("P");
        for (size_t i = 0; i < p.size(); ++i) p[i] = q[i] + (p[i] - q[i]) * float(fraction);
        const auto root = set->strands.add<V3f>("P");
        const auto before = from->strands.find<V3f>("P");
        for (size_t s = 0; s < root.size() && s < before.size(); ++s)
            root[s] = before[s] + (root[s] - before[s]) * float(fraction);
        return StrandsPtr(set);
    }

  private:
    /// The number of a state that a frame has led to: what begins may lie inside of what it meets.
    static constexpr double kBegun = 1.0;

    template <class T>
    static std::vector<T> copied(const AttributeSet& set, const char* name) {
        const auto column = set.find<T>(name);
        return {column.begin(), column.end()};
    }

    /// Strands of as many points, which are worked out side by side.
    struct Bundle {
        std::array<uint32_t, Rods::kLanes> strand{};
        std::optional<Rods> rods;
    };

    /// The rods, and what they were made from: where that is the same in the next frame, so are they.
    struct RodsMade {
        StrandsPtr from;
        RodNature nature;  ///< without the lengths, which come from the next two
        float stiff = 0, dt = 0;
        Curve along;
        std::vector<Bundle> bundles;
        bool holds(const StrandsPtr& f, const RodNature& n, float s, float d, const Curve& a) const {
            return from == f && nature == n && stiff == s && dt == d && along == a;
        }
    };

    /// What one frame knows that the next may go on with.
    struct Memo {
        std::vector<ContactCache> clear;  ///< of each point
        StrandNeighbours near;
        std::shared_ptr<const RodsMade> rods;
    };
    /// With a state until the next comes from it. It is large: not copied, but handed on. What comes from the
    /// same state once more looks again.
    class MemoBox {
      public:
        explicit MemoBox(std::unique_ptr<Memo> memo) : memo_(std::move(memo)) {}
        std::unique_ptr<Memo> take() const {
            const std::lock_guard lock(mutex_);
            return std::move(memo_);
        }

      private:
        mutable std::mutex mutex_;
        mutable std::unique_ptr<Memo> memo_;
    };

    /// A frame's substeps.
    struct Stepping {
        StrandSet& set;
        const Drive& drive;
        ParticleParts& parts;
        float frame;
        int substeps;
        RodNature nature;
        float damping, drag;
        std::span<V3f> position, velocity;
        float heavy;
        std::span<const uint64_t> ids;  ///< of strands; empty for their numbers
        std::vector<V3f> start;
        std::vector<uint8_t> forced;         ///< of each point: a force on it was no number
        std::vector<uint8_t> frozen, freed;  ///< of each strand; frozen: 1 by a force, 2 by its own solution
        bool fresh = false;
        std::unique_ptr<Memo> memo;

        Stepping(StrandSet& s, const Drive& d, ParticleParts& pp, const ResolvedParams& p, float seconds,
                 const MemoBox* known)
            : set(s), drive(d), parts(pp), frame(seconds), substeps(int(p[kSimulateStrands.substeps])) {
            nature.iterations = int(p[kSimulateStrands.iterations]);
            nature.rootStiffness = float(p[kSimulateStrands.root]);
            nature.keepShape = float(p[kSimulateStrands.shapeMemory]);
            nature.stretch = float(p[kSimulateStrands.stretch]);
            damping = float(p[kSimulateStrands.damping]);
            heavy = float(p[kSimulateStrands.weight]);
            drag = float(p[kSimulateStrands.air]) / heavy;
            position = set.points.add<V3f>("P"), velocity = set.points.add<V3f>("v");
            const size_t n = position.size();
            frozen.assign(set.size(), 0), freed.assign(set.size(), 0);
            if (known) memo = known->take();
            if (!memo) memo = std::make_unique<Memo>();
            memo->clear.resize(parts.colliders.empty() ? 0 : n);
            for (ContactCache& c : memo->clear) c.wake();  // a frame begins with a close look
            ids = std::as_const(set.strands).find<uint64_t>("id");
            const float stiff = float(p[kSimulateStrands.stiff]), dt = frame / float(substeps);
            const Curve& along = p[kSimulateStrands.along];
            if (!memo->rods || !memo->rods->holds(drive.now, nature, stiff, dt, along))
                memo->rods = std::make_shared<const RodsMade>(
                    RodsMade{drive.now, nature, stiff, dt, along, bundled(stiff, dt, along)});
        }

        /// What the artist should know of the frame.
        void say(std::vector<std::string>& notes) const {
            const auto add = [&](size_t n, const char* one, const char* many) {
                if (n) notes.push_back(fmt::format("{} {}", n, n == 1 ? one : many));
            };
            add(size_t(std::count(freed.begin(), freed.end(), 1)),
                "strand began inside of what it collides with, and was moved to its surface",
                "strands began inside of what they collide with, and were moved to its surface");
            add(size_t(std::count(frozen.begin(), frozen.end(), 1)),
                "strand stood still for a while: a force on it was no number",
                "strands stood still for a while: a force on them was no number");
            add(size_t(std::count(frozen.begin(), frozen.end(), 2)),
                "strand stood still for a while, since its shape could not be worked out: use more substeps",
                "strands stood still for a while, since their shape could not be worked out: use more "
                "substeps");
            size_t soft = 0;
            for (const Bundle& b : memo->rods->bundles) soft += b.rods->softened();
            add(soft,
                "strand is less stiff than asked for: it has too many points for that. Resample it to fewer",
                "strands are less stiff than asked for: they have too many points for that. Resample them to "
                "fewer");
        }

        std::vector<Bundle> bundled(float stiff, float dt, const Curve& along) const {
            std::vector<uint32_t> order(set.size());
            for (size_t k = 0; k < order.size(); ++k) order[k] = uint32_t(k);
            std::stable_sort(order.begin(), order.end(),
                             [&](uint32_t a, uint32_t b) { return set.pointsOf(a) < set.pointsOf(b); });
            std::vector<uint32_t> first = {0};
            for (size_t i = 1; i < order.size(); ++i)
                if (i - first.back() == Rods::kLanes || set.pointsOf(order[i]) != set.pointsOf(order[i - 1]))
                    first.push_back(uint32_t(i));
            first.push_back(uint32_t(order.size()));
            std::vector<Bundle> bundles(order.empty() ? 0 : first.size() - 1);
            parallelRanges(bundles.size(), 16, Progress::none(), [&](size_t begin, size_t end) {
                RodNature own = nature;
                for (size_t b = begin; b < end; ++b) {
                    std::array<RodRest, Rods::kLanes> rest;
                    const size_t count = first[b + 1] - first[b];
                    for (size_t lane = 0; lane < count; ++lane) {
                        const uint32_t k = bundles[b].strand[lane] = order[first[b] + lane];
                        rest[lane] = {pointsOf(*drive.now, drive.place1, k), frameOf(drive.frame1, k)};
                    }
                    own.stiffLength.resize(rest[0].points.size() - 1);
                    for (size_t i = 0; i < own.stiffLength.size(); ++i)
                        own.stiffLength[i] =
                            std::max(1e-5f, stiff * along.at(float(i) / float(own.stiffLength.size())));
                    bundles[b].rods.emplace(std::span(rest.data(), count), own, dt);
                }
            });
            return bundles;
        }

        void run(int s, double seconds, Progress& progress) {
            const double from = double(s) / substeps, to = double(s + 1) / substeps;
            const Collisions collisions(parts.colliders, from, to, frame);
            const float dt = frame / float(substeps), left = std::exp(-damping * dt);
            if (std::exchange(fresh, false)) letOut(collisions, progress);
            start.assign(position.begin(), position.end());
            forced.assign(position.size(), 0);
            parallelRanges(position.size(), 512, progress, [&](size_t begin, size_t end) {
                for (size_t at = begin; at < end; at += kBlock)
                    accelerate(at, std::min(end, at + kBlock), dt, seconds);
            });
            const bool apart = parts.strandThickness > 0;
            const std::vector<Bundle>& bundles = memo->rods->bundles;
            parallelRanges(bundles.size(), 4, progress, [&](size_t begin, size_t end) {
                for (size_t b = begin; b < end; ++b) {
                    relax(bundles[b], float(to));
                    if (apart) continue;
                    meet(bundles[b], collisions, dt);
                    finish(bundles[b], float(from), float(to), dt, left);
                }
            });
            if (!apart) return;
            spaceStrands(set, start, position, parts.strandThickness, parts.strandRounds, memo->near,
                         progress);
            parallelRanges(bundles.size(), 4, progress, [&](size_t begin, size_t end) {
                for (size_t b = begin; b < end; ++b) {
                    std::array<std::span<V3f>, Rods::kLanes> lines;
                    const std::array<bool, Rods::kLanes> all{true, true, true, true};
                    bundles[b].rods->keepLengths(linesOf(bundles[b], lines), all);
                    meet(bundles[b], collisions, dt);
                    finish(bundles[b], float(from), float(to), dt, left);
                }
            });
        }

        /// Contacts look only as far as a point may move: what lies deep inside would stay there.
        void letOut(const Collisions& collisions, Progress& progress) {
            parallelRanges(set.size(), 16, progress, [&](size_t begin, size_t end) {
                for (size_t k = begin; k < end; ++k)
                    for (size_t i = set.start[k] + 1; i < set.start[k + 1]; ++i)
                        freed[k] |= uint8_t(collisions.freed(position[i]));
            });
        }

        /// Where forces alone would take the points.
        void accelerate(size_t at, size_t end, float dt, double seconds) {
            const size_t count = end - at;
            V3f acceleration[kBlock], mediumAcceleration[kBlock];
            float dragRate[kBlock];
            std::fill(acceleration, acceleration + count, V3f(0.0f));
            std::fill(mediumAcceleration, mediumAcceleration + count, V3f(0.0f));
            std::fill(dragRate, dragRate + count, drag);
            ParticleBlock b;
            b.begin = at, b.count = count, b.seconds = seconds, b.dt = dt;
            b.position = start.data() + at, b.velocity = velocity.data() + at;
            // What particles have each of their own is the same for all of a strand's points.
            float one[kBlock], zero[kBlock], forever[kBlock], weight[kBlock];
            int32_t group[kBlock];
            uint64_t id[kBlock];
            std::fill(one, one + count, 1.0f), std::fill(zero, zero + count, 0.0f);
            std::fill(forever, forever + count, std::numeric_limits<float>::infinity());
            std::fill(weight, weight + count, heavy), std::fill(group, group + count, 0);
            size_t strand = size_t(std::upper_bound(set.start.begin(), set.start.end(), uint32_t(at)) -
                                   set.start.begin()) -
                            1;
            for (size_t i = 0; i < count; ++i) {
                while (at + i >= set.start[strand + 1]) ++strand;
                id[i] = ids.empty() ? strand : ids[strand];
            }
            b.age = zero, b.life = forever, b.scale = one, b.weight = weight, b.id = id, b.group = group;
            b.acceleration = acceleration, b.dragRate = dragRate, b.mediumAcceleration = mediumAcceleration;
            for (const auto& force : parts.forces) force->act(b);
            float last = -1, left = 1, part = dt;  // most often all have the same grip
            for (size_t i = 0; i < count; ++i) {
                if (dragRate[i] != last) {
                    const float kh = dragRate[i] * dt;
                    last = dragRate[i], left = std::exp(-kh);
                    part = kh > 1e-4f ? (1.0f - left) / dragRate[i] : dt;
                }
                velocity[at + i] = velocity[at + i] * left + (acceleration[i] + mediumAcceleration[i]) * part;
            }
            for (const auto& force : parts.forces) force->hold(b, velocity.data() + at);
            for (size_t i = 0; i < count; ++i) {
                position[at + i] += velocity[at + i] * dt;
                if (!isFinite(position[at + i])) forced[at + i] = 1;
            }
        }

        std::span<const std::span<V3f>> linesOf(const Bundle& b,
                                                std::array<std::span<V3f>, Rods::kLanes>& lines) const {
            for (size_t lane = 0; lane < b.rods->count(); ++lane)
                lines[lane] = position.subspan(set.start[b.strand[lane]], set.pointsOf(b.strand[lane]));
            return {lines.data(), b.rods->count()};
        }

        /// The roots go with what they stand on, the rest as rods do.
        void relax(const Bundle& b, float t) {
            std::array<std::span<V3f>, Rods::kLanes> lines;
            std::array<Quatf, Rods::kLanes> roots;
            const auto used = linesOf(b, lines);
            for (size_t lane = 0; lane < used.size(); ++lane) {
                lines[lane][0] = drive.rootAt(b.strand[lane], t);
                roots[lane] = drive.frameAt(b.strand[lane], t);
            }
            b.rods->relax(used, {roots.data(), used.size()});
        }

        void meet(const Bundle& b, const Collisions& collisions, float dt) {
            if (parts.colliders.empty()) return;
            const float moved = collisions.moved();
            std::array<std::span<V3f>, Rods::kLanes> lines;
            const auto used = linesOf(b, lines);
            std::array<bool, Rods::kLanes> touched{};
            for (size_t lane = 0; lane < used.size(); ++lane) {
                for (size_t i = 1; moved > 0 && i < lines[lane].size(); ++i)
                    memo->clear[set.start[b.strand[lane]] + i].radius -= moved;
                // Pieces of what touches are looked at once, when their lengths are right again.
                touched[lane] = meet(b.strand[lane], lines[lane], collisions, dt) ||
                                meetBetween(b.strand[lane], lines[lane], collisions);
            }
            if (std::none_of(touched.begin(), touched.end(), [](bool t) { return t; })) return;
            b.rods->keepLengths(used, touched);
            for (size_t lane = 0; lane < used.size(); ++lane)
                if (touched[lane]) {
                    meet(b.strand[lane], lines[lane], collisions, dt);
                    meetBetween(b.strand[lane], lines[lane], collisions);
                }
        }

        bool meet(size_t k, std::span<V3f> line, const Collisions& collisions, float dt) {
            bool any = false;
            for (size_t i = 1; i < line.size(); ++i) {
                const size_t at = set.start[k] + i;
                ContactCache& clear = memo->clear[at];
                // Far enough to know of half the piece before it, or all of the root's.
                const auto around = [&] {
                    return (i == 1 ? 1.05f : 0.55f) * (line[i] - line[i - 1]).length();
                };
                if (clear.passes(start[at], line[i], clear.close ? 0.0f : around())) continue;
                const V3f v = (line[i] - start[at]) * (1.0f / dt);
                SweptParticle passage{start[at], v, line[i], v};
                if (!collisions.rests(passage, dt, clear)) collisions.pushOut(passage, dt, clear, around());
                line[i] = passage.x1;
                any |= passage.touched;
            }
            return any;
        }

        /// The pieces between points that are clear by themselves.
        bool meetBetween(size_t k, std::span<V3f> line, const Collisions& collisions) {
            bool any = false;
            const ContactCache* clear = memo->clear.data() + set.start[k];
            for (size_t i = 0; i + 1 < line.size(); ++i) {
                const ContactCache* from = i > 0 ? clear + i : nullptr;
                if (!collisions.clearBetween(line[i], from, line[i + 1], clear[i + 1]))
                    any |= collisions.pushPieceOut(line[i], from, line[i + 1], clear[i + 1]);
            }
            return any;
        }

        /// What is lost of their motion is lost of that within the frame of the root: hair of a runner does
        /// not trail for it.
        void finish(const Bundle& b, float from, float to, float dt, float left) {
            for (size_t lane = 0; lane < b.rods->count(); ++lane) {
                const size_t k = b.strand[lane], begin = set.start[k], end = set.start[k + 1];
                bool good = true, byForce = false;
                for (size_t i = begin; i < end; ++i) good &= isFinite(position[i]), byForce |= forced[i] != 0;
                if (!good) frozen[k] = byForce || frozen[k] == 1 ? 1 : 2;
                const V3f root0 = drive.rootAt(k, from), root1 = drive.rootAt(k, to);
                const Quatf frame0 = drive.frameAt(k, from), frame1 = drive.frameAt(k, to);
                if (good && root0 == root1 && frame0 == frame1) {
                    for (size_t i = begin; i < end; ++i) velocity[i] = (position[i] - start[i]) * (left / dt);
                    continue;
                }
                const Quatf turn = frame1 * frame0.inverse();
                for (size_t i = begin; i < end; ++i) {
                    if (!good) position[i] = start[i];
                    const V3f rigid = root1 + rotate(turn, start[i] - root0);
                    velocity[i] =
                        good ? (rigid + (position[i] - rigid) * left - start[i]) * (1.0f / dt) : V3f(0.0f);
                }
            }
        }
    };
};

}  // namespace

ParticleModifier strandSpacingPart() {
    StepType type =
        partType("strand_spacing", "Keep strands apart", "Strands meet each other", kStrandSpacing);
    type.partOf = {"strands"};
    return {type, [](const PartContext& c, ParticleParts& parts) {
                parts.strandThickness = float(c.params()[kStrandSpacing.thickness]);
                parts.strandRounds = int(c.params()[kStrandSpacing.rounds]);
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
    type.usual = {"strand_wind", "strand_collide", "strand_floor"};
    type.params = kSimulateStrands.specs();
    return solverStep(std::move(type), std::make_shared<const StrandSolver>());
}

}  // namespace ovrix::sim
