#include "geo/volume/vector_grid.h"

#include <cmath>

namespace ovrix::geo {

V3f VectorGrid::at(const V3f& world) const {
    const V3f p = world * cellFromWorld;
    V3i low;
    V3f part;
    for (int a = 0; a < 3; ++a) {
        // Half a cell around the outermost middles belongs to them; also false for what is no number.
        if (!(p[a] >= -0.5f && p[a] <= float(size[a]) - 0.5f)) return V3f(0.0f);
        const float q = std::clamp(p[a], 0.0f, float(size[a] - 1));
        low[a] = std::min(int(q), std::max(0, size[a] - 2));
        part[a] = q - float(low[a]);
    }
    V3f sum(0.0f);
    for (int c = 0; c < 8; ++c) {
        float weight = 1;
        V3i at;
        for (int a = 0; a < 3; ++a) {
            const int step = c >> a & 1;
            at[a] = std::min(low[a] + step, size[a] - 1);
            weight *= step ? part[a] : 1.0f - part[a];
        }
        if (weight > 0)
            sum += values[(size_t(at.z) * size_t(size.y) + size_t(at.y)) * size_t(size.x) + size_t(at.x)] *
                   weight;
    }
    return sum;
}

}  // namespace ovrix::geo
