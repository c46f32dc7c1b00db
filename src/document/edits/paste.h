// Inputs that are copied from one parameter to another.
#pragma once
#include "params/param.h"
#include "params/specs.h"

namespace ovrix::document {

/// A parameter as another takes it: its value within that one's limits, with keys, field and ramp where that
/// one may have them. Throws Error where both hold different kinds of things.
params::Param pasted(const params::Param& copied, const params::ParamSpec& from, const params::ParamSpec& to);

}  // namespace ovrix::document
