// When things that move in straight lines come to lie in one plane.
#pragma once
#include <cmath>
#include <utility>

namespace ovrix::geo {

/// Roots in [0, 1] of a cubic given by its value and coefficients, rising. Between the turning points it only
/// rises or falls, so halving finds each.
struct Cubic {
    double c0, c1, c2, c3;
    double at(double t) const { return c0 + t * (c1 + t * (c2 + t * c3)); }

    int roots(double* out) const {
        double cut[4] = {0.0, 1.0, 1.0, 1.0};
        int cuts = 1;
        const double a = 3 * c3, b = 2 * c2, c = c1;
        const auto add = [&](double t) {
            if (t > cut[cuts - 1] && t < 1.0) cut[cuts++] = t;
        };
        if (std::abs(a) > 1e-300) {
            const double d = b * b - 4 * a * c;
            if (d > 0) {
                const double q = -0.5 * (b + std::copysign(std::sqrt(d), b));
                double r0 = q / a, r1 = q != 0 ? c / q : r0;
                if (r0 > r1) std::swap(r0, r1);
                add(r0), add(r1);
            }
        } else if (std::abs(b) > 1e-300) {
            add(-c / b);
        }
        cut[cuts] = 1.0;
        int count = 0;
        for (int i = 0; i < cuts; ++i) {
            double low = cut[i], high = cut[i + 1];
            const double fl = at(low), fh = at(high);
            if (fl == 0.0) {
                out[count++] = low;
                continue;
            }
            if (fh == 0.0 && i + 1 == cuts) {
                out[count++] = high;
                continue;
            }
            if ((fl < 0) == (fh < 0)) continue;
            for (int k = 0; k < 52; ++k) {
                const double mid = 0.5 * (low + high);
                ((at(mid) < 0) == (fl < 0) ? low : high) = mid;
            }
            out[count++] = 0.5 * (low + high);
        }
        return count;
    }
};

}  // namespace ovrix::geo
