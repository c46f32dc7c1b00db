#include "pup.h"

#include <map>

#include "base/noise.h"
#include "geo/mesh/primitives.h"
#include "geo/strands/strands.h"

namespace ovrix::demo {

namespace {

using Distance = std::function<float(const V3f&)>;

/// Roughly the distance to an ellipsoid that is turned.
float ellipsoid(const V3f& p, const V3f& center, const V3f& radii, const Quatf& turn = Quatf()) {
    const V3f q = rotate(turn.inverse(), p - center);
    const V3f a(q.x / radii.x, q.y / radii.y, q.z / radii.z);
    const V3f b(q.x / (radii.x * radii.x), q.y / (radii.y * radii.y), q.z / (radii.z * radii.z));
    const float k0 = a.length(), k1 = b.length();
    return k1 > 1e-9f ? k0 * (k0 - 1.0f) / k1 : -std::min({radii.x, radii.y, radii.z});
}

/// Both, with the crease between them filled over a width.
float joined(float a, float b, float width) {
    const float h = std::clamp(0.5f + 0.5f * (b - a) / width, 0.0f, 1.0f);
    return lerp(b, a, h) - width * h * (1.0f - h);
}

Quatf along(const V3f& x) { return turnBetween(V3f(1, 0, 0), x.normalized()); }

float pupDistance(const V3f& p) {
    const V3f q(p.x, p.y, std::abs(p.z));  // both sides alike
    float d = ellipsoid(p, V3f(-0.02f, 0.078f, 0), V3f(0.175f, 0.077f, 0.088f));
    d = joined(d, ellipsoid(p, V3f(0.105f, 0.088f, 0), V3f(0.085f, 0.08f, 0.082f)), 0.05f);
    d = joined(d, ellipsoid(p, V3f(-0.185f, 0.045f, 0), V3f(0.10f, 0.036f, 0.045f)), 0.06f);
    d = joined(d, ellipsoid(p, V3f(0.205f, 0.137f, 0), V3f(0.064f, 0.058f, 0.058f)), 0.045f);
    d = joined(d, ellipsoid(q, V3f(0.262f, 0.116f, 0.014f), V3f(0.028f, 0.02f, 0.02f)), 0.02f);
    d = joined(d,
               ellipsoid(q, V3f(0.075f, 0.028f, 0.112f), V3f(0.052f, 0.011f, 0.022f),
                         along(V3f(-0.45f, -0.2f, 0.8f))),
               0.03f);
    d = joined(
        d, ellipsoid(q, V3f(-0.285f, 0.03f, 0.03f), V3f(0.05f, 0.01f, 0.02f), along(V3f(-1, 0.12f, 0.42f))),
        0.025f);
    // The sockets of the eyes.
    return std::max(d, -(ellipsoid(q, V3f(0.25f, 0.157f, 0.041f), V3f(0.013f))));
}

/// The surface where the distance is 0, one point in each cell that it passes, pulled to the mean of its
/// crossings: Gibson, "Constrained Elastic Surface Nets", MICCAI 1998, without the elastic part.
MeshPtr surfaceNet(const Distance& distance, const Box3f& box, float cell) {
    const V3f size = box.size();
    const V3i n(int(size.x / cell) + 2, int(size.y / cell) + 2, int(size.z / cell) + 2);
    const auto at = [&](int i, int j, int k) {
        return (size_t(k) * size_t(n.y) + size_t(j)) * size_t(n.x) + size_t(i);
    };
    std::vector<float> value(size_t(n.x) * size_t(n.y) * size_t(n.z));
    const auto place = [&](int i, int j, int k) {
        return box.min + V3f(float(i), float(j), float(k)) * cell;
    };
    for (int k = 0; k < n.z; ++k)
        for (int j = 0; j < n.y; ++j)
            for (int i = 0; i < n.x; ++i) value[at(i, j, k)] = distance(place(i, j, k));
    Mesh mesh;
    std::vector<V3f> points;
    std::vector<uint32_t> pointOf(value.size(), UINT32_MAX);
    for (int k = 0; k + 1 < n.z; ++k)
        for (int j = 0; j + 1 < n.y; ++j)
            for (int i = 0; i + 1 < n.x; ++i) {
                V3f sum(0.0f);
                int crossings = 0;
                for (int c = 0; c < 8; ++c)
                    for (int axis = 0; axis < 3; ++axis) {
                        if (c >> axis & 1) continue;
                        const int d = c | 1 << axis;
                        const auto corner = [&](int q) {
                            return V3i(i + (q & 1), j + (q >> 1 & 1), k + (q >> 2 & 1));
                        };
                        const V3i a = corner(c), b = corner(d);
                        const float va = value[at(a.x, a.y, a.z)], vb = value[at(b.x, b.y, b.z)];
                        if ((va < 0) == (vb < 0)) continue;
                        const V3f pa = place(a.x, a.y, a.z), pb = place(b.x, b.y, b.z);
                        sum += pa + (pb - pa) * (va / (va - vb));
                        ++crossings;
                    }
                if (crossings == 0) continue;
                pointOf[at(i, j, k)] = uint32_t(points.size());
                points.push_back(sum / float(crossings));
            }
    mesh.points.set("P", std::move(points));
    // A face across every edge that the surface cuts.
    for (int k = 1; k + 1 < n.z; ++k)
        for (int j = 1; j + 1 < n.y; ++j)
            for (int i = 1; i + 1 < n.x; ++i)
                for (int axis = 0; axis < 3; ++axis) {
                    V3i e(0, 0, 0), u(0, 0, 0), v(0, 0, 0);
                    e[axis] = 1, u[(axis + 1) % 3] = 1, v[(axis + 2) % 3] = 1;
                    const bool in = value[at(i, j, k)] < 0, out = value[at(i + e.x, j + e.y, k + e.z)] < 0;
                    if (in == out) continue;
                    const uint32_t a = pointOf[at(i - u.x - v.x, j - u.y - v.y, k - u.z - v.z)],
                                   b = pointOf[at(i - v.x, j - v.y, k - v.z)], c = pointOf[at(i, j, k)],
                                   d = pointOf[at(i - u.x, j - u.y, k - u.z)];
                    if (in)
                        mesh.addFace({a, b, c, d});
                    else
                        mesh.addFace({d, c, b, a});
                }
    mesh.finish();
    return std::make_shared<const Mesh>(std::move(mesh));
}

}  // namespace

MeshPtr pup() {
    return surfaceNet(pupDistance, Box3f(V3f(-0.37f, -0.03f, -0.19f), V3f(0.33f, 0.23f, 0.19f)), 0.0055f);
}

MeshPtr anemoneFoot() {
    return makeGrid(64, 24, [](float u, float v) {
        const float a = -2.0f * kPi * (u < 1.0f ? u : 0.0f), t = v;
        const float r = 0.034f * std::pow(std::sin(std::min(1.0f, t * 1.02f) * kPi * 0.5f + 0.0001f), 0.6f);
        const float bump = 1.0f + 0.05f * gradientNoise(V3f(std::cos(a) * 3, t * 4, std::sin(a) * 3), 5);
        return V3f(std::cos(a) * r * bump, 0.03f * std::sqrt(std::max(0.0f, 1.0f - t * t)),
                   std::sin(a) * r * bump);
    });
}

MeshPtr spongeBody() {
    const auto distance = [](const V3f& p) {
        float d = ellipsoid(p, V3f(0, 0.03f, 0), V3f(0.05f, 0.035f, 0.042f));
        d = joined(d, ellipsoid(p, V3f(0.035f, 0.05f, 0.012f), V3f(0.024f, 0.04f, 0.024f)), 0.02f);
        d = joined(d, ellipsoid(p, V3f(-0.03f, 0.045f, -0.014f), V3f(0.026f, 0.034f, 0.026f)), 0.02f);
        return d + 0.004f * gradientNoise(p * 60.0f, 3);
    };
    return surfaceNet(distance, Box3f(V3f(-0.075f, -0.02f, -0.065f), V3f(0.08f, 0.11f, 0.065f)), 0.0028f);
}

}  // namespace ovrix::demo
