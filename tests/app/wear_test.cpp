// What the view shows of materials: colours, lines and creases.
#include "app_test.h"

using namespace ovrix::deliver;
using namespace ovrix::app;

class WearTest : public WindowFixture {
    Q_OBJECT
  private Q_SLOTS:
    void wearsMaterials();
    void drawsLinesOfLayers();
    void drawsCreases();
    void drawsBordersAndJumps();
    void wearsColoursOnStrands();
};

/// How many pixels of the view are as asked.
static int pixelsOf(ViewWidget* view, const std::function<bool(const QColor&)>& asked) {
    QTest::qWait(30);
    const QImage image = view->grabFramebuffer();
    int count = 0;
    for (int y = 0; y < image.height(); ++y)
        for (int x = 0; x < image.width(); ++x) count += asked(image.pixelColor(x, y));
    return count;
}

/// About in that colour.
static int pixelsOf(ViewWidget* view, const QColor& color) {
    return pixelsOf(view, [&](const QColor& p) {
        return std::abs(p.red() - color.red()) + std::abs(p.green() - color.green()) +
                   std::abs(p.blue() - color.blue()) <
               60;
    });
}

/// A layer of blades on the ground of makeLayer().
static Document withBlades(const Document& d, const std::string& material, const char* root, const char* tip,
                           std::string* id) {
    Document out = d;
    Node layer = makeNode(out, "layer", "Blades");
    *id = layer.id;
    layer.params["surface"].value = std::string("ground");
    layer.params["material"].value = material;
    for (const char* step : {"scatter", "grow", "strand_width"}) layer.steps.push_back(makeStep(step, layer));
    out.put(std::move(layer));
    for (const auto& [path, text] : {std::pair{"/scatter/count", "4000"},
                                     {"/grow/length", "0.5..0.6"},
                                     {"/strand_width/root", root},
                                     {"/strand_width/tip", tip}})
        out = withText(out, *id + path, text);
    return out;
}

/// Colours by fields, what is cut out, what is seen through, and the scene's own light.
void WearTest::wearsMaterials() {
    auto& c = driver->window.controller();
    auto* view = driver->window.view();
    std::string material;
    c.edit("scene", [&](const Document& d) {
        Document out = d;
        Node m = makeNode(out, "surface", "Half");
        material = m.id;
        FieldSource height = makeSource("formula");
        height.params["formula"].value = std::string("y > 0");
        m.params["base_color"].value = Color(1.0f, 0.0f, 0.0f);
        m.params["base_color"].low = Color(0.0f, 0.0f, 1.0f);
        m.params["base_color"].field = std::make_shared<Field>(Field{{height}});
        m.params["specular_weight"].value = 0.0;
        out.put(m);
        Node ball = makeNode(out, "sphere", "Ball");
        ball.params["segments"].value = int64_t(96);
        ball.params["radius"].value = 1.0;
        ball.params["material"].value = m.id;
        out.put(ball);
        out = withValue(out, {"camera", "", "position"}, V3d(0, 0, 5));
        return withValue(out, {"camera", "", "target"}, V3d(0, 0, 0));
    });
    view->lookThroughCamera();
    driver->settle();
    const auto colorAt = [&](const V3f& place) {
        QTest::qWait(30);
        const auto at = view->project(place);
        const QImage image = view->grabFramebuffer();
        const double scale = double(image.width()) / view->width();
        return image.pixelColor(int(at->x() * scale), int(at->y() * scale));
    };
    const auto redAbove = [&] {
        const QColor top = colorAt(V3f(0, 0.5f, 0.8f)), bottom = colorAt(V3f(0, -0.5f, 0.8f));
        return top.red() > 2 * top.blue() && bottom.blue() > 2 * bottom.red();
    };
    QVERIFY(driver->waitFor(redAbove));
    // A change of the material shows.
    c.setValue({material, "", "base_color"}, Color(0.0f, 1.0f, 0.0f));
    QVERIFY(driver->waitFor([&] {
        return colorAt(V3f(0, 0.5f, 0.8f)).green() > 100 && colorAt(V3f(0, 0.5f, 0.8f)).red() < 100;
    }));
    // One of the same form wears something else.
    c.edit("another", [&](const Document& d) {
        Document out = d;
        Node blue = makeNode(out, "surface", "Blue");
        blue.params["base_color"].value = Color(0.0f, 0.0f, 1.0f);
        blue.params["specular_weight"].value = 0.0;
        out.put(blue);
        Node other = d.get(c.document().nodes(Category::Object).back()->id);
        other.id = "other", other.name = "Other";
        other.params["material"].value = blue.id;
        other.params["position"].value = V3d(-1.6, 0, 0);
        other.params["scale"].value = V3d(0.4, 0.4, 0.4);
        out.put(other);
        return out;
    });
    QVERIFY(driver->waitFor([&] {
        const QColor left = colorAt(V3f(-1.6f, 0.05f, 0.38f)), right = colorAt(V3f(0, 0.5f, 0.8f));
        return left.blue() > 2 * left.green() && right.green() > 2 * right.blue();
    }));
    c.undo();
    driver->settle();
    // Cut out: what lies behind is the ground of the view.
    const QColor ground = colorAt(V3f(1.6f, 0.5f, 0));
    c.setValue({material, "", "geometry_opacity"}, 0.0);
    QVERIFY(driver->waitFor([&] { return colorAt(V3f(0, 0.5f, 0.8f)) == ground; }));
    c.setValue({material, "", "geometry_opacity"}, 1.0);
    QVERIFY(driver->waitFor([&] { return colorAt(V3f(0, 0.5f, 0.8f)) != ground; }));
    // Under a red sun that stands behind, the front is darker and redder than in the neutral light.
    c.setValue({material, "", "base_color"}, Color(0.8f));
    driver->settle();
    QTest::qWait(300);
    const QColor neutral = colorAt(V3f(0, 0.5f, 0.8f));
    c.setValue({"sun", "", "azimuth"}, 180.0);
    c.setValue({"sun", "", "elevation"}, 4.0);
    driver->settle();
    QTest::qWait(300);
    QCOMPARE(colorAt(V3f(0, 0.5f, 0.8f)), neutral);
    QTest::keyClick(&driver->window, Qt::Key_S, Qt::ShiftModifier);
    QVERIFY(view->findChild<QToolButton*>("sceneLight")->isChecked());
    QVERIFY(driver->waitFor([&] { return colorAt(V3f(0, 0.5f, 0.8f)).value() < neutral.value() - 20; }));
    QTest::keyClick(&driver->window, Qt::Key_S, Qt::ShiftModifier);
    QVERIFY(driver->waitFor([&] { return colorAt(V3f(0, 0.5f, 0.8f)) == neutral; }));
}

void WearTest::drawsLinesOfLayers() {
    makeLayer();
    auto& c = driver->window.controller();
    auto* view = driver->window.view();
    std::string ink;
    c.edit("ink", [&](const Document& d) {
        Document out = d;
        const Node n = makeNode(out, "line_art", "Ink");
        ink = n.id;
        out.put(n);
        out = withText(out, "ball/radius", "0.2");
        for (const auto& [path, text] : {std::pair{"/light_color", "1,0,1"},
                                         {"/shading", "flat"},
                                         {"/contour_color", "0,1,0"},
                                         {"/contour_unit", "pixels"},
                                         {"/contour_width", "6"}})
            out = withText(out, ink + path, text);
        return withText(out, std::string(kLayer) + "/material", ink);
    });
    c.selection().select("");
    view->frameAll();
    driver->settle();
    const auto pixels = [&](const QColor& color) { return pixelsOf(view, color); };
    const QColor shade(255, 0, 255), line(0, 255, 0);
    QVERIFY(driver->waitFor([&] { return pixels(shade) > 100 && pixels(line) > 100; }));
    c.edit("plain", [&](const Document& d) { return withText(d, std::string(kLayer) + "/material", ""); });
    QVERIFY(driver->waitFor([&] { return pixels(shade) == 0 && pixels(line) == 0; }));
    // Strands too: around all of them, or around each, which are more lines.
    std::string blades;
    c.edit("strands", [&](const Document& d) { return withBlades(d, ink, "60", "40", &blades); });
    driver->settle();
    QVERIFY(driver->waitFor([&] { return pixels(shade) > 100 && pixels(line) > 100; }));
    const int around = pixels(line), all = pixels(shade);
    c.edit("each", [&](const Document& d) { return withText(d, ink + "/contour_elements", "true"); });
    QVERIFY(driver->waitFor([&] { return pixels(line) > around && pixels(shade) < all; }));
    c.edit("none", [&](const Document& d) { return withText(d, ink + "/contours", "false"); });
    QVERIFY(driver->waitFor([&] { return pixels(line) == 0 && pixels(shade) >= all; }));
}

/// Of an object, of copies of it, and at the angle that the material says.
void WearTest::drawsCreases() {
    auto& c = driver->window.controller();
    auto* view = driver->window.view();
    std::string ink, ball;
    c.edit("scene", [&](const Document& d) {
        Document out = d;
        const Node n = makeNode(out, "line_art", "Ink");
        ink = n.id;
        out.put(n);
        Node sphere = makeNode(out, "sphere", "Gem");
        ball = sphere.id;
        sphere.params["segments"].value = int64_t(4);
        sphere.params["radius"].value = 0.5;
        sphere.params["material"].value = ink;
        out.put(sphere);
        for (const auto& [path, text] : {std::pair{"/light_color", "1,0,1"},
                                         {"/shading", "flat"},
                                         {"/contour_color", "0,1,0"},
                                         {"/contour_unit", "pixels"},
                                         {"/contour_width", "6"},
                                         {"/contour_objects", "false"}})
            out = withText(out, ink + path, text);
        out = withValue(out, {"camera", "", "position"}, V3d(1, 2, 3));
        return withValue(out, {"camera", "", "target"}, V3d(0, 0, 0));
    });
    c.selection().select("");
    view->lookThroughCamera();
    driver->settle();
    const QColor line(0, 255, 0);
    QVERIFY(driver->waitFor([&] { return pixelsOf(view, line) > 100; }));
    const auto set = [&](const std::string& path, const std::string& text) {
        c.edit("set", [&](const Document& d) { return withText(d, path, text); });
    };
    set(ink + "/contour_crease", "180");
    QVERIFY(driver->waitFor([&] { return pixelsOf(view, line) == 0; }));
    set(ink + "/contour_crease", "50");
    QVERIFY(driver->waitFor([&] { return pixelsOf(view, line) > 100; }));
    const int thick = pixelsOf(view, line);
    set(ink + "/contour_width", "2");
    QVERIFY(driver->waitFor([&] { return pixelsOf(view, line) > 0 && pixelsOf(view, line) < thick / 2; }));
    // Keyed: none at frame 10.
    c.edit("keys", [&](const Document& d) {
        Param crease = paramAt(d, {ink, "", "contour_crease"});
        crease.keys = {{1, 50.0, KeyEase::Hold}, {10, 180.0, KeyEase::Hold}};
        return withParam(d, {ink, "", "contour_crease"}, crease);
    });
    c.clock().setFrame(10);
    QVERIFY(driver->waitFor([&] { return pixelsOf(view, line) == 0; }));
    c.clock().setFrame(1);
    QVERIFY(driver->waitFor([&] { return pixelsOf(view, line) > 0; }));
    // Copies of it, in the layer's material, while it hides.
    set(ball + "/material", "");
    QVERIFY(driver->waitFor([&] { return pixelsOf(view, line) == 0; }));
    c.edit("copies", [&](const Document& d) {
        Document out = d;
        const Node plane = makeNode(out, "plane", "Table");
        out.put(plane);
        std::string id;
        out = withLayer(out, plane.id, ball, &id);
        return withText(out, id + "/material", ink);
    });
    driver->settle();
    QVERIFY(driver->waitFor([&] { return pixelsOf(view, line) > 100; }));
}

/// Of a mesh of open sheets: a small one of two materials before a large one.
void WearTest::drawsBordersAndJumps() {
    auto& c = driver->window.controller();
    auto* view = driver->window.view();
    QTemporaryDir folder;
    const std::string file = folder.filePath("sheets.obj").toStdString();
    writeFile(folder.filePath("sheets.mtl").toStdString(), "newmtl a\nKd 1 0 0\nnewmtl b\nKd 0 1 0\n");
    writeFile(file,
              "mtllib sheets.mtl\nv -1 -1 -0.5\nv 1 -1 -0.5\nv 1 1 -0.5\nv -1 1 -0.5\n"
              "v -0.4 -0.4 0\nv 0 -0.4 0\nv 0.4 -0.4 0\nv 0.4 0.4 0\nv 0 0.4 0\nv -0.4 0.4 0\n"
              "usemtl a\nf 1 2 3 4\nf 5 6 9 10\nusemtl b\nf 6 7 8 9\n");
    std::string ink, other, sheets;
    c.edit("scene", [&](const Document& d) {
        Document out = d;
        for (std::string* id : {&ink, &other}) {
            const Node n = makeNode(out, "line_art", "Ink");
            *id = n.id;
            out.put(n);
            for (const auto& [path, text] : {std::pair{"/light_color", "1,0,1"},
                                             {"/shading", "flat"},
                                             {"/contour_color", "0,1,0"},
                                             {"/contour_unit", "pixels"},
                                             {"/contour_width", "6"},
                                             {"/contour_objects", "false"},
                                             {"/contour_crease", "180"},
                                             {"/contour_jump", "0"}})
                out = withText(out, n.id + path, text);
        }
        Node mesh = makeNode(out, "mesh_file", "Sheets");
        sheets = mesh.id;
        mesh.params["file"].value = file;
        mesh.params["slots"].value = Refs{ink, ink, ink};  // the first is that of faces without one
        out.put(mesh);
        out = withValue(out, {"camera", "", "position"}, V3d(0, 0, 4));
        return withValue(out, {"camera", "", "target"}, V3d(0, 0, 0));
    });
    c.selection().select("");
    view->lookThroughCamera();
    driver->settle();
    const QColor line(0, 255, 0), shade(255, 0, 255);
    const auto lines = [&] { return pixelsOf(view, line); };
    const auto set = [&](const std::string& path, const std::string& text) {
        c.edit("set", [&](const Document& d) { return withText(d, path, text); });
    };
    QVERIFY(driver->waitFor([&] { return pixelsOf(view, shade) > 1000 && lines() == 0; }));
    // Between materials, and not between slots that have the same one.
    c.edit("slots", [&](const Document& d) {
        return withValue(d, {sheets, "", "slots"}, Refs{ink, ink, other});
    });
    QVERIFY(driver->waitFor([&] { return lines() > 100; }));
    const int border = lines();
    set(ink + "/contour_materials", "false");
    QVERIFY(driver->waitFor([&] { return lines() == 0; }));
    // Around the small one alone, as long as it stands out by enough.
    set(ink + "/contour_jump", "0.3");
    QVERIFY(driver->waitFor([&] { return lines() > border; }));
    const int around = lines();
    set(ink + "/contour_jump", "0.7");
    QVERIFY(driver->waitFor([&] { return lines() == 0; }));
    // Around the whole, which is larger: beside it alone.
    set(ink + "/contour_objects", "true");
    QVERIFY(driver->waitFor([&] { return lines() > around; }));
}

/// By the strand's own random number, and along it.
void WearTest::wearsColoursOnStrands() {
    auto& c = driver->window.controller();
    auto* view = driver->window.view();
    makeLayer();
    std::string hair, blades;
    c.edit("scene", [&](const Document& d) {
        Document out = withText(d, std::string(kLayer) + "/shown", "false");
        Node m = makeNode(out, "fibre", "Dye");
        hair = m.id;
        m.params["coloured"].value = std::string("colour");
        FieldSource along = makeSource("formula");
        along.params["formula"].value = std::string("along > 0.5");
        m.params["base"].value = Color(0.0f, 0.0f, 1.0f);
        m.params["base"].low = Color(1.0f, 0.0f, 0.0f);
        m.params["base"].field = std::make_shared<Field>(Field{{along}});
        out.put(m);
        return withBlades(out, hair, "20", "20", &blades);
    });
    c.selection().select("");
    view->frameAll();
    driver->settle();
    const auto hued = [&](int from, int to, int saturation = 120) {
        return pixelsOf(view, [&](const QColor& p) {
            const int hue = p.hue();
            return p.saturation() > saturation &&
                   (from < to ? hue >= from && hue < to : hue >= from || hue < to);
        });
    };
    const auto red = [&] { return hued(340, 20); };
    const auto blue = [&] { return hued(220, 260); };
    QVERIFY(driver->waitFor([&] { return red() > 100 && blue() > 100; }));
    // What is chosen is marked, in its own colours too.
    const auto vivid = [&] { return hued(340, 20, 165); };
    const int before = vivid();
    QVERIFY(before > 50);
    c.selection().select(blades);
    QVERIFY(driver->waitFor([&] { return vivid() < before / 2; }));
    c.selection().select("");
    c.edit("plain", [&](const Document& d) {
        Document out = d;
        out = withField(out, {hair, "", "base"}, nullptr);
        return withText(out, hair + "/base", "0,0,1");
    });
    QVERIFY(driver->waitFor([&] { return red() == 0 && blue() > 100; }));
}

static const RegisteredTest<WearTest> registered;

#include "wear_test.moc"
