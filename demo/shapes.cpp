#include "shapes.h"

#include "base/noise.h"
#include "geo/mesh/primitives.h"
#include "geo/strands/strands.h"

namespace ovrix::demo {

namespace {

float smoothStep(float a, float b, float x) {
    const float t = std::clamp((x - a) / (b - a), 0.0f, 1.0f);
    return t * t * (3.0f - 2.0f * t);
}

/// A dome of rock on the shelf, flattened a little and rough.
float boulder(float x, float z, float cx, float cz, float radius, float height) {
    const float wobble = 0.22f * gradientNoise(V3f(x * 2.3f, 3.0f, z * 2.3f), 91);
    const float d = std::hypot(x - cx, z - cz) / (radius * (1.0f + wobble));
    return d < 1.0f ? height * std::pow(1.0f - d * d, 0.55f) : 0.0f;
}

float ledgeHeight(float x, float z) {
    const V3f p(x, 0, z);
    const float bend = 0.35f * fractalNoise(p * 0.9f, 5, {3, 0.5f, 2.0f, NoiseKind::Soft});
    float y = -0.22f;
    y += 0.26f * smoothStep(0.55f, 0.30f, z + bend);          // first step out of the sand
    y += 0.17f * smoothStep(0.02f, -0.16f, z + bend * 1.2f);  // second step
    y += 0.10f * smoothStep(-0.55f, -0.85f, z + bend * 0.8f + 0.12f * x);
    y += boulder(x, z, -0.85f, -0.05f, 0.42f, 0.26f) + boulder(x, z, 0.95f, -0.42f, 0.46f, 0.27f);
    y += boulder(x, z, 0.30f, 0.22f, 0.2f, 0.13f) + boulder(x, z, -0.25f, -0.75f, 0.36f, 0.20f);
    y += 0.06f * fractalNoise(p * 2.6f, 11, {5, 0.55f, 2.1f, NoiseKind::Soft});
    const float crack = std::abs(gradientNoise(p * 1.7f + V3f(0.4f * bend), 23));
    y -= 0.03f * smoothStep(0.07f, 0.0f, crack);
    y += 0.016f * fractalNoise(p * 9.0f, 31, {4, 0.55f, 2.0f, NoiseKind::Ridged});
    y += 0.012f * fractalNoise(p * 22.0f, 37, {2, 0.5f, 2.0f, NoiseKind::Soft});
    return y;
}

/// Turns a profile (radius, height) around Y; @p shape may push each point.
MeshPtr turned(int around, const std::vector<V2f>& profile,
               const std::function<V3f(V3f, float u, float v)>& shape) {
    const int rows = int(profile.size()) - 1;
    return makeGrid(around, rows, [&](float u, float v) {
        const V2f q = profile[size_t(std::lround(v * float(rows)))];
        const float phi = u < 1.0f ? -2.0f * kPi * u : 0.0f;  // the seam closes exactly
        return shape(V3f(q.x * std::cos(phi), q.y, q.x * std::sin(phi)), u, v);
    });
}

/// Pushes the points along their normals, so that walls get as rough as what lies flat.
MeshPtr roughened(const Mesh& mesh, const std::function<float(const V3f&)>& push) {
    std::vector<V3f> normal(mesh.points.size(), V3f(0.0f));
    const auto position = mesh.positions();
    for (const auto& t : mesh.triangles()) {
        const V3f a = mesh.cornerPosition(t[0]), b = mesh.cornerPosition(t[1]), c = mesh.cornerPosition(t[2]);
        const V3f n = (b - a).cross(c - a);  // as long as twice the area: large faces count for more
        for (uint32_t corner : t) normal[mesh.cornerPoint[corner]] += n;
    }
    Mesh out = mesh;
    const std::vector<V3f> before(position.begin(), position.end());
    auto moved = out.points.add<V3f>("P");
    for (size_t i = 0; i < before.size(); ++i)
        moved[i] = before[i] + normal[i].normalized() * push(before[i]);
    out.corners.remove("N");
    out.finish();
    return std::make_shared<const Mesh>(std::move(out));
}

/// Broken rock: ridges that run through it, chips, and grain.
float rockRelief(const V3f& p) {
    const V3f tilted(p.x + 0.25f * p.y, p.y * 1.8f - 0.3f * p.x, p.z);  // beds lie aslant
    const float beds = fractalNoise(tilted * 4.5f, 71, {4, 0.5f, 2.1f, NoiseKind::Ridged});
    const float chips = fractalNoise(p * 17.0f, 73, {3, 0.55f, 2.0f, NoiseKind::Ridged});
    const float knobs = fractalNoise(p * 31.0f, 77, {3, 0.55f, 2.1f, NoiseKind::Soft});
    const float grain = fractalNoise(p * 78.0f, 79, {2, 0.6f, 1.9f, NoiseKind::Soft});
    return 0.034f * beds + 0.012f * chips + 0.006f * knobs + 0.0045f * grain;
}

}  // namespace

MeshPtr ledge() {
    const MeshPtr smooth = makeGrid(520, 360, [](float u, float v) {
        const float x = (u - 0.5f) * 3.4f, z = (0.5f - v) * 2.3f - 0.15f;
        const float y = ledgeHeight(x, z);
        // Sideways shifts make faces lean and hang over, which a bare height never does.
        const V3f p(x, y, z);
        const float lean = 0.05f * fractalNoise(p * 3.1f, 41, {3, 0.5f, 2.0f, NoiseKind::Soft});
        return V3f(
            x + lean, y,
            z + 0.09f * fractalNoise(p * 2.2f + V3f(7, y * 3, 1), 43, {3, 0.5f, 2.0f, NoiseKind::Soft}));
    });
    return roughened(*smooth, rockRelief);
}

float sandHeight(float x, float z) {
    const V3f p(x, 0, z);
    const float swell = 0.045f * fractalNoise(p * 0.8f, 61, {3, 0.5f, 2.0f, NoiseKind::Soft});
    const float grain = 0.0035f * fractalNoise(p * 13.0f, 69, {3, 0.5f, 2.0f, NoiseKind::Soft});
    const float ripple = 0.0009f * std::sin(52.0f * z + 6.0f * gradientNoise(p * 1.6f, 67) + 5.0f * x);
    return -0.02f + swell + ripple + grain + 0.02f * (1.0f - smoothStep(0.2f, 1.6f, z));
}

MeshPtr sand() {
    return makeGrid(320, 320, [](float u, float v) {
        const float x = (u - 0.5f) * 7.0f, z = (0.5f - v) * 7.0f;
        return V3f(x, sandHeight(x, z), z);
    });
}

MeshPtr barnacle(bool open, uint32_t seed) {
    std::vector<V2f> profile = {{1.05f, -0.12f}, {1.0f, 0.05f},  {0.88f, 0.3f}, {0.72f, 0.55f},
                                {0.56f, 0.74f},  {0.48f, 0.78f}, {0.42f, 0.74f}};
    if (open)
        profile.insert(profile.end(), {{0.38f, 0.55f}, {0.3f, 0.3f}, {0.15f, 0.22f}, {0.001f, 0.2f}});
    else
        profile.insert(profile.end(), {{0.4f, 0.62f}, {0.25f, 0.66f}, {0.12f, 0.72f}, {0.001f, 0.74f}});
    return turned(42, profile, [seed](V3f p, float u, float v) {
        const float plates = 0.06f * std::pow(std::abs(std::sin(3.0f * 2.0f * kPi * u)), 0.4f);
        const float ribs = 0.035f * std::sin(18.0f * 2.0f * kPi * u) * (1.0f - v);
        const V3f round(std::cos(2 * kPi * u), v * 2.0f, std::sin(2 * kPi * u));
        const float rough = 0.10f * fractalNoise(round * 1.3f, seed, {3, 0.5f, 2.0f, NoiseKind::Soft});
        const float k = 0.94f + plates + ribs + rough;
        return V3f(p.x * k, p.y * (1.0f + 0.8f * rough), p.z * k) * 0.006f;
    });
}

MeshPtr limpet() {
    std::vector<V2f> profile;
    for (int i = 0; i <= 14; ++i) {
        const float t = float(i) / 14.0f;
        profile.push_back({std::max(0.001f, 1.0f - t), 0.62f * std::pow(t, 0.85f) - (i == 0 ? 0.06f : 0.0f)});
    }
    return turned(60, profile, [](V3f p, float u, float v) {
        const float rib = 1.0f + 0.045f * std::sin(20.0f * 2.0f * kPi * u) * (1.0f - 0.7f * v);
        const float ring = 0.012f * std::sin(38.0f * v);
        return V3f(p.x * rib * 1.15f + 0.18f * v, p.y + ring, p.z * rib * 0.92f) * 0.014f;
    });
}

MeshPtr snailShell() {
    constexpr float kTurns = 3.6f, kGrowth = 0.30f;  // growth of the radius, per radian on a log scale
    return makeGrid(110, 18, [](float u, float v) {
        const float theta = kTurns * 2.0f * kPi * u,
                    size = std::exp(kGrowth * 0.5f * (theta - kTurns * 2.0f * kPi));
        const float psi = 2.0f * kPi * v;
        const float ridge = 1.0f + 0.035f * std::sin(theta * 9.0f);
        const float tube = 0.62f * size * ridge, around = 0.56f * size;
        const V3f out(std::cos(theta), 0, std::sin(theta));
        const V3f p = out * (around + tube * std::cos(psi)) +
                      V3f(0, tube * std::sin(psi) * 1.05f - 1.55f * size + 1.0f, 0);
        const V3f lying(p.y * 0.8f - p.x * 0.2f, p.x * 0.9f + 0.62f,
                        p.z);  // on its side, as the tide leaves it
        return lying * 0.0105f;
    });
}

MeshPtr stone(uint32_t seed) {
    const MeshPtr ball = makeSphere(1.0f, 40);
    Mesh mesh = *ball;
    auto p = mesh.points.add<V3f>("P");
    for (V3f& q : p) {
        const float bumps = 0.30f * fractalNoise(q * 0.9f, seed, {3, 0.5f, 2.0f, NoiseKind::Soft}) +
                            0.05f * fractalNoise(q * 5.0f, seed + 5, {3, 0.5f, 2.0f, NoiseKind::Soft});
        q = q * (1.0f + bumps);
        q = V3f(q.x * 1.15f, q.y * 0.68f + 0.35f, q.z * 0.9f) * 0.03f;
    }
    mesh.corners.remove("N");
    mesh.finish();
    return std::make_shared<const Mesh>(std::move(mesh));
}

MeshPtr fish(float depth) {
    // From nose to tail: how far up, down and aside the body goes, in metres.
    struct Cut {
        float along, up, down, aside;
    };
    constexpr Cut cuts[] = {
        {0.00f, 0.004f, 0.006f, 0.004f}, {0.02f, 0.022f, 0.026f, 0.018f}, {0.07f, 0.046f, 0.050f, 0.034f},
        {0.15f, 0.070f, 0.074f, 0.047f}, {0.25f, 0.086f, 0.090f, 0.053f}, {0.36f, 0.094f, 0.092f, 0.052f},
        {0.44f, 0.116f, 0.088f, 0.047f}, {0.50f, 0.102f, 0.082f, 0.042f}, {0.60f, 0.068f, 0.070f, 0.033f},
        {0.70f, 0.046f, 0.060f, 0.023f}, {0.78f, 0.031f, 0.036f, 0.014f}, {0.83f, 0.026f, 0.028f, 0.009f},
        {0.87f, 0.042f, 0.044f, 0.006f}, {0.92f, 0.084f, 0.086f, 0.004f}, {0.97f, 0.122f, 0.124f, 0.003f},
        {1.00f, 0.132f, 0.134f, 0.002f}};
    constexpr uint32_t kRound = 20;
    std::vector<V3f> p;
    for (const Cut& c : cuts)
        for (uint32_t k = 0; k < kRound; ++k) {
            const float turn = 2.0f * kPi * float(k) / float(kRound), y = std::sin(turn);
            // The tail is cut deeper in its middle than at its tips.
            const float notch = std::max(0.0f, (c.along - 0.84f) / 0.16f) * 0.1f * (1.0f - std::abs(y));
            p.push_back(V3f(c.aside * std::cos(turn) * std::sqrt(std::abs(std::cos(turn))),
                            depth * (y > 0 ? c.up : c.down) * y, 0.5f - c.along + notch));
        }
    const auto rings = uint32_t(std::size(cuts));
    Mesh mesh;
    for (const uint32_t ring : {0u, rings - 1}) {  // the middle of both ends
        V3f middle(0.0f);
        for (uint32_t k = 0; k < kRound; ++k) middle += p[ring * kRound + k] / float(kRound);
        p.push_back(middle);
    }
    for (uint32_t k = 0; k < kRound; ++k) {
        const uint32_t n = (k + 1) % kRound, last = (rings - 1) * kRound;
        for (uint32_t r = 0; r + 1 < rings; ++r)
            mesh.addFace({r * kRound + k, (r + 1) * kRound + k, (r + 1) * kRound + n, r * kRound + n});
        mesh.addFace({rings * kRound, k, n});
        mesh.addFace({rings * kRound + 1, last + n, last + k});
    }
    mesh.points.set("P", std::move(p));
    mesh.finish();
    return std::make_shared<const Mesh>(std::move(mesh));
}

MeshPtr crab() {
    StrandSet set;
    std::vector<V3f> p;
    std::vector<float> width;
    const auto limb = [&](const std::vector<V3f>& line, const std::vector<float>& wide) {
        p.insert(p.end(), line.begin(), line.end());
        width.insert(width.end(), wide.begin(), wide.end());
        set.start.push_back(uint32_t(p.size()));
    };
    std::vector<V3f> shell;
    std::vector<float> across;
    for (int k = 0; k <= 12; ++k) {  // flat below, widest in front of its middle
        const float t = float(k) / 6.0f - 1.0f;
        shell.push_back(V3f(0.058f * t, 0.042f, 0.006f * (1.0f - t * t)));
        across.push_back(0.082f * std::sqrt(std::max(0.02f, 1.0f - t * t)));
    }
    limb(shell, across);
    for (const float side : {-1.0f, 1.0f}) {
        for (int k = 0; k < 4; ++k) {
            const float z = -0.03f + 0.018f * float(k);
            limb({V3f(side * 0.04f, 0.036f, z), V3f(side * 0.066f, 0.058f, 1.4f * z),
                  V3f(side * 0.094f, 0.036f, 1.9f * z), V3f(side * 0.108f, 0.0f, 2.2f * z)},
                 {0.013f, 0.011f, 0.008f, 0.003f});
        }
        limb({V3f(side * 0.036f, 0.036f, 0.03f), V3f(side * 0.062f, 0.042f, 0.052f),
              V3f(side * 0.06f, 0.04f, 0.07f), V3f(side * 0.05f, 0.038f, 0.088f),
              V3f(side * 0.036f, 0.036f, 0.102f)},
             {0.012f, 0.014f, 0.024f, 0.026f, 0.004f});
        limb({V3f(side * 0.014f, 0.05f, 0.036f), V3f(side * 0.017f, 0.066f, 0.043f),
              V3f(side * 0.018f, 0.071f, 0.044f)},
             {0.005f, 0.006f, 0.009f});
    }
    set.points.set("P", std::move(p));
    set.points.set("width", std::move(width));
    std::vector<uint64_t> id(set.size());
    for (size_t i = 0; i < id.size(); ++i) id[i] = i;
    set.strands.set("id", std::move(id));
    return tubesOf(set, 14, 0.004f);
}

}  // namespace ovrix::demo
