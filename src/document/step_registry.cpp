#include "document/model/step_registry.h"

// The table of steps. A new step is its own header and source, one line here, one test.
#include "ops/groom/bundle.h"
#include "ops/groom/comb.h"
#include "ops/groom/fill.h"
#include "ops/groom/grow.h"
#include "ops/groom/points_along.h"
#include "ops/groom/strand_points.h"
#include "ops/groom/strand_sources.h"
#include "ops/groom/sweep.h"
#include "ops/groom/trace.h"
#include "ops/mesh/ground.h"
#include "ops/place/along.h"
#include "ops/place/fill_volume.h"
#include "ops/place/from_file.h"
#include "ops/place/place_grid.h"
#include "ops/place/place_volume.h"
#include "ops/place/scatter.h"
#include "ops/place/spread.h"
#include "ops/points/by_hand.h"
#include "ops/points/channel_steps.h"
#include "ops/points/copies_of.h"
#include "ops/points/keep_apart.h"
#include "ops/points/orient.h"
#include "ops/points/vary_color.h"
#include "ops/points/vary_size.h"
#include "ops/style/clump.h"
#include "ops/style/coil.h"
#include "ops/style/curl.h"
#include "ops/style/flyaways.h"
#include "ops/style/frizz.h"
#include "ops/style/lift_lean.h"
#include "ops/style/strand_color.h"
#include "ops/style/strand_length.h"
#include "ops/style/strand_noise.h"
#include "ops/style/strand_width.h"
#include "ops/style/twist.h"
#include "ops/time/trails.h"
#include "render/finish/steps/finish_steps.h"
#include "sim/particles/particle_solver.h"
#include "sim/strands/strand_solver.h"

namespace ovrix::document {

const std::vector<StepType>& stepTypes() {
    static const std::vector<StepType> types = [] {
        std::vector<StepType> all = {
            scatterStep(), spreadStep(), gridStep(), onMeshStep(), alongStep(), fromFileStep(), insideStep(),
            fillVolumeStep(), ringStep(),
            // strands are placed
            growStep(), traceStep(), curveStrandsStep(), strandFileStep(), fillStep(), bundleStep(),
            // points and copies are shaped
            orientStep(), varySizeStep(), varyColorStep(), copiesOfStep(), keepApartStep(), byHandStep(),
            setChannelStep(), moveByStep(), smoothChannelStep(), deleteByStep(), sortByStep(),
            mergeNearStep(),
            // strands are shaped
            uniqueStep(), combStep(), strandLengthStep(), clumpStep(), curlStep(), waveStep(), coilStep(),
            frizzStep(), twistStep(), flyawaysStep(), liftLeanStep(), strandNoiseStep(), smoothStrandsStep(),
            resampleStep(), strandWidthStep(), strandColorStep(), sweepStep(), pointsAlongStep(),
            // meshes
            subdivideStep(), displaceStep(), pushStep(), smoothStep(),
            // over time
            simulateStep(), simulateStrandsStep(), trailsStep()};
        for (const ParticleModifier& part : particleParts()) all.push_back(part.step);
        for (StepType& step : finishSteps()) all.push_back(std::move(step));
        return all;
    }();
    return types;
}

const StepType* findStepType(const std::string& id) {
    for (const StepType& type : stepTypes())
        if (type.id == id) return &type;
    return nullptr;
}

const StepType& stepTypeFor(ByHand tool) {
    for (const StepType& type : stepTypes())
        if (type.byHand == tool) return type;
    throw std::logic_error("no step is declared for that tool");
}

}  // namespace ovrix::document
