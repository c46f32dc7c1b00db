#include "sim/particle_parts.h"

#include <fmt/format.h>

#include <set>

#include "base/error.h"
#include "params/param_table.h"

namespace ovrix::sim {

Samples ParticleBlock::samples() const {
    return Samples({position, count})
        .with(channel::velocity, {velocity, count})
        .with(channel::age, {age, count})
        .with(channel::life, {life, count})
        .with(channel::scale, {scale, count})
        .with(channel::id, {id, count});
}

Samples Rule::View::samples() const {
    return Samples(position)
        .with(channel::velocity, velocity)
        .with(channel::age, age)
        .with(channel::life, life)
        .with(channel::scale, scale)
        .with(channel::id, id);
}

Samples Offspring::Parents::samples() const {
    return Samples(position)
        .with(channel::normal, normal)
        .with(channel::velocity, velocity)
        .with(channel::age, age)
        .with(channel::life, life)
        .with(channel::scale, scale)
        .with(channel::id, id);
}

Strength::Strength(const ResolvedParams& p, const Handle<Varying>& strength, const Handle<int64_t>& groupOf)
    : value(p[strength]) {
    if (p.has(groupOf)) group = int32_t(p[groupOf]);
}

void Strength::over(const ParticleBlock& block, float* out) const {
    if (value.constant()) {
        std::fill(out, out + block.count, value.high);
    } else {
        value.field->evaluate(block.samples(), {out, block.count});
        for (size_t i = 0; i < block.count; ++i) out[i] = lerp(value.low, value.high, out[i]);
    }
    if (group != 0)
        for (size_t i = 0; i < block.count; ++i)
            if (!of(block.group[i])) out[i] = 0.0f;
}

StepType partType(std::string id, std::string title, std::string help, const ParamTable& params) {
    StepType type;
    type.id = std::move(id), type.title = std::move(title), type.help = std::move(help);
    type.phase = Phase::Move;
    type.partOf = {"particles"};
    type.params = params.specs();
    return type;
}

ParticleModifier onStrands(ParticleModifier part) {
    const std::set<std::string> ofParticles = {"group", "then", "bounce", "ahead"};
    part.step.id = "strand_" + part.step.id;
    part.step.partOf = {"strands"};
    std::erase_if(part.step.params, [&](const ParamSpec& s) {
        return ofParticles.count(s.id) != 0 || s.showIf == "then=wake";
    });
    for (ParamSpec& s : part.step.params)
        if (ofParticles.count(s.showIf.substr(0, s.showIf.find_first_of("!=")))) s.showIf.clear();
    return part;
}

BakeParams::BakeParams(ParamTable& table)
    : use(table.add(
          Affects::Storage,
          specs::choice("bake_use", "Bake", "while fresh", {"while fresh", "always", "never"},
                        "Takes the baked frames as long as nothing that they depend on changed; always; or "
                        "never"))),
      as(table.add(
          Affects::Storage,
          specs::choice("bake_as", "Baked as", "columns", {"columns", "vdb", "usda"},
                        "Plain columns, quickest to write and to play; or what other programs read: OpenVDB "
                        "points, or USD text, large and slow"))) {}

const AnySolverParams kSolver;

StepType solverStep(StepType type, std::shared_ptr<const Solver> solver) {
    type.solver = std::move(solver);
    type.apply = [](const StepInput&) -> Geometry {
        throw Error("can only be worked out frame by frame", {}, "Open the scene that it belongs to");
    };
    return type;
}

V3f apartBy(uint64_t from, uint64_t to) {
    const auto offset = [](uint64_t id) {
        const Random4 r = random4(7, id, Stream::Place);
        return V3f(r[0] - 0.5f, r[1] - 0.5f, r[2] - 0.5f);
    };
    const V3f d = offset(to) - offset(from);
    return d.length() > 0 ? d.normalized() : V3f(0, 1, 0);
}

ParamSpec groupSpec() {
    return specs::whole("group", "Group", 0, 0, 1000, 0, 9, "Acts on this group alone; 0 is all");
}

ParamSpec strengthOf(double value, std::string unit, double hard, double softMin, double softMax,
                     std::string help) {
    return specs::drivable(specs::number("strength", "Strength", value, std::move(unit), -hard, hard, softMin,
                                         softMax, std::move(help)));
}

SceneQuery& PartContext::query() const {
    if (!now.query)
        throw Error("nothing else of the scene can be seen from here", {},
                    "Open the scene that it belongs to");
    return *now.query;
}

static const PartInput* partIn(const SolverInput& in, const std::string& id) {
    for (const PartInput& part : in.parts)
        if (part.id == id) return &part;
    return nullptr;
}

Travelled PartContext::travelled(const std::string& param) const {
    const auto sumIn = [&](const PartInput* p, double frame) {
        if (p && p->sum) return p->sum(param);
        return (p ? *p : part).params->numbers(param) * (frame / now.rate);
    };
    return {sumIn(partIn(before, part.id), before.frame), sumIn(&part, now.frame), before.frame / now.rate,
            now.frame / now.rate};
}

SurfacePtr PartContext::surface(const Handle<std::string>& param, const char* what) const {
    const std::string& id = params()[param];
    if (id.empty() && !now.surface) throw NothingToActOn(what, {}, "Choose an object");
    SurfacePtr surface = id.empty() ? now.surface : query().surface(id);
    if (!(surface->area() > 0))
        throw NothingToActOn(std::string(what) + ", since its surface has no area", {},
                             "Choose another object");
    return surface;
}

SurfacePtr PartContext::surfaceAtRest(const Handle<std::string>& param) const {
    const std::string& id = params()[param];
    if (now.atRest) return now.atRest(id);
    return id.empty() ? now.surface : query().surface(id);
}

static const ParticleModifier* findPart(const std::string& id) {
    for (const ParticleModifier& type : particleParts())
        if (type.step.id == id) return &type;
    return nullptr;
}

/// A part that has nothing to act on does nothing, and says so.
static void addPart(const ParticleModifier& type, const PartContext& context, ParticleParts& parts) {
    try {
        type.add(context, parts);
    } catch (const NothingToActOn& e) {
        parts.notes.push_back(
            fmt::format("{} does nothing: it {}. {}", type.step.title, e.problem(), e.remedy()));
    } catch (const Error& e) {
        throw e.within(type.step.title);
    }
}

ParticleParts partsOf(const SolverInput& before, const SolverInput& now) {
    ParticleParts parts;
    std::map<std::string, size_t> numbers;
    for (const PartInput& part : now.parts) {
        const ParticleModifier* type = findPart(part.type->id);
        if (!type) continue;
        const size_t number = numbers[type->step.id]++, forces = parts.forces.size(),
                     rules = parts.rules.size();
        addPart(*type, {part, before, now, number}, parts);
        const PartInput* was = partIn(before, part.id);
        if (was && was->hash != part.hash)
            parts.changing.push_back(
                {part.id, number, forces, parts.forces.size() - forces, rules, parts.rules.size() - rules});
    }
    return parts;
}

void renew(ParticleParts& parts, const SolverInput& before, const SolverInput& now, double at) {
    std::set<std::string> wanted;
    for (const auto& c : parts.changing)
        if (c.forces + c.rules > 0) wanted.insert(c.part);
    if (wanted.empty() || !now.partsAt) return;
    std::shared_ptr<const SolverInput> between;
    if (at < 1) between = now.partsAt(before.frame + at * (now.frame - before.frame), wanted);
    const SolverInput& in = between ? *between : now;
    for (const auto& c : parts.changing) {
        const PartInput* part = partIn(in, c.part);
        if (!part || !wanted.count(c.part)) continue;
        ParticleParts fresh;
        addPart(*findPart(part->type->id), {*part, before, in, c.number}, fresh);
        if (fresh.forces.size() != c.forces || fresh.rules.size() != c.rules) continue;
        for (size_t i = 0; i < c.forces; ++i) parts.forces[c.firstForce + i] = std::move(fresh.forces[i]);
        for (size_t i = 0; i < c.rules; ++i) parts.rules[c.firstRule + i] = std::move(fresh.rules[i]);
    }
}

}  // namespace ovrix::sim
