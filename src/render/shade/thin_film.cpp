#include "render/shade/thin_film.h"

#include <array>
#include <cmath>
#include <vector>

#include "render/light/spectrum.h"
#include "render/shade/microfacet.h"

namespace ovrix::render {

namespace {

/// Mean of the cosine of the phase over wavelengths, as red, green and blue see them, by the way that light
/// is behind in micrometres. Beyond the last one, colours are too many to be told apart.
class FringeTable {
  public:
    FringeTable() {
        V3d whole(0.0);
        std::vector<V3d> sums(kSize, V3d(0.0));
        for (int step = 0; step <= 200; ++step) {  // from 380 to 780 nanometres
            const double nm = 380.0 + 2.0 * step;
            const V3d seen = rgbOfXyz(observedXyz(nm));
            whole += seen;
            for (size_t i = 0; i < kSize; ++i) {
                const double phase = 2.0 * M_PI * double(i) * double(kStep) * 1000.0 / nm;
                sums[i] += seen * std::cos(phase);
            }
        }
        for (size_t i = 0; i < kSize; ++i)
            for (int k = 0; k < 3; ++k) cells_[i][k] = float(sums[i][k] / whole[k]);
    }
    V3f at(float micrometres) const {
        const float x = micrometres / kStep;
        if (!(x < float(kSize - 1))) return V3f(0.0f);
        const size_t i = size_t(x);
        const float part = x - float(i);
        return cells_[i] * (1.0f - part) + cells_[i + 1] * part;
    }
    static const FringeTable& get() {
        static const FringeTable table;
        return table;
    }

  private:
    static constexpr size_t kSize = 1601;
    static constexpr float kStep = 0.01f;
    std::array<V3f, kSize> cells_{};
};

/// Of one polarisation: amplitudes that the upper and the lower boundary reflect.
V3f reflected(float upper, const V3f& lower, const std::array<V3f, 4>& fringes) {
    V3f out;
    for (int k = 0; k < 3; ++k) {
        const float q = -upper * lower[k];
        float sum = 1.0f, power = 1.0f;
        for (const V3f& fringe : fringes) sum += 2.0f * (power *= q) * fringe[k];
        out[k] = 1.0f - (1.0f - upper * upper) * (1.0f - lower[k] * lower[k]) / (1.0f - q * q) * sum;
    }
    return out;
}

struct Amplitudes {
    float across, along;
};

/// Of a boundary, by the cosines on both sides and the index beyond over that before.
Amplitudes amplitudes(float before, float beyond, float ior) {
    return {(before - ior * beyond) / (before + ior * beyond),
            (ior * before - beyond) / (ior * before + beyond)};
}

/// @param lower  amplitudes of the lower boundary, by the cosine within the film
template <class Lower>
V3f throughFilm(const ThinFilm& film, float cosine, float outer, const Lower& lower) {
    const float c = within(cosine, 1e-3f, 1.0f), sine2 = (1.0f - c * c) / (film.ior * film.ior);
    if (sine2 >= 1.0f) return V3f(1.0f);
    const float inFilm = std::sqrt(1.0f - sine2);
    const Amplitudes upper = amplitudes(c, inFilm, film.ior);
    const float behind = 2.0f * film.ior * outer * std::max(0.0f, film.micrometres) * inFilm;
    std::array<V3f, 4> fringes;
    for (size_t m = 0; m < fringes.size(); ++m) fringes[m] = FringeTable::get().at(behind * float(m + 1));
    const auto [across, along] = lower(inFilm);
    const V3f mean =
        (reflected(upper.across, across, fringes) + reflected(upper.along, along, fringes)) * 0.5f;
    return V3f(within(mean.x, 0.0f, 1.0f), within(mean.y, 0.0f, 1.0f), within(mean.z, 0.0f, 1.0f));
}

}  // namespace

void ThinFilm::prepare() { FringeTable::get(); }

V3f ThinFilm::overDielectric(float cosine, float outer, float baseIor) const {
    return throughFilm(*this, cosine, outer, [&](float inFilm) {
        const float index = baseIor / ior, sine2 = (1.0f - inFilm * inFilm) / (index * index);
        if (sine2 >= 1.0f) return std::pair(V3f(-0.9999f), V3f(0.9999f));  // all of it
        const Amplitudes a = amplitudes(inFilm, std::sqrt(1.0f - sine2), index);
        return std::pair(V3f(a.across), V3f(a.along));
    });
}

V3f ThinFilm::overMetal(float cosine, float outer, const V3f& f0) const {
    return throughFilm(*this, cosine, outer, [&](float inFilm) {
        V3f amplitude;
        for (int k = 0; k < 3; ++k)
            amplitude[k] =
                std::sqrt(within(f0[k] + (1.0f - f0[k]) * fifthPower(1.0f - inFilm), 0.0f, 0.9999f));
        return std::pair(-amplitude, amplitude);
    });
}

}  // namespace ovrix::render
