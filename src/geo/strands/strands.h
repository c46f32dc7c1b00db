// What operations on strands have in common: lengths, frames, resampling, tubes.
#pragma once
#include <span>

#include "base/progress.h"
#include "geo/points/elements.h"

namespace ovrix::geo {

using StrandsPtr = std::shared_ptr<const StrandSet>;

/// The turn whose +X, +Y, +Z are these three perpendicular unit vectors.
Quatf turnFromAxes(const V3f& x, const V3f& y, const V3f& z);
/// A root's frame: +Y along the normal, +X as near to @p edge as that allows.
Quatf rootFrame(const V3f& normal, const V3f& edge);
/// An edge of the mesh's triangle, which turns with it; not normalised. +X where there is no such triangle.
V3f edgeOf(const Mesh& mesh, uint32_t triangle);
/// The shortest turn from one unit vector to another; half a turn about any axis where they are opposite.
Quatf turnBetween(const V3f& from, const V3f& to);

/// Metres from the first to the last point.
float lengthOf(std::span<const V3f> points);
/// Parts of the length from the root, 0 to 1, of each point; the index's part where there is no length.
void alongOf(std::span<const V3f> points, std::span<float> t);
/// Where a line of points is at a part of its length, by straight pieces; @p t as alongOf() gives it.
V3f placeAlong(std::span<const V3f> points, std::span<const float> t, float at);
/// Unit tangents, by the points before and after.
void tangentsOf(std::span<const V3f> points, std::span<V3f> tangents);
/// Normals that turn no more about the line than they must, from @p first on.
/// Wang, Juettler, Zheng, Liu, "Computation of Rotation Minimizing Frames", ACM TOG 27(1), 2008,
/// doi:10.1145/1330511.1330513, by double reflection.
void transportNormals(std::span<const V3f> points, std::span<const V3f> tangents, const V3f& first,
                      std::span<V3f> normals);

/// The points of strand @p s.
inline std::span<const V3f> pointsOf(const StrandSet& set, std::span<const V3f> positions, size_t s) {
    return positions.subspan(set.start[s], set.pointsOf(s));
}

/// The same strands with @p count points each (2 or more), evenly along their length; columns of points go
/// along.
StrandsPtr resampled(const StrandSet& strands, size_t count, Progress& progress);

/// Without strands that have a point which is no number, fewer than two points, or no length. The same set
/// when there are none. @p dropped gets their number.
StrandsPtr withoutBroken(StrandsPtr strands, size_t* dropped);

/// The strands placed by a matrix; widths go with its mean scale.
StrandsPtr transformed(const StrandSet& strands, const M44f& matrix);

/// Strands as closed tubes of @p sides, as wide as "width" says (@p width where there is none); faces follow
/// the strand, with "uv" (around, along). Memory is 24 * sides bytes a point and more; ask before.
MeshPtr tubesOf(const StrandSet& strands, int sides, float width);

}  // namespace ovrix::geo
