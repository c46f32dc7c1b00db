// Copies made into one mesh.
#pragma once
#include <map>

#include "geo/points/elements.h"

namespace ovrix::geo {

/// Bytes that mergedCopies() would take. @p prototypes are in the order of copies.prototypes; null is
/// skipped.
double mergedBytes(const Copies& copies, const std::vector<MeshPtr>& prototypes);

/// All copies as one finished mesh in world space, in the order of the copies; UVs are kept when every
/// prototype has them. With @p slotPerPrototype, faces of prototype i get slot i. Corner normals turn with
/// the copies. Throws Error when there are more than 2^32 corners.
MeshPtr mergedCopies(const Copies& copies, const std::vector<MeshPtr>& prototypes,
                     bool slotPerPrototype = false);

}  // namespace ovrix::geo
