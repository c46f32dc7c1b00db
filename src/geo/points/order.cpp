#include "geo/points/order.h"

#include "base/parallel.h"

namespace ovrix::geo {

namespace {

/// Ten bits, with two free ones after each.
uint64_t spread(uint32_t x) {
    uint64_t v = x & 0x3ffu;
    v = (v | v << 16) & 0x30000ffull;
    v = (v | v << 8) & 0x300f00full;
    v = (v | v << 4) & 0x30c30c3ull;
    return (v | v << 2) & 0x9249249ull;
}

/// 0 for what is no number, as where the box is wider than numbers are.
uint32_t cell(float x) { return x > 0.0f ? uint32_t(std::min(x, 1023.0f)) : 0u; }

}  // namespace

std::vector<uint32_t> orderInSpace(std::span<const V3f> p) {
    Box3f box;
    for (const V3f& q : p)
        if (isFinite(q)) box.extendBy(q);
    const float size =
        box.isEmpty() ? 1.0f : std::max(1e-12f, std::max({box.size().x, box.size().y, box.size().z}));
    std::vector<uint64_t> keyed(p.size());
    parallelFor(p.size(), Progress::none(), [&](size_t i) {
        uint64_t code = 0;
        if (isFinite(p[i])) {
            const V3f q = (p[i] - box.min) / size * 1023.0f;
            code = spread(cell(q.x)) | spread(cell(q.y)) << 1 | spread(cell(q.z)) << 2;
        }
        keyed[i] = code << 32 | i;
    });
    parallelSort(keyed);
    std::vector<uint32_t> order(p.size());
    parallelFor(p.size(), Progress::none(), [&](size_t i) { order[i] = uint32_t(keyed[i]); });
    return order;
}

}  // namespace ovrix::geo
