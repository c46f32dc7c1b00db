// Lines against exact outlines.
#include "render/trace/contours.h"

#include "geo/strands/strands.h"
#include "render/light/sky.h"
#include "render/render_support.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;

namespace {

constexpr int kSize = 96;

/// White things with black lines, before nothing.
struct Drawing {
    RenderScene scene;
    std::shared_ptr<Contours> lines = std::make_shared<Contours>();
    CameraOptions camera;
    Drawing() {
        lines->unit = Contours::Unit::Pixels;
        lines->width.high = 4.0f;
        lines->crease = radians(50.0f);
        camera.position = V3f(0, 0, 4), camera.focal = 36;  // the picture is as wide as it is away
    }
    SurfaceMaterial ink(float light = 1.0f) const {
        SurfaceMaterial m;
        m.base.high = Color(light);
        auto art = std::make_shared<LineArt>();
        art->shading = LineArt::Shading::Flat;
        m.drawn = art, m.contours = lines;
        return m;
    }
    Film film(int passes = 4) {
        scene.commit(Progress::none());
        Film film(kSize, kSize);
        RenderOptions o;
        o.filter = PixelFilter(PixelFilter::Kind::Box, 1.0f);
        o.clearBackground = true;
        const Renderer renderer(scene, Camera(camera, 1.0f), o);
        for (int pass = 0; pass < passes; ++pass)
            renderer.renderPass(film, uint32_t(pass), {0, 0, kSize, kSize}, Progress::none());
        return film;
    }
};

/// How much of a pixel is line: what is there and black.
float lineAt(const Film& film, int x, int y) {
    const FilmPixel p = film.at(x, y);
    return (p.alpha - film.beauty(x, y).x * float(p.samples)) / float(p.samples);
}

/// Every pixel is line where @p away, its distance in pixels from an outline, is well under half the line's
/// width, and none where it is well over. Straight edges are found to 0.92 of it, and a pixel's corner lies
/// 0.71 from its middle.
template <class Away>
void checkLines(const Film& film, float width, const Away& away) {
    int wrong = 0, lines = 0;
    for (int y = 0; y < kSize; ++y)
        for (int x = 0; x < kSize; ++x) {
            const float d = away(V2f(float(x) + 0.5f, float(y) + 0.5f)), line = lineAt(film, x, y);
            if (d < 0.5f * width * 0.92f - 0.75f) wrong += line < 0.999f, ++lines;
            if (d > 0.5f * width + 0.75f) wrong += line > 0.001f;
        }
    CHECK(wrong == 0);
    CHECK(lines > 50);
}

/// Turns a plane that lies to face the camera.
M44f upright() { return M44f().setAxisAngle(V3f(1, 0, 0), 0.5f * kPi); }

float toSegment(const V2f& p, const V2f& a, const V2f& b) {
    const V2f d = b - a;
    const float t = std::clamp((p - a).dot(d) / d.dot(d), 0.0f, 1.0f);
    return (p - a - d * t).length();
}

}  // namespace

TEST_CASE("the contour of a ball is a circle", "[line-art]") {
    Drawing d;
    addTo(d.scene, makeSphere(1, 256), d.ink());
    const float radius = std::tan(std::asin(0.25f)) * float(kSize);
    for (const float width : {4.0f, 8.0f}) {
        d.lines->width.high = width;
        checkLines(d.film(), width,
                   [&](const V2f& p) { return std::abs((p - V2f(0.5f * kSize)).length() - radius); });
    }
}

TEST_CASE("a box has its outline and its creases", "[line-art]") {
    Drawing d;
    addTo(d.scene, sharpBox(V3f(1, 1, 1)), d.ink());
    d.camera.position = V3f(0, 0, 3);
    d.camera.target = V3f(0, 0, 0);
    // Seen straight on it shows its front face alone: a square at distance 2.5, half of 1 to both sides.
    const float half = 0.5f / 2.5f * float(kSize), m = 0.5f * kSize;
    const auto square = [&](const V2f& p) {
        const V2f corners[] = {
            {m - half, m - half}, {m + half, m - half}, {m + half, m + half}, {m - half, m + half}};
        float least = 1e9f;
        for (int k = 0; k < 4; ++k) least = std::min(least, toSegment(p, corners[k], corners[(k + 1) % 4]));
        return least;
    };
    checkLines(d.film(), 4.0f, square);
    // Turned, an edge of it goes down the middle: only creases draw that.
    d.camera.position = V3f(2.2f, 0, 2.2f);
    CHECK(lineAt(d.film(), kSize / 2, kSize / 2) > 0.999f);
    for (const float none : {100.0f, 180.0f}) {
        d.lines->crease = radians(none);
        CHECK(lineAt(d.film(), kSize / 2, kSize / 2) < 0.001f);
    }
}

TEST_CASE("where materials meet there is a line, whether objects have outlines or not", "[line-art]") {
    Drawing d;
    d.lines->crease = kPi;
    const uint32_t white = d.scene.addMaterial(d.ink()), grey = d.scene.addMaterial(d.ink(0.6f));
    auto halves = std::make_shared<Mesh>(*makePlane(2, 2));  // two materials, side by side
    const Mesh& m = *halves;
    std::vector<int32_t> slots(m.faceCount(), 0);
    for (size_t f = 0; f < slots.size(); ++f) {
        V3f middle(0.0f);
        for (uint32_t c = m.faceStart[f]; c < m.faceStart[f + 1]; ++c) middle += m.cornerPosition(c);
        slots[f] = middle.x > 0 ? 1 : 0;
    }
    halves->faces.set("slot", std::move(slots));
    halves->slotNames = {"white", "grey"};
    const uint32_t look = d.scene.addMaterialSlots({white, grey});
    d.scene.addInstance({d.scene.addMesh(halves), look, 1, 0, 0}, upright());
    for (const bool objects : {true, false}) {
        d.lines->objects = objects;
        const Film film = d.film();
        CHECK(film.beauty(kSize / 2, kSize / 2).x < 0.01f);
        CHECK((lineAt(film, kSize / 4, kSize / 2) > 0.9f) == objects);  // its left border
    }
    d.lines->materials = false;
    CHECK(d.film().beauty(kSize / 2 - 1, kSize / 2).x > 0.5f);
}

TEST_CASE("lines lie in the fog before them, and behind lamps", "[line-art][fog]") {
    Drawing d;
    d.lines->width.high = 8.0f;
    addTo(d.scene, sharpBox(V3f(1, 1, 0.1f)), d.ink());
    const int edge = kSize / 2 - int(0.5f / 3.95f * float(kSize));  // of its front
    const auto line = [&] { return meanOver(d.film(64), edge, 40, edge + 1, 56).x; };
    CHECK(line() == 0.0f);
    d.lines->color.high = Color(1.0f);
    CHECK(line() == Approx(1.0f));
    d.scene.fog = {.density = 0.3f, .base = 0.0f, .falloff = 1e6f, .color = V3f(0.0f)};
    CHECK(line() == Approx(std::exp(-0.3f * 3.95f)).epsilon(0.15));  // of 1,024 draws: 3 sigma
    BallLight lamp;
    lamp.center = V3f(-0.4f, 0, 2), lamp.radius = 0.3f, lamp.radiance = V3f(3.0f);
    d.scene.lights.push_back(lamp);
    d.scene.fog = {};
    CHECK(d.film().beauty(edge, kSize / 2).x == Approx(3.0f));
}

TEST_CASE("no colour of line takes light away", "[line-art][damaged]") {
    Drawing d;
    addTo(d.scene, makeSphere(1, 64), d.ink());
    for (const float dark : {-1.0f, 0.5f}) {
        d.lines->color.high = Color(-3.0f, NAN, 0.25f);
        d.lines->darkened = dark;
        const Film film = d.film(1);
        for (int x = 0; x < kSize; ++x)
            for (int k = 0; k < 3; ++k) CHECK(film.beauty(x, kSize / 2)[k] >= 0.0f);
    }
}

TEST_CASE("strands that cross have lines along both sides, and the nearer goes over", "[line-art]") {
    Drawing d;
    d.lines->elements = true;
    d.lines->width.high = 3.0f;
    const float r = 0.15f;  // metres; 4 away a pixel is 1/24
    auto strands = std::make_shared<StrandSet>();
    strands->start = {0, 2, 4};
    strands->points.set("P",
                        std::vector<V3f>{V3f(-3, 0, 0), V3f(3, 0, 0), V3f(0, -3, 0.5f), V3f(0, 3, 0.5f)});
    strands->points.set("width", std::vector<float>(4, 2 * r));
    strands->strands.set("id", std::vector<uint64_t>{1, 2});
    const uint32_t look = d.scene.addMaterialSlots({d.scene.addMaterial(d.ink())});
    RenderScene::Instance instance{d.scene.addStrands(strands, {}), look, 0, 1, RenderScene::kOwnElement};
    d.scene.addInstance(instance, M44f());
    const Film film = d.film(8);
    const auto row = [&](float y, float z) { return (0.5f - y / (4.0f - z)) * float(kSize); };
    // Far from the crossing: a line at both sides of each, white between.
    for (const int x : {6, kSize - 7}) {
        CHECK(lineAt(film, x, int(row(r, 0))) > 0.6f);
        CHECK(lineAt(film, x, int(row(-r, 0))) > 0.6f);
        CHECK(lineAt(film, x, kSize / 2) < 0.001f);
    }
    // In the crossing the far one's sides are hidden; the near one's go through.
    CHECK(lineAt(film, kSize / 2, int(row(r, 0))) < 0.001f);
    CHECK(lineAt(film, int(row(-r, 0.5f)), kSize / 2) > 0.6f);
}

TEST_CASE("lines taper by fields, and are as wide as the scene's own millimetres say", "[line-art]") {
    Drawing d;
    d.lines->unit = Contours::Unit::Metres;
    d.lines->width.high = 0.25f;  // at 4 metres 6 pixels
    addTo(d.scene, makePlane(2, 1), d.ink(), upright());
    const auto across = [](const Film& film, int y) {
        float sum = 0;
        for (int x = 0; x < kSize / 2; ++x) sum += lineAt(film, x, y);
        return sum;
    };
    const Film even = d.film(16);
    for (const int y : {36, 60}) {  // straight edges are found to 0.92 of the width
        CHECK(across(even, y) > 5.4f);
        CHECK(across(even, y) < 6.1f);
    }
    FieldSource height = makeSource("formula");
    height.params["formula"].value = std::string("0.5 + y");  // 0 below, 1 above
    d.lines->width.field = std::make_shared<CompiledField>(Field{{height}}, FieldContext());
    const Film tapered = d.film(16);
    const auto expected = [&](int y) {
        const float world = (0.5f - (float(y) + 0.5f) / float(kSize)) * 4.0f;
        return 6.0f * std::clamp(0.5f + world, 0.0f, 1.0f);
    };
    for (const int y : {kSize / 2 - 8, kSize / 2, kSize / 2 + 6})
        CHECK(across(tapered, y) == Approx(expected(y)).margin(0.7));
}

TEST_CASE("lines are seen in mirrors and through panes", "[line-art]") {
    Drawing d;
    addTo(d.scene, makeSphere(0.5f, 128), d.ink(), M44f().translate(V3f(0, 0, 6)));  // behind the camera
    addTo(d.scene, makePlane(8, 1), plain(1.0f, 0.0f, 1.0f, 0.5f), upright());
    // The camera looks into a mirror at 0: the ball stands 6 behind it, 10 away.
    const float radius = std::tan(std::asin(0.05f)) * float(kSize);
    const Film mirrored = d.film(8);
    int wrong = 0, dark = 0;
    for (int y = 0; y < kSize; ++y)
        for (int x = 0; x < kSize; ++x) {
            const float away = (V2f(float(x) + 0.5f, float(y) + 0.5f) - V2f(0.5f * kSize)).length();
            // Few of a mirror's paths go by its wide lobe, which is not sharp.
            if (away < radius - 2.75f) wrong += mirrored.beauty(x, y).x < 0.7f, ++dark;
            if (std::abs(away - radius) < 0.9f) wrong += mirrored.beauty(x, y).x > 0.3f, ++dark;
        }
    CHECK(wrong == 0);
    CHECK(dark > 30);
    // Through a pane that hides nothing.
    Drawing pane;
    addTo(pane.scene, makeSphere(1, 256), pane.ink());
    SurfaceMaterial clear = plain(1.0f, 0.0f, 0.0f, 0.0f);
    clear.transmissionWeight.high = 1.0f, clear.thinWalled = true, clear.specularWeight.high = 0.0f;
    addTo(pane.scene, makePlane(8, 1), clear, upright() * M44f().translate(V3f(0, 0, 2)));
    const Film through = pane.film(8);
    const int edge = int(std::tan(std::asin(0.25f)) * float(kSize));
    CHECK(through.beauty(kSize / 2, kSize / 2).x > 0.8f);
    CHECK(through.beauty(kSize / 2 + edge, kSize / 2).x < 0.1f);
}

TEST_CASE("what is drawn is shaded by the light that arrives, in steps", "[line-art]") {
    Drawing d;
    SurfaceMaterial m = d.ink(0.8f);
    m.contours = nullptr;
    auto art = std::make_shared<LineArt>();
    art->edge = 0.7f, art->softness = 0.0f;
    art->shadow.high = Color(0.2f);
    m.drawn = art;
    addTo(d.scene, makeSphere(1, 256), m);
    SunLight sun;
    sun.direction = V3f(0, 0, 1), sun.cosAngle = 0.99999f;
    sun.radiance = V3f(kPi / (2 * kPi * (1 - sun.cosAngle)));  // a white face turned to it is as bright as 1
    d.scene.lights.push_back(sun);
    Film film = d.film(4);
    // The light is the cosine: 0.7 of it 45.6 degrees from the middle.
    CHECK(film.beauty(kSize / 2, kSize / 2).x == Approx(0.8f));
    const auto at = [&](float degrees) {
        const V3f p(std::sin(radians(degrees)), 0, std::cos(radians(degrees)));
        return film.beauty(int((0.5f + p.x / (4.0f - p.z)) * float(kSize)), kSize / 2).x;
    };
    CHECK(at(36) == Approx(0.8f));
    CHECK(at(55) == Approx(0.2f));
    // A highlight stands about the mirror image of the light: of a form, beside it, of another light alone.
    art->shading = LineArt::Shading::Flat;
    art->highlight.weight.high = 1.0f;
    art->highlight.size = radians(30.0f), art->highlight.softness = 0.0f;
    art->highlight.tint.high = Color(0.0f);
    film = d.film(4);
    CHECK(at(0) == 0.0f);
    CHECK(at(10) == 0.0f);
    CHECK(at(20) == Approx(0.8f));  // mirrored it turns twice as far
    art->highlight.offset = V2f(2, 0);
    film = d.film(4);
    CHECK(at(0) == Approx(0.8f));
    art->highlight.light = 77;
    film = d.film(4);
    for (int x = 0; x < kSize; ++x)
        if (film.at(x, kSize / 2).alpha > 3.9f) CHECK(film.beauty(x, kSize / 2).x == Approx(0.8f));
    // Among many lights one is chosen as well.
    art->highlight.offset = V2f(0, 0);
    for (int i = 0; i < 40; ++i) {
        BallLight far;
        far.center = V3f(float(i) - 20, -60, -5), far.radius = 0.1f, far.radiance = V3f(0.01f);
        d.scene.lights.push_back(far);
    }
    d.scene.lights[0].node = 77;
    film = d.film(4);
    CHECK(at(0) == 0.0f);
    CHECK(at(20) == Approx(0.8f));
    art->highlight.light = 0;  // of those far away, whatever else shines from everywhere, and the strongest
    d.scene.lights.push_back(DomeLight(nullptr, V3f(100.0f), 0));
    film = d.film(4);
    CHECK(at(0) == 0.0f);
    CHECK(at(20) == Approx(0.8f));
}
