#include "geo/strands/packed_strands.h"

#include "base/parallel.h"
#include "base/random.h"

namespace ovrix::geo {

size_t PackedStrands::bytes() const {
    return vertices.size() * sizeof(StrandVertex) + (segments.size() + segmentEnd.size() + order.size()) * 4;
}

namespace {

std::vector<uint32_t> shuffled(const StrandSet& set) {
    const auto id = set.strands.find<uint64_t>("id");
    std::vector<std::pair<uint32_t, uint32_t>> order(set.size());
    for (size_t s = 0; s < order.size(); ++s)
        order[s] = {random4(0, id.empty() ? s : id[s], Stream::Show).bits[0], uint32_t(s)};
    std::sort(order.begin(), order.end());
    std::vector<uint32_t> out(order.size());
    for (size_t i = 0; i < out.size(); ++i) out[i] = order[i].second;
    return out;
}

}  // namespace

PackedStrands packedStrands(const StrandSet& set) {
    PackedStrands out;
    const auto p = set.points.find<V3f>("P");
    const auto width = set.points.find<float>("width");
    const auto color = set.points.find<Color>("color");
    out.order = shuffled(set);
    const std::vector<uint32_t>& order = out.order;
    std::vector<uint32_t> first(order.size() + 1), segment(order.size() + 1);
    for (size_t k = 0; k < order.size(); ++k) {
        first[k + 1] = first[k] + uint32_t(set.pointsOf(order[k]));
        segment[k + 1] = segment[k] + 2 * uint32_t(set.pointsOf(order[k]) - 1);
    }
    out.vertices.resize(p.size());
    out.segments.resize(segment.back());
    out.segmentEnd.assign(segment.begin() + 1, segment.end());
    parallelRanges(order.size(), 1024, Progress::none(), [&](size_t begin, size_t end) {
        std::vector<V3f> tangents;
        for (size_t k = begin; k < end; ++k) {
            const auto line = pointsOf(set, p, order[k]);
            tangents.resize(line.size());
            tangentsOf(line, tangents);
            for (size_t i = 0; i < line.size(); ++i) {
                const size_t from = set.start[order[k]] + i;
                StrandVertex& v = out.vertices[first[k] + i];
                v.p = line[i];
                v.along = float(i) / float(line.size() - 1);
                v.width = width.empty() ? 0.001f : width[from];
                for (int a = 0; a < 3; ++a) v.tangent[a] = int8_t(std::lround(tangents[i][a] * 127.0f));
                v.tangent[3] = 0;
                for (int a = 0; a < 3; ++a)
                    v.color[a] = color.empty() ? 0 : uint8_t(std::clamp(color[from][a], 0.0f, 1.0f) * 255.0f);
                v.color[3] = color.empty() ? 0 : 255;
                if (i == 0) continue;
                out.segments[segment[k] + 2 * (i - 1)] = first[k] + uint32_t(i) - 1;
                out.segments[segment[k] + 2 * (i - 1) + 1] = first[k] + uint32_t(i);
            }
        }
    });
    double sum = 0;
    for (float w : width) sum += double(w);
    const double mean = width.empty() ? 0.001 : sum / double(std::max<size_t>(1, width.size()));
    out.wide = p.size() < 400'000 && (set.round || mean > 0.0012);
    return out;
}

}  // namespace ovrix::geo
