// Strands as a view draws them.
#pragma once
#include "geo/strands/strands.h"

namespace ovrix::geo {

/// One vertex of a line.
struct StrandVertex {
    V3f p;
    float along;        ///< 0 root to 1 tip, by the number of points
    float width;        ///< metres
    int8_t tangent[4];  ///< unit times 127
    uint8_t color[4];   ///< linear, of 255; alpha 0 for none of its own
};

/// Strands in the order of random numbers of their own, so that the first of them are a stable part that is
/// spread over all.
struct PackedStrands {
    std::vector<StrandVertex> vertices;
    std::vector<uint32_t> segments;    ///< pairs of vertices
    std::vector<uint32_t> segmentEnd;  ///< of each strand: how many entries of segments there are up to it
    std::vector<uint32_t> order;       ///< of each strand: its number in the set; its vertices are in a row
    bool wide = false;                 ///< round or thick enough to be drawn with their width
    size_t size() const { return segmentEnd.size(); }
    size_t bytes() const;
};

PackedStrands packedStrands(const StrandSet& strands);

}  // namespace ovrix::geo
