// What may stand in a simulation of particles: emitters, forces, colliders, rules. Each is declared once, as
// a step is, and adds itself to what a frame is stepped with.
#pragma once
#include "base/error.h"
#include "geo/surface/moving_surface.h"
#include "sim/solver.h"

namespace ovrix::sim {

/// What particles carry. "P", "v" (V3f, m/s), "id", "age" and "life" (float, seconds; life is infinite for
/// those that never end), "scale" (float), "N" (V3f, unit: the source's normal), "group" (int32) and "state"
/// (int32, ParticleState). Where something needs them: "born" (float: the size at birth), "spin" (V3f, rad/s,
/// world), "orient" (Quatf), "weight" (float, kg), "color" (Color), and of those that stick "stuck_in"
/// (int32, the collider), "stuck_triangle", "stuck_bary", "stuck_turn" (Quatf: from the triangle's frame).
/// Where some bear others: "told" (int32: for which offspring what they ask for held at the last substep, a
/// bit each), "met" (int32: 1 from the first touch of something until they are off it again) and "generation"
/// (int32: 0 for those of a source, one more for each offspring).
enum class ParticleState : int32_t {
    Free = 0,
    Waiting = 1,  ///< stands still until it is woken
    Stuck = 2,    ///< goes with a surface
    Frozen = 3,   ///< a force on it was no number
    Ended = 4,    ///< is over, but shown
    Unborn = 5    ///< is shown where it will be born; nothing acts on it
};

/// What a particle takes at most while a frame is worked out: its columns, those of the frame before that
/// stay as they are, and what a substep keeps of it.
inline constexpr double kParticleBytes = 260;

/// How many particles are worked on at a time: so few that all of it stays in a core's nearest memory.
inline constexpr size_t kBlock = 1024;

/// Some particles in a substep, and what acts on them so far.
struct ParticleBlock {
    size_t begin = 0, count = 0;  ///< among all
    double seconds = 0;           ///< of the scene, at the end of the substep
    float dt = 0;                 ///< seconds
    const V3f *position = nullptr, *velocity = nullptr;
    const float *age = nullptr, *life = nullptr, *scale = nullptr, *weight = nullptr;  ///< weight may be null
    const uint64_t* id = nullptr;
    const int32_t* group = nullptr;
    V3f* acceleration = nullptr;        ///< m/s2
    float* dragRate = nullptr;          ///< 1/s: how fast what is around takes it along
    V3f* mediumAcceleration = nullptr;  ///< m/s2: the drag rate of each medium times its velocity
    Samples samples() const;
};

/// All particles, for those parts that look at neighbours: forces at the beginning of a substep, rules at its
/// end.
struct Crowd {
    std::span<const V3f> position, velocity;
    std::span<const int32_t> group, state;
    std::span<const uint64_t> id;
};

/// A number, or a field of it, for those of one group; 0 for others.
struct Strength {
    Varying value;
    int32_t group = 0;  ///< 0 is all
    Strength() = default;
    /// Of strands, which have no groups, all are meant.
    Strength(const ResolvedParams& p, const Handle<Varying>& strength, const Handle<int64_t>& groupOf);
    /// Of each particle of the block.
    void over(const ParticleBlock& block, float* out) const;
    /// Whether a particle of that group is meant.
    bool of(int32_t other) const { return group == 0 || group == other; }
};

class Force {
  public:
    virtual ~Force() = default;
    /// Called before the blocks of a substep.
    virtual void prepare(const Crowd&, Progress&) {}
    virtual void act(ParticleBlock& block) const = 0;
    /// Changes velocities after all forces acted; @p velocity is what they come to.
    virtual void hold(const ParticleBlock&, V3f* /*velocity*/) const {}
    /// Whether particles act on each other: then all are made, also in Draft.
    virtual bool together() const { return false; }
};

enum class OnContact { Slide, Bounce, Stick, End, Wake };

struct Collider {
    MovingSurfacePtr surface;                               ///< null for a plane
    V3f point0{0, 0, 0}, point1{0, 0, 0}, normal{0, 1, 0};  ///< of a plane: at both ends of the frame
    OnContact then = OnContact::Bounce;
    float thickness = 1e-3f;  ///< metres
    float friction = 0, bounce = 0;
    float ahead = 0;     ///< metres from the middle to the tip along a particle's own axis, times its size
    float reach = 0;     ///< metres within which it wakes
    int32_t group = 0;   ///< 0 is all
    Box3f bounds;        ///< of the whole frame; empty for a plane
    bool fresh = false;  ///< it has nothing to do with that of the frame before
};

/// What particles are born with.
struct Births {
    std::vector<uint64_t> id;
    std::vector<V3f> position, velocity, normal, spin;
    std::vector<float> life, size, weight, late;  ///< late: seconds from birth to the end of the substep
    std::vector<float> sourceAge;  ///< seconds that what bears them was old: for fields over age
    std::vector<int32_t> group, state, generation;
    std::vector<Color> color;
    size_t count() const { return id.size(); }
    /// One more, neutral in all but these.
    void add(uint64_t newId, const V3f& position, const V3f& motion, const V3f& out, float lateBy);
};

class Emitter {
  public:
    virtual ~Emitter() = default;
    /// Those born from @p begin to @p end, parts of the frame from 0 to 1. @p numbers are its own and kept.
    virtual void emit(double begin, double end, const SolverInput& before, const SolverInput& now,
                      std::span<double> numbers, Births& births, Progress& progress) const = 0;
    /// Those that are yet to be born, at the end of the frame: as far as it is told how many there will be.
    virtual void await(const SolverInput& /*now*/, std::span<const double> /*numbers*/, Births& /*births*/,
                       std::vector<std::string>& /*notes*/, Progress&) const {}
    static constexpr size_t kNumbers = 2;  ///< how many have been born; the part of the next
};

/// Bears particles from others.
class Offspring {
  public:
    virtual ~Offspring() = default;
    struct Parents {
        std::span<const V3f> position, velocity, normal;
        std::span<const float> age, life, scale;
        std::span<const uint64_t> id;
        std::span<const int32_t> group, state, generation;
        std::span<const uint8_t> began;  ///< in this substep a contact began
        std::span<const uint8_t> died;   ///< in this substep
        std::span<int32_t> held;         ///< "told"
        float dt;
        size_t memoryLimit;  ///< bytes that all particles may take
        Samples samples() const;
    };
    /// Asks for the memory of all that it will bear before it does. Throws Error.
    virtual void spawn(const Parents& parents, Births& births) = 0;
    /// Whether neighbours count.
    virtual bool together() const { return false; }
    /// Whether it must know what held for each before: it bears when that begins.
    virtual bool once() const { return false; }
};

/// Changes what particles are once a substep is over, by one at a time.
class Rule {
  public:
    virtual ~Rule() = default;
    struct View {
        std::span<V3f> position, velocity;
        std::span<float> age, life, scale;
        std::span<int32_t> group, state;
        std::span<const uint64_t> id;
        std::span<Color> color;            ///< empty where none have one
        std::span<const uint8_t> touched;  ///< met something in this substep
        size_t count() const { return position.size(); }
        Samples samples() const;
    };
    /// Called before judging, with all particles as they are judged.
    virtual void prepare(const Crowd&, Progress&) {}
    virtual void apply(View& view) const = 0;
    virtual bool colours() const { return false; }
    virtual bool together() const { return false; }
};

/// How sizes, colours and turns follow from what a particle is, at the end of a frame.
class Appearance {
  public:
    virtual ~Appearance() = default;
    virtual void apply(AttributeSet& particles, float seconds, Progress& progress) const = 0;
};

/// Particles that keep a distance from each other.
class Spacing {
  public:
    virtual ~Spacing() = default;
    struct View {
        std::span<V3f> position, velocity;
        std::span<const float> scale, weight;  ///< weight may be empty
        std::span<const int32_t> state;
        std::span<const uint64_t> id;
    };
    /// Moves those that are too near apart.
    virtual void part(const View& view, Progress& progress) const = 0;
    /// Takes from the velocities of those that touch what goes towards each other: bounce and friction.
    virtual void rub(const View& view, Progress& progress) const = 0;
};

/// All that a frame is stepped with.
struct ParticleParts {
    std::vector<std::unique_ptr<Emitter>> emitters;
    std::vector<std::unique_ptr<Force>> forces;
    std::vector<Collider> colliders;
    std::vector<std::unique_ptr<Offspring>> offspring;
    std::vector<std::unique_ptr<Rule>> rules;
    std::vector<std::unique_ptr<Spacing>> spacings;
    std::vector<std::unique_ptr<Appearance>> appearances;
    bool sticks = false, spins = false, colours = false, weighs = false;  ///< columns that are needed
    float strandThickness = 0;  ///< metres, that strands keep from each other; 0 for none
    int strandRounds = 1;
    std::vector<std::string> notes;
    /// A part that is not the same at both ends of the frame, and where what it added stands.
    struct Changing {
        std::string part;
        size_t number, firstForce, forces, firstRule, rules;
    };
    std::vector<Changing> changing;
};

/// Why a part does nothing: it has nothing to act on. The simulation goes on without it, and says so.
class NothingToActOn : public Error {
  public:
    using Error::Error;
};

/// The integral of a parameter over time, at both ends of a frame.
struct Travelled {
    V3d before{0}, now{0};
    double begin = 0, end = 0;  ///< seconds
    V3d at(double seconds) const {
        return end > begin ? before + (now - before) * ((seconds - begin) / (end - begin)) : now;
    }
};

/// What a part is made from.
struct PartContext {
    const PartInput& part;
    const SolverInput &before, &now;
    size_t number = 0;                                       ///< among the parts of the same type
    double seconds() const { return now.frame / now.rate; }  ///< at the end of the frame
    const ResolvedParams& params() const { return *part.params; }
    /// The world of the frame. Throws Error where there is none.
    SceneQuery& query() const;
    /// How far something has gone whose speed is that parameter: it takes keys without a jump.
    Travelled travelled(const Handle<double>& rate) const { return travelled(rate.id()); }
    Travelled travelled(const Handle<V3f>& velocity) const { return travelled(velocity.id()); }
    /// The surface that a parameter names, or the layer's own where it names none, and the same at rest.
    /// Throws NothingToActOn where there is none, or it has no area.
    SurfacePtr surface(const Handle<std::string>& param, const char* what) const;
    SurfacePtr surfaceAtRest(const Handle<std::string>& param) const;

  private:
    Travelled travelled(const std::string& param) const;
};

struct ParticleModifier {
    StepType step;
    std::function<void(const PartContext&, ParticleParts&)> add;
};

/// All parts of simulations of particles, in the order of menus.
const std::vector<ParticleModifier>& particleParts();

/// Throws Error, naming the part.
ParticleParts partsOf(const SolverInput& before, const SolverInput& now);
/// Makes those forces and rules anew which are not the same throughout the frame, as they are at a part of
/// it, 0 to 1: fields, keys and the objects that they stand on. Throws Error, naming the part.
void renew(ParticleParts& parts, const SolverInput& before, const SolverInput& now, double at);

/// A part that stands among particles.
StepType partType(std::string id, std::string title, std::string help, const ParamTable& params);
/// The same part for strands, as "strand_" and its id, without what it asks of particles alone: groups, what
/// becomes of those that meet something, and tips.
ParticleModifier onStrands(ParticleModifier part);
/// What a solver's bake is used for, and its format.
struct BakeParams {
    explicit BakeParams(ParamTable& table);
    Handle<std::string> use, as;
};

/// The handles that all solvers' steps have alike.
extern const struct AnySolverParams : ParamTable { BakeParams bake{*this}; } kSolver;

/// A step that only works frame by frame, with its solver.
StepType solverStep(StepType type, std::shared_ptr<const Solver> solver);

/// The way, of unit length, from one to another that lies at the same place: each has a direction of its own
/// by id.
V3f apartBy(uint64_t from, uint64_t to);

/// "group" as all forces have it.
ParamSpec groupSpec();
/// A drivable "strength".
ParamSpec strengthOf(double value, std::string unit, double hard, double softMin, double softMax,
                     std::string help);

}  // namespace ovrix::sim
