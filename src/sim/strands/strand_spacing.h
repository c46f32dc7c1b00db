// Strands that keep apart from each other.
#pragma once
#include "base/progress.h"
#include "geo/points/elements.h"

namespace ovrix::sim {

/// Pieces of different strands that may come so near that they push each other, as long as no point has moved
/// too far since they were looked for. What is found with it is the same as without.
struct StrandNeighbours {
    std::vector<V3f> looked;       ///< the points then
    std::vector<uint32_t> begin;   ///< of each piece, in others; one more at the end
    std::vector<uint32_t> others;  ///< pieces, in rising order
    float thickness = 0, slack = 0;
};

/// Moves pieces that are nearer than @p thickness, from middle to middle, apart by half of what is missing,
/// all at once, so that no order counts; in each of @p rounds. Those that passed through each other since @p
/// start, where the points were at the beginning of the substep, are brought back to their own side. Roots
/// stay.
void spaceStrands(const StrandSet& set, std::span<const V3f> start, std::span<V3f> points, float thickness,
                  int rounds, StrandNeighbours& near, Progress& progress);

}  // namespace ovrix::sim
