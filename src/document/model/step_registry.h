// All steps that there are, solvers and those on pictures among them.
#pragma once
#include "ops/step.h"

namespace ovrix::document {

/// All steps, in the order of menus. Adding a step adds a line in step_registry.cpp.
const std::vector<StepType>& stepTypes();
/// Null when there is none of that id.
const StepType* findStepType(const std::string& id);
/// The step that a tool of the view writes into.
const StepType& stepTypeFor(ByHand tool);

}  // namespace ovrix::document
