#include "sim/strands/strand_pose.h"

#include <unordered_map>

namespace ovrix::sim {

StrandsPtr withPose(const StrandSet& strands) {
    auto set = std::make_shared<StrandSet>(strands);
    const auto p = strands.points.find<V3f>("P");
    const auto frames = strands.strands.find<Quatf>("orient");
    const auto local = set->points.add<V3f>("in_root");
    for (size_t s = 0; s < strands.size(); ++s) {
        const Quatf back = frameOf(frames, s).inverse();
        for (size_t i = strands.start[s]; i < strands.start[s + 1]; ++i)
            local[i] = rotate(back, p[i] - p[strands.start[s]]);
    }
    return set;
}

size_t takePose(const StrandSet& pose, StrandSet& strands) {
    std::unordered_map<uint64_t, size_t> place;
    const auto theirs = pose.strands.find<uint64_t>("id");
    for (size_t s = 0; s < pose.size(); ++s) place.emplace(theirs.empty() ? s : theirs[s], s);
    const auto from = pose.points.find<V3f>("P"), local = pose.points.find<V3f>("in_root");
    const auto ids = std::as_const(strands.strands).find<uint64_t>("id");
    const auto frames = std::as_const(strands.strands).find<Quatf>("orient");
    const auto to = strands.points.add<V3f>("P");
    size_t without = 0;
    for (size_t s = 0; s < strands.size(); ++s) {
        const auto it = place.find(ids.empty() ? s : ids[s]);
        if (it == place.end() || pose.pointsOf(it->second) != strands.pointsOf(s)) {
            ++without;
            continue;
        }
        const size_t first = pose.start[it->second], own = strands.start[s];
        for (size_t i = 1; i < strands.pointsOf(s); ++i)
            to[own + i] = to[own] + (local.empty() ? from[first + i] - from[first]
                                                   : rotate(frameOf(frames, s), local[first + i]));
    }
    return without;
}

}  // namespace ovrix::sim
