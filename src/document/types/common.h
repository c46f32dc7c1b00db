// Parameters that several types have.
#pragma once
#include "params/specs.h"

namespace ovrix::document {

/// Position, rotation and size.
specs::Specs standing();
/// Random motion without keys.
specs::Specs wanders();
/// All that says where a node is: standing(), the curve that it goes along, wanders().
specs::Specs transformSpecs();
/// What every object ends with: its material, and where it is.
specs::Specs objectTail();
/// What a light gives, in stops, and its colour.
ParamSpec exposureSpec();
ParamSpec tintSpec();
/// W/m2 per steradian of a light with a surface.
ParamSpec powerSpec();

}  // namespace ovrix::document
