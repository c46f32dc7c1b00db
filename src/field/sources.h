// Declarations of the field sources, one function each; see the .cpp files for what they compute.
#pragma once
#include "field/field.h"

namespace ovrix::field {

SourceType constantSource();
SourceType slopeSource();
SourceType heightSource();
SourceType noiseSource();
SourceType randomSource();
SourceType imageSource();
SourceType paintSource();
SourceType facingSource();
SourceType curvatureSource();
SourceType occlusionSource();
SourceType distanceSource();
SourceType ageSource();
SourceType speedSource();
SourceType insideSource();
SourceType attributeSource();
SourceType formulaSource();
SourceType eyeSource();
SourceType alongSource();
SourceType backsideSource();
SourceType arrivingSource();
SourceType faceRandomSource();

}  // namespace ovrix::field
