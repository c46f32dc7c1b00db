// Parameters that several types have.
#pragma once
#include "document/model/params.h"
#include "field/field.h"

namespace ovrix::document {

/// A material for each slot of a mesh file.
ParamSpec slotsSpec();
/// What a light gives, in stops, and its colour.
ParamSpec exposureSpec();
ParamSpec tintSpec();
/// W/m2 per steradian of a light with a surface.
ParamSpec powerSpec();
/// What is wrong with an object that has no size along an axis; empty for nothing.
std::string flatness(const ResolvedParams& params);

}  // namespace ovrix::document
