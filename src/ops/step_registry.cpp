// The table of steps. A new step is its own header and source, one line here, one test.
#include "ops/along.h"
#include "ops/by_hand.h"
#include "ops/copies_of.h"
#include "ops/from_file.h"
#include "ops/ground.h"
#include "ops/keep_apart.h"
#include "ops/orient.h"
#include "ops/place_grid.h"
#include "ops/scatter.h"
#include "ops/spread.h"
#include "ops/vary_color.h"
#include "ops/vary_size.h"

namespace ovrix {

const std::vector<StepType>& stepTypes() {
    static const std::vector<StepType> types = {
        scatterStep(),   spreadStep(),   gridStep(),      onMeshStep(),   alongStep(),     fromFileStep(),
        orientStep(),    varySizeStep(), varyColorStep(), copiesOfStep(), keepApartStep(), byHandStep(),
        subdivideStep(), displaceStep(), pushStep(),      smoothStep()};
    return types;
}

const StepType* findStepType(const std::string& id) {
    for (const StepType& type : stepTypes())
        if (type.id == id) return &type;
    return nullptr;
}

}  // namespace ovrix
