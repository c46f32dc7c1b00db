#include "sim/collide/collide.h"
#include "sim/particle_parts.h"
#include "sim/particles/appearance.h"
#include "sim/particles/emit.h"
#include "sim/particles/flock.h"
#include "sim/particles/forces.h"
#include "sim/particles/rules.h"
#include "sim/strands/strand_solver.h"

namespace ovrix::sim {

const std::vector<ParticleModifier>& particleParts() {
    static const std::vector<ParticleModifier> parts = {
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

}  // namespace ovrix::sim
