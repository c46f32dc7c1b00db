// A polygon mesh: points, corners and faces, each with attributes.
#pragma once
#include <array>
#include <memory>
#include <string>
#include <vector>

#include "geo/attributes.h"

namespace ovrix::geo {

/// Three corners of a mesh that make one triangle of a face.
using Triangle = std::array<uint32_t, 3>;

/// Points carry "P" (V3f). Corners may carry "N" (V3f, unit) and "uv" (V2f). Faces may carry "slot" (int),
/// an index into slotNames. Corners of face f are faceStart[f] to faceStart[f + 1] - 1, anticlockwise seen
/// from outside. Call finish() after filling; from then on the mesh is read-only and thread safe.
class Mesh {
  public:
    AttributeSet points, corners, faces;
    std::vector<uint32_t> faceStart = {0};
    std::vector<uint32_t> cornerPoint;
    std::vector<std::string> slotNames;

    size_t faceCount() const { return faceStart.size() - 1; }
    std::span<const V3f> positions() const { return points.find<V3f>("P"); }
    std::span<const V3f> normals() const { return corners.find<V3f>("N"); }
    std::span<const V2f> uvs() const { return corners.find<V2f>("uv"); }
    std::span<const int32_t> slots() const { return faces.find<int32_t>("slot"); }

    void addFace(std::span<const uint32_t> pointIndices);
    void addFace(std::initializer_list<uint32_t> pointIndices);

    /// Checks indices, splits faces into triangles, makes normals where there are none, and the bounds. A
    /// copy whose faces are still the same keeps its triangles: what is bound to them goes on to hold. Throws
    /// Error on a point index out of range or a position that is not finite.
    void finish();
    /// Splits the faces as those of a mesh with the same ones; whether it has. Both are finished.
    bool cutAs(const Mesh& other);
    /// Takes triangles as made elsewhere, with the face of each, before finish().
    void takeTriangles(std::vector<Triangle> triangles, std::vector<uint32_t> faceOf);

    const std::vector<Triangle>& triangles() const { return triangles_; }
    /// The face that triangle t is part of.
    uint32_t triangleFace(size_t t) const { return triangleFace_.empty() ? uint32_t(t) : triangleFace_[t]; }
    const Box3f& bounds() const { return bounds_; }
    /// Memory of everything held, in bytes.
    size_t bytes() const;

    V3f cornerPosition(uint32_t corner) const { return positions()[cornerPoint[corner]]; }

  private:
    void makeTriangles();
    std::vector<Triangle> triangles_;
    std::vector<uint32_t> triangleFace_;  // empty when every face is a triangle
    uint64_t cutFaces_ = 0;               // a hash of the faces that the triangles are of
    Box3f bounds_;
};

using MeshPtr = std::shared_ptr<const Mesh>;

/// Corner normals weighted by angle, smooth over edges flatter than @p creaseDegrees, sharp over others.
/// Thürmer and Wüthrich, "Computing Vertex Normals from Polygonal Facets", JGT 3(1), 1998.
void computeNormals(Mesh& mesh, float creaseDegrees);

/// Turns every face's winding round; its corners keep their normals and UVs. Call finish() after it.
void reverseFaces(Mesh& mesh);

/// The mesh with points moved by @p matrix and normals by its inverse transpose; faces turn when it mirrors.
MeshPtr transformed(const Mesh& mesh, const M44f& matrix);

/// What would surprise an artist about a mesh. Counts are of faces or of edges.
struct MeshReport {
    size_t degenerateFaces = 0;   ///< area zero, or a point twice
    size_t openEdges = 0;         ///< with one face
    size_t nonManifoldEdges = 0;  ///< with more than two faces
    size_t flippedEdges = 0;      ///< whose two faces wind against each other
    bool clean() const { return !degenerateFaces && !nonManifoldEdges && !flippedEdges; }
};
/// The numbers of points such that those in one place come in a row, the least first.
std::vector<uint32_t> orderByPlace(std::span<const V3f> points);
/// A hash of the faces and the points that they join: places by triangle and weights hold on all that have
/// the same.
uint64_t topologyOf(const Mesh& mesh);
MeshReport inspect(const Mesh& mesh);
/// Whether each edge has two faces: then there is an inside.
bool isClosed(const Mesh& mesh);

}  // namespace ovrix::geo
