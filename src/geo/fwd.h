// Names of geometry, for headers that only pass it on.
#pragma once
#include <memory>

#include "base/house.h"

namespace ovrix::geo {

class AttributeSet;
class CurveSet;
class Mesh;
class Surface;
struct CornerPlaces;
struct PointSet;
struct StrandSet;
struct SurfaceHit;
struct VectorGrid;
using MeshPtr = std::shared_ptr<const Mesh>;
using StrandsPtr = std::shared_ptr<const StrandSet>;
using SurfacePtr = std::shared_ptr<const Surface>;
using VectorGridPtr = std::shared_ptr<const VectorGrid>;

}  // namespace ovrix::geo
