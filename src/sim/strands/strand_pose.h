// The pose that simulated strands start from, where it is another than the shape that they keep.
#pragma once
#include "geo/strands/strands.h"

namespace ovrix::sim {

/// Of the root of a strand; the world's axes where there are none.
inline Quatf frameOf(std::span<const Quatf> frames, size_t s) { return frames.empty() ? Quatf() : frames[s]; }

/// The strands with "in_root" (V3f), the place of each point in the frame of its root ("orient"; the world's
/// axes where there is none), so that they can be put on roots that stand elsewhere.
StrandsPtr withPose(const StrandSet& strands);

/// Puts strands as those of the same id and with as many points are in @p pose: by "in_root", or as they lie
/// from their roots where the pose has no such column. Roots stay. Returns how many had none and stay as they
/// are.
size_t takePose(const StrandSet& pose, StrandSet& strands);

}  // namespace ovrix::sim
