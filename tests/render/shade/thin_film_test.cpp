// Colours of thin films, against waves added up plainly.
#include "render/shade/thin_film.h"

#include <complex>

#include "render/light/spectrum.h"
#include "support.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;

namespace {

using Complex = std::complex<double>;

/// Light of one wavelength and polarisation on a film: amplitudes of both boundaries, and the phase between.
double reflectedAt(double nm, double cosine, double film, double base, double micrometres, bool across) {
    const double c2 = std::sqrt(1 - (1 - cosine * cosine) / (film * film));
    const double sine3 = std::sqrt(1 - cosine * cosine) / base;
    const double c3 = std::sqrt(1 - sine3 * sine3);
    const auto amplitude = [&](double n1, double c, double n2, double d) {
        return across ? (n1 * c - n2 * d) / (n1 * c + n2 * d) : (n2 * c - n1 * d) / (n2 * c + n1 * d);
    };
    const double r1 = amplitude(1, cosine, film, c2), r2 = amplitude(film, c2, base, c3);
    const Complex phase = std::exp(Complex(0, 2 * M_PI * 2 * film * micrometres * 1000 * c2 / nm));
    return std::norm((r1 + r2 * phase) / (1.0 + r1 * r2 * phase));
}

V3d seen(double cosine, double film, double base, double micrometres) {
    V3d sum(0.0), whole(0.0);
    for (double nm = 380; nm <= 780; nm += 1) {
        const V3d eye = rgbOfXyz(observedXyz(nm));
        whole += eye;
        sum += eye * 0.5 *
               (reflectedAt(nm, cosine, film, base, micrometres, true) +
                reflectedAt(nm, cosine, film, base, micrometres, false));
    }
    return V3d(sum.x / whole.x, sum.y / whole.y, sum.z / whole.z);
}

}  // namespace

TEST_CASE("a film reflects what waves that are added up do", "[bsdf][film]") {
    for (const float base : {1.33f, 1.5f, 2.4f})
        for (const float film : {1.2f, 1.4f, 1.9f})
            for (const float thick : {0.05f, 0.2f, 0.5f, 1.1f})
                for (const float cosine : {1.0f, 0.7f, 0.3f}) {
                    const V3f made = ThinFilm{1, thick, film}.overDielectric(cosine, 1, base);
                    const V3d true3 = seen(cosine, film, base, thick);
                    INFO("base " << base << " film " << film << " um " << thick << " cosine " << cosine);
                    // The table's steps, and orders after the fourth: below what an eye tells.
                    for (int k = 0; k < 3; ++k)
                        CHECK(made[k] == Approx(std::clamp(true3[k], 0.0, 1.0)).margin(0.004));
                }
}

TEST_CASE("no film, a thick one, and one that takes the glare away", "[bsdf][film]") {
    const auto head = [](float n) { return (n - 1) / (n + 1) * ((n - 1) / (n + 1)); };
    for (const float base : {1.33f, 1.5f, 2.4f}) {
        const V3f none = ThinFilm{1, 0.0f, 1.4f}.overDielectric(1, 1, base);
        for (int k = 0; k < 3; ++k) CHECK(none[k] == Approx(head(base)).margin(1e-3));
        // Of a thick one both boundaries reflect, and no colour is left.
        const V3f thick = ThinFilm{1, 50.0f, 1.4f}.overDielectric(1, 1, base);
        const float a = head(1.4f), b = head(base / 1.4f);
        CHECK(thick.x == thick.y);
        CHECK(thick.y == Approx(1 - (1 - a) * (1 - b) / (1 - a * b)).margin(1e-4));
    }
    // A quarter of green's wave, of the root of what lies below: what both reflect is opposed.
    const V3f coated = ThinFilm{1, 0.55f / (4 * std::sqrt(1.5f)), std::sqrt(1.5f)}.overDielectric(1, 1, 1.5f);
    CHECK(coated.y < 0.1f * head(1.5f));
    CHECK(coated.z > coated.y);  // what is left is purple
    CHECK(coated.x > coated.y);
}

TEST_CASE("films of garbage reflect from nothing to all", "[bsdf][film][damaged]") {
    for (const float thick : {-1.0f, 0.0f, 0.3f, 1e9f, NAN, INFINITY})
        for (const float film : {0.25f, 1.0f, 1.4f, 16.0f})
            for (const float base : {0.25f, 1.0f, 1.5f, 100.0f})
                for (const float cosine : {-1.0f, 0.0f, 1e-6f, 0.5f, 1.0f, 2.0f, NAN})
                    for (const V3f& r : {ThinFilm{1, thick, film}.overDielectric(cosine, 1, base),
                                         ThinFilm{1, thick, film}.overMetal(cosine, 1, V3f(0, 0.5f, 1))})
                        for (int k = 0; k < 3; ++k) {
                            INFO(thick << " " << film << " " << base << " " << cosine);
                            REQUIRE(r[k] >= 0);
                            REQUIRE(r[k] <= 1);
                        }
}
