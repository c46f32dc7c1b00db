// What flows through a recipe: points, strands, copies, a mesh.
#pragma once
#include <memory>
#include <unordered_map>
#include <variant>

#include "geo/attributes.h"
#include "geo/mesh/mesh.h"

namespace ovrix::geo {

/// Points: "P" (V3f, metres, world), "id" (uint64), and as steps add them "N" (V3f), "uv" (V2f),
/// "orient" (Quatf: turns +Y to where the element points), "scale" (float).
struct PointSet {
    AttributeSet attributes;
    size_t size() const { return attributes.size(); }
};

/// Strands: points of strand s are start[s] to start[s + 1] - 1, root first; two or more.
/// Points carry "P", and as steps add them "width" (float, metres across) and "color" (Color).
/// Strands carry "id", "P" (the root on the surface), "N" (unit, out of the surface there), "orient"
/// (Quatf: the root's frame, +Y along N and +X along an edge of the surface, so that it turns with it), and
/// where they have them "uv", "triangle", "bary" and "clump" (int, the number of the clump it belongs to).
struct StrandSet {
    std::vector<uint32_t> start = {0};
    AttributeSet points;
    AttributeSet strands;
    bool round = false;  ///< drawn as round tubes; else as flat ribbons that face the eye
    size_t size() const { return start.size() - 1; }
    size_t pointCount() const { return start.back(); }
    size_t pointsOf(size_t s) const { return start[s + 1] - start[s]; }
};

/// Copies of prototypes: per copy "P", "orient", "scale", "id" and "prototype" (int, index into prototypes).
/// They may carry "stretch" (V3f, factors along the copy's own axes, on top of the scale), "tint" (V3f:
/// hue shift in turns, factor on saturation, factor on brightness) and "color" (Color: a factor on the
/// colours of what they wear).
struct Copies {
    std::vector<std::string> prototypes;  ///< ids of objects in the document
    AttributeSet attributes;
    size_t size() const { return attributes.size(); }
};

/// A picture is no geometry: it is what finishing takes and gives.
enum class GeometryKind { Nothing, Points, Strands, Copies, Mesh, Picture };

/// Immutable and shared: a step that changes one column copies no other one's bytes by accident, it makes
/// a new set on purpose.
using Geometry = std::variant<std::monostate, std::shared_ptr<const PointSet>,
                              std::shared_ptr<const StrandSet>, std::shared_ptr<const Copies>, MeshPtr>;

GeometryKind kindOf(const Geometry& geometry);
std::string kindName(GeometryKind kind);
/// Number of elements: points, strands, copies, or 1 for a mesh.
size_t elementCount(const Geometry& geometry);
size_t bytesOf(const Geometry& geometry);
/// Columns with one row for each point, strand or copy; null for a mesh or nothing.
const AttributeSet* elementsOf(const Geometry& geometry);
/// Only the points, strands or copies at @p indices, in that order; other kinds whole.
Geometry gathered(const Geometry& geometry, std::span<const uint32_t> indices);
/// Points, strands or copies thinned to about @p share of them, 0 to 1, by their "id": a smaller share is a
/// part of a larger one. Other kinds, and those without ids, whole.
Geometry shareOf(const Geometry& geometry, double share, uint64_t seed);
Box3f boundsOf(const Geometry& geometry);
/// Where the points, copies, points of strands or of a mesh lie; empty for nothing.
std::span<const V3f> placesOf(const Geometry& geometry);
/// Where each id stands; the last of those that stand twice.
std::unordered_map<uint64_t, uint32_t> indexById(std::span<const uint64_t> ids);

/// The matrix that places a copy: stretch and scale, then orientation, then position.
M44f copyMatrix(const V3f& position, const Quatf& orient, float scale, const V3f& stretch = V3f(1.0f));

/// Where the elements of a set stand. Columns that are missing count as their neutral value.
struct ElementPlaces {
    std::span<const V3f> position, stretch, tint;
    std::span<const Quatf> orient;
    std::span<const float> scale;
    std::span<const Color> color;
    explicit ElementPlaces(const AttributeSet& set);
    size_t size() const { return position.size(); }
    V3f stretchOf(size_t i) const { return stretch.empty() ? V3f(1.0f) : stretch[i]; }
    V3f tintOf(size_t i) const { return tint.empty() ? V3f(0, 1, 1) : tint[i]; }
    Color colorOf(size_t i) const { return color.empty() ? Color(1.0f) : color[i]; }
    M44f matrix(size_t i) const;
};

/// What drawing copies of one prototype takes, in order: x y z, scale, the quaternion x y z w, and, when the
/// copies are @ref shaped, stretch x y z, tint x y z and colour r g b.
struct PackedCopies {
    bool shaped = false;
    std::vector<float> data;
    size_t stride() const { return shaped ? 17 : 8; }
    size_t size() const { return data.size() / stride(); }
};
PackedCopies packedCopies(const Copies& copies, int32_t prototype);

}  // namespace ovrix::geo
