#include "render/trace/sampler.h"

namespace ovrix::render {

namespace {

/// Direction numbers of the first four Sobol dimensions from their primitive polynomials and initial
/// values (Joe and Kuo, "Constructing Sobol Sequences with Better Two-Dimensional Projections", 2008).
struct Directions {
    uint32_t v[4][32];
    Directions() {
        const struct {
            int degree;
            uint32_t coefficients, initial[3];
        } table[3] = {{1, 0, {1, 0, 0}}, {2, 1, {1, 3, 0}}, {3, 1, {1, 3, 1}}};
        for (int bit = 0; bit < 32; ++bit) v[0][bit] = 1u << (31 - bit);
        for (int d = 1; d < 4; ++d) {
            const auto& t = table[d - 1];
            for (int i = 0; i < t.degree; ++i) v[d][i] = t.initial[i] << (31 - i);
            for (int i = t.degree; i < 32; ++i) {
                v[d][i] = v[d][i - t.degree] ^ (v[d][i - t.degree] >> t.degree);
                for (int k = 1; k < t.degree; ++k)
                    if ((t.coefficients >> (t.degree - 1 - k)) & 1u) v[d][i] ^= v[d][i - k];
            }
        }
    }
};

const Directions kDirections;

}  // namespace

std::array<uint32_t, 4> Sampler::sobol(uint32_t index) {
    std::array<uint32_t, 4> x = {0, 0, 0, 0};
    for (; index; index &= index - 1) {
        const int bit = __builtin_ctz(index);
        for (size_t d = 0; d < 4; ++d) x[d] ^= kDirections.v[d][bit];
    }
    return x;
}

}  // namespace ovrix::render
