// Changes to single copies, made by hand, on top of what the recipe gives.
#pragma once
#include "ops/step.h"

namespace ovrix::ops {

/// The copies with the edits of their ids: moved, turned, sized, of another prototype, taken out; and those
/// that were added, at the end. Edits of ids that are not there wait. A prototype that the copies do not have
/// yet joins their list.
std::shared_ptr<const Copies> withManualEdits(const Copies& copies, const ManualEdits& edits);

StepType byHandStep();

}  // namespace ovrix::ops
