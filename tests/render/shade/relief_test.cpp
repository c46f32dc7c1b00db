// Normals that fields of height and maps bend.
#include "field/field_support.h"
#include "render/render_support.h"
#include "render/trace/shading.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;

namespace {

/// The bent normal of a plane that faces up, where a ray from above meets it.
struct Plane {
    SurfaceMaterial m;
    V3f at(const V3f& from, const M44f& matrix = M44f()) const {
        RenderScene scene;
        addTo(scene, makePlane(2, 1), m, matrix);
        scene.commit(Progress::none());
        const Ray ray{from, V3f(0, from.y > 0 ? -1.0f : 1.0f, 0)};
        const RayHit hit = scene.intersect(ray, false);
        REQUIRE(hit.hit());
        const SurfacePoint p = scene.surfacePoint(hit, ray);
        const Samples one = samplesAt(p, m);
        FieldsAt fields(one);
        return bentNormal(m, p, fields, 1e-3f);
    }
};

void checkNear(const V3f& a, const V3f& b) {
    for (int k = 0; k < 3; ++k) CHECK(a[k] == Approx(b[k]).margin(2e-3));
}

}  // namespace

TEST_CASE("a slope of height bends the normal by its steepness", "[relief]") {
    Plane p;
    const V3f from(0.3f, 1, 0.2f);
    checkNear(p.at(from), V3f(0, 1, 0));
    p.m.bump.high = 1.0f, p.m.bump.field = compiledFormula("x / 2");
    checkNear(p.at(from), V3f(-0.5f, 1, 0).normalized());
    p.m.bump.field = compiledFormula("z");
    checkNear(p.at(from), V3f(0, 1, -1).normalized());
    // From below the same hills are hollows: the normal looks down, and leans the other way.
    p.m.bump.field = compiledFormula("x / 2");
    checkNear(p.at(V3f(0.3f, -1, 0.2f)), V3f(0.5f, -1, 0).normalized());
    // By texture places: the plane's 2 metres are 1 of them.
    p.m.bump.field = compiledFormula("u");
    const V3f n = p.at(from);
    CHECK(std::abs(n.x / n.y) + std::abs(n.z / n.y) == Approx(0.5f).margin(2e-3));
    // What is no number bends nothing.
    p.m.bump.high = NAN;
    checkNear(p.at(from), V3f(0, 1, 0));
}

TEST_CASE("a material over another raises it where it begins", "[relief]") {
    Plane p;
    auto sand = std::make_shared<SurfaceMaterial>();
    sand->bump.high = 0.1f;
    p.m.over = sand, p.m.overWeight.field = compiledFormula("x");
    p.m.overWeight.high = 1.0f;
    checkNear(p.at(V3f(0.5f, 1, 0)), V3f(-0.1f, 1, 0).normalized());
}

TEST_CASE("a map of normals is read along the axes of the texture", "[relief]") {
    Plane p;
    FieldSource grey = makeSource("constant");
    grey.params["value"].value = 1.0;
    p.m.normalMap.field = std::make_shared<CompiledField>(Field{{grey}}, FieldContext());
    p.m.normalMap.high = Color(0.5f, 0.5f, 1.0f);
    checkNear(p.at(V3f(0.3f, 1, 0.2f)), V3f(0, 1, 0));
    p.m.normalMap.high = Color(1.0f, 0.5f, 1.0f);  // half a right angle along the first axis
    const V3f same = p.at(V3f(0.3f, 1, 0.2f));
    p.m.normalMap.field = nullptr;  // one colour is a map, too
    checkNear(p.at(V3f(0.3f, 1, 0.2f)), same);
    const V3f n = p.at(V3f(0.3f, 1, 0.2f));
    CHECK(n.y == Approx(std::sqrt(0.5f)).margin(1e-3));
    CHECK(std::abs(n.x) == Approx(std::sqrt(0.5f)).margin(1e-3));
    p.m.normalStrength.high = 0.0f;
    checkNear(p.at(V3f(0.3f, 1, 0.2f)), V3f(0, 1, 0));
    p.m.normalStrength.high = NAN;
    checkNear(p.at(V3f(0.3f, 1, 0.2f)), V3f(0, 1, 0));
}

TEST_CASE("relief keeps the energy of what it bends", "[relief]") {
    SurfaceMaterial m = plain(1.0f, 0.3f, 0.0f, 0.5f);
    m.bump.high = 0.02f;
    m.bump.field = compiledFormula("sin(x * 40) * sin(y * 40)");
    const V3f seen = furnaceOf(m, 64, 16);
    CHECK(seen.x < 1.01f);
    CHECK(seen.x > 0.8f);  // rays that would go on below the face are lost
}
