// The corners of a mesh as places: what a field is asked at when a whole surface is to be known.
#pragma once
#include "geo/mesh/mesh.h"

namespace ovrix::geo {

/// In the order of the mesh's corners, which also have its normals and UVs.
struct CornerPlaces {
    std::vector<V3f> position;
    std::vector<uint64_t> id;       ///< of the point, so that a point's corners are alike
    std::vector<int32_t> triangle;  ///< one that has the corner
    std::vector<V2f> bary;          ///< where in it
    explicit CornerPlaces(const Mesh& mesh);
};

}  // namespace ovrix::geo
