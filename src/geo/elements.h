// What flows through a recipe: points, strands, copies, a mesh.
#pragma once
#include <memory>
#include <variant>

#include "geo/attributes.h"
#include "geo/mesh.h"

namespace ovrix {

/// Points: "P" (V3f, metres, world), "id" (uint64), and as steps add them "N" (V3f), "uv" (V2f),
/// "orient" (Quatf: turns +Y to where the element points), "scale" (float).
struct PointSet {
    AttributeSet attributes;
    size_t size() const { return attributes.size(); }
};

/// Strands: points of strand s are start[s] to start[s + 1] - 1, root first.
struct StrandSet {
    std::vector<uint32_t> start = {0};
    AttributeSet points;   ///< "P"; may carry "width" (float, metres)
    AttributeSet strands;  ///< "id"
    size_t size() const { return start.size() - 1; }
};

/// Copies of prototypes: per copy "P", "orient", "scale", "id" and "prototype" (int, index into prototypes).
struct Copies {
    std::vector<std::string> prototypes;  ///< ids of objects in the document
    AttributeSet attributes;
    size_t size() const { return attributes.size(); }
};

enum class GeometryKind { Nothing, Points, Strands, Copies, Mesh };

/// Immutable and shared: a step that changes one column copies no other one's bytes by accident, it makes
/// a new set on purpose.
using Geometry = std::variant<std::monostate, std::shared_ptr<const PointSet>,
                              std::shared_ptr<const StrandSet>, std::shared_ptr<const Copies>, MeshPtr>;

GeometryKind kindOf(const Geometry& geometry);
std::string kindName(GeometryKind kind);
/// Number of elements: points, strands, copies, or 1 for a mesh.
size_t elementCount(const Geometry& geometry);
size_t bytesOf(const Geometry& geometry);
Box3f boundsOf(const Geometry& geometry);

/// What drawing copies of one prototype takes: x y z, scale, and the quaternion x y z w of each, in order.
std::vector<float> packedCopies(const Copies& copies, int32_t prototype);

/// The matrix that places copy i: scale, then orientation, then position.
M44f copyMatrix(const V3f& position, const Quatf& orient, float scale);

}  // namespace ovrix
