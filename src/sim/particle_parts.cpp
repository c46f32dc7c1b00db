#include "sim/particle_parts.h"

#include <set>

#include "base/error.h"
#include "base/specs.h"
#include "sim/collide.h"
#include "sim/emit.h"
#include "sim/flock.h"
#include "sim/forces.h"
#include "sim/looks.h"
#include "sim/rules.h"
#include "sim/strand_solver.h"

namespace ovrix {

Samples Block::samples() const {
    Samples s;
    s.position = {position, count};
    s.velocity = {velocity, count};
    s.age = {age, count};
    s.life = {life, count};
    s.scale = {scale, count};
    s.id = {id, count};
    return s;
}

Samples Rule::View::samples() const {
    Samples s;
    s.position = position, s.velocity = velocity;
    s.age = age, s.life = life, s.scale = scale;
    s.id = id;
    return s;
}

Samples Offspring::Parents::samples() const {
    Samples s;
    s.position = position, s.normal = normal, s.velocity = velocity;
    s.age = age, s.life = life, s.scale = scale;
    s.id = id;
    return s;
}

Strength::Strength(const ResolvedParams& p, const std::string& id) : value(p.driven(id)) {
    if (p.has("group")) group = int32_t(p.integer("group"));
}

void Strength::over(const Block& block, float* out) const {
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

StepType partType(std::string id, std::string title, std::string help, std::vector<ParamSpec> params) {
    StepType type;
    type.id = std::move(id), type.title = std::move(title), type.help = std::move(help);
    type.phase = Phase::Move;
    type.partOf = {"particles"};
    type.params = std::move(params);
    return type;
}

ParticlePart onStrands(ParticlePart part) {
    const std::set<std::string> ofParticles = {"group", "then", "bounce", "ahead", "reach"};
    part.step.id = "strand_" + part.step.id;
    part.step.partOf = {"strands"};
    std::erase_if(part.step.params, [&](const ParamSpec& s) { return ofParticles.count(s.id) != 0; });
    for (ParamSpec& s : part.step.params)
        if (ofParticles.count(s.showIf.substr(0, s.showIf.find_first_of("!=")))) s.showIf.clear();
    return part;
}

StepType solverStep(StepType type, std::shared_ptr<const Solver> solver) {
    type.params.push_back(specs::choice(
        "bake_use", "Bake", "while fresh", {"while fresh", "always", "never"},
        "Takes the baked frames as long as nothing that they depend on changed; always; or never"));
    type.params.push_back(specs::choice(
        "bake_as", "Baked as", "vdb", {"vdb", "usda"},
        "OpenVDB points, small and quick; or USD text, larger and slower, that more programs read"));
    type.solver = std::move(solver);
    type.apply = [](const StepInput&) -> Geometry {
        throw Error("can only be worked out frame by frame", {}, "Open the scene that it belongs to");
    };
    return type;
}

ParamSpec groupSpec() {
    return specs::whole("group", "Group", 0, 0, 1000, 0, 9, "Acts on this group alone; 0 is all");
}

ParamSpec strengthOf(double value, std::string unit, double hard, double softMin, double softMax,
                     std::string help) {
    return specs::drivable(specs::number("strength", "Strength", value, std::move(unit), -hard, hard, softMin,
                                         softMax, std::move(help)));
}

Surroundings& PartContext::around() const {
    if (!now.around)
        throw Error("nothing else of the scene can be seen from here", {},
                    "Open the scene that it belongs to");
    return *now.around;
}

const std::vector<ParticlePart>& particleParts() {
    static const std::vector<ParticlePart> parts = {
        emitPart(), offspringPart(),
        // forces
        gravityPart(), dragPart(), windPart(), turbulencePart(), vortexPart(), attractPart(), followPart(),
        stayPart(), targetPart(), vectorsPart(), speedLimitPart(),
        // what they meet
        collidePart(), floorPart(), spacingPart(),
        // swarms
        flockPart(), chasePart(), avoidPart(), roamPart(), landPart(), steerPart(),
        // what changes them
        rulePart(), sizePart(), colorPart(), spinPart(), facingPart(),
        // on strands
        onStrands(gravityPart()), onStrands(dragPart()), onStrands(windPart()), onStrands(turbulencePart()),
        onStrands(vortexPart()), onStrands(attractPart()), onStrands(followPart()), onStrands(stayPart()),
        onStrands(targetPart()), onStrands(vectorsPart()), onStrands(speedLimitPart()),
        onStrands(collidePart()), onStrands(floorPart()), strandSpacingPart()};
    return parts;
}

ParticleParts partsOf(const SolverInput& before, const SolverInput& now) {
    ParticleParts parts;
    std::map<std::string, size_t> numbers;
    for (const PartInput& part : now.parts)
        for (const ParticlePart& type : particleParts()) {
            if (type.step.id != part.type->id) continue;
            try {
                type.add({part, before, now, numbers[type.step.id]++}, parts);
            } catch (const Error& e) {
                throw e.within(type.step.title);
            }
        }
    return parts;
}

}  // namespace ovrix
