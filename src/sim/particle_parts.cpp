#include "sim/particle_parts.h"

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
            if (block.group[i] != group) out[i] = 0.0f;
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
        stayPart(), targetPart(), speedLimitPart(),
        // what they meet
        collidePart(), floorPart(), spacingPart(), strandSpacingPart(),
        // swarms
        flockPart(), chasePart(), avoidPart(), roamPart(), landPart(), steerPart(),
        // what changes them
        rulePart(), sizePart(), colorPart(), facingPart()};
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
                throw Error(e.problem(),
                            e.where().empty() ? type.step.title : type.step.title + ", " + e.where(),
                            e.remedy());
            }
        }
    return parts;
}

}  // namespace ovrix
