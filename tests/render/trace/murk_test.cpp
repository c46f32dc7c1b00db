// Clear matter that is clouded.
#include "render/light/sky.h"
#include "render/render_support.h"
#include "render/trace/shading.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;

namespace {

/// Matter that bends no light, and has no shine.
SurfaceMaterial matter(const Color& left, float depth, const Color& scatter, float forward = 0.0f) {
    SurfaceMaterial m = plain(0.0f, 0.0f, 0.0f, 0.0f);
    m.ior.high = 1.0f;
    m.transmissionWeight.high = 1.0f;
    m.transmissionColor.high = left, m.transmissionDepth.high = depth;
    m.transmissionScatter.high = scatter, m.transmissionForward.high = forward;
    return m;
}

}  // namespace

TEST_CASE("what is scattered is a part of what is taken, or makes it more", "[render][murk]") {
    const SurfaceMaterial m = matter(Color(std::exp(-2.0f)), 0.5f, Color(1.0f, 0.5f, 3.0f));
    SurfacePoint p;
    const Samples one = samplesAt(p, m);
    FieldsAt at(one);
    const Medium medium = mediumOf(m, clearAt(m, p, at), 3);
    // Over half a metre 2 are taken: 4 a metre. Blue scatters 6 a metre, which is 2 more for all.
    for (int k = 0; k < 3; ++k) CHECK(medium.extinction[k] == Approx(6.0f));
    CHECK(medium.scatter.x == Approx(2.0f));
    CHECK(medium.scatter.y == Approx(1.0f));
    CHECK(medium.scatter.z == Approx(6.0f));
    SurfaceMaterial shallow = m;
    shallow.transmissionDepth.high = 0.0f;
    FieldsAt again(one);
    CHECK_FALSE(mediumOf(shallow, clearAt(shallow, p, again), 3).scatters());
}

TEST_CASE("clouded matter that absorbs nothing is not seen in even light", "[render][murk]") {
    for (const float forward : {0.0f, 0.7f}) {
        const SurfaceMaterial milk = matter(Color(std::exp(-1.0f), std::exp(-2.0f), std::exp(-0.5f)), 1.0f,
                                            Color(1, 2, 0.5f), forward);
        const V3f seen = furnaceOf(milk, 64, 200);
        for (int k = 0; k < 3; ++k) CHECK(seen[k] == Approx(1.0f).epsilon(0.02));
    }
}

TEST_CASE("light that comes straight through is what extinction leaves, in each colour", "[render][murk]") {
    // A lamp behind a slab of 2 metres, which scatters backwards alone, so that hardly any comes by a turn.
    RenderScene scene;
    const Color left(0.8f, 0.5f, 0.3f);
    addTo(scene, sharpBox(V3f(20, 20, 2)), matter(left, 2.0f, Color(0.02f), -0.98f));
    QuadLight lamp;
    lamp.corner = V3f(-0.5f, -0.5f, -4), lamp.side1 = V3f(1, 0, 0), lamp.side2 = V3f(0, 1, 0);
    lamp.normal = V3f(0, 0, 1), lamp.area = 1, lamp.radiance = V3f(1.0f);
    scene.lights.push_back(lamp);
    scene.commit(Progress::none());
    CameraOptions c;
    c.position = V3f(0, 0, 4), c.focal = 300;
    const V3f seen = meanOver(render(scene, c, 12, 256, 16), 0, 0, 12, 12);
    for (int k = 0; k < 3; ++k) CHECK(seen[k] == Approx(left[k]).epsilon(0.03));
}

TEST_CASE("the first turn in clouded matter is the integral along the ray", "[render][murk]") {
    RenderScene scene;
    const float sigma = 0.05f;
    addTo(scene, sharpBox(V3f(40, 40, 40)), matter(Color(std::exp(-sigma)), 1.0f, Color(sigma), 0.3f));
    BallLight ball;
    ball.center = V3f(0, 2, 0), ball.radius = 0.05f, ball.radiance = V3f(1000.0f);
    scene.lights.push_back(ball);
    scene.commit(Progress::none());
    CameraOptions c;
    c.position = V3f(0, 0, 25), c.focal = 3600;  // from without: a boundary, then the matter
    const V3f seen = meanOver(render(scene, c, 16, 2048, 1), 0, 0, 16, 16);
    const float flux = 1000.0f * kPi * 0.05f * 0.05f;
    double sum = 0;
    constexpr int kSteps = 100000;
    for (int i = 0; i < kSteps; ++i) {
        const float t = 40.0f * (float(i) + 0.5f) / kSteps;
        const V3f place(0, 0, 20 - t), to = V3f(0, 2, 0) - place;
        const float d = to.length(), g = 0.3f, cosine = V3f(0, 0, -1).dot(to / d);
        const float w = 1 + g * g - 2 * g * cosine, turned = (1 - g * g) / (4 * kPi * w * std::sqrt(w));
        sum += double(sigma * std::exp(-sigma * (t + d)) * turned * flux / (d * d)) * 40.0 / kSteps;
    }
    CHECK(double(seen.x) == Approx(sum).epsilon(0.06));
}
