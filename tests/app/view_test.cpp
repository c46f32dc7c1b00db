// Drives the view: picking, handles and the camera.
#include "app_test.h"

using namespace ovrix::deliver;
using namespace ovrix::app;

class ViewTest : public WindowFixture {
    Q_OBJECT
  private Q_SLOTS:
    void chooses();
    void movesWithHandles();
    void turnsTheView();
    void showsAndChoosesLights();
    void wearsMaterials();
    void drawsLinesOfLayers();
    void drawsCreases();
    void wearsColoursOnStrands();
    void blursWhatIsOutOfFocus();
    void lightsAimAtWhatIsChosen();
};

/// How much of the view is about in that colour.
static int pixelsOf(ViewWidget* view, const QColor& color) {
    QTest::qWait(30);
    const QImage image = view->grabFramebuffer();
    int count = 0;
    for (int y = 0; y < image.height(); ++y)
        for (int x = 0; x < image.width(); ++x) {
            const QColor p = image.pixelColor(x, y);
            count += std::abs(p.red() - color.red()) + std::abs(p.green() - color.green()) +
                         std::abs(p.blue() - color.blue()) <
                     60;
        }
    return count;
}

void ViewTest::chooses() {
    makeLayer();
    auto* view = driver->window.view();
    view->frameAll();
    driver->settle();
    QTest::qWait(250);
    const auto at = view->project(V3f(0, 0, 0));
    QVERIFY(at);
    QTest::mouseClick(view, Qt::LeftButton, Qt::NoModifier, at->toPoint());
    const std::string hit = driver->window.controller().selection().id();
    QVERIFY2(hit == "ground" || hit == kLayer, hit.c_str());
    QTest::mouseClick(view, Qt::LeftButton, Qt::NoModifier, QPoint(view->width() / 2, 3));
    QVERIFY(driver->window.controller().selection().id().empty());
}

/// Colours by fields, what is cut out, what is seen through, and the scene's own light.
void ViewTest::wearsMaterials() {
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

void ViewTest::drawsLinesOfLayers() {
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
    c.edit("strands", [&](const Document& d) {
        Document out = d;
        Node layer = makeNode(out, "layer", "Blades");
        layer.params["surface"].value = std::string("ground");
        layer.params["material"].value = ink;
        for (const char* step : {"scatter", "grow", "strand_width"})
            layer.steps.push_back(makeStep(step, layer));
        const std::string id = layer.id;
        out.put(std::move(layer));
        for (const auto& [path, text] : {std::pair{"/scatter/count", "4000"},
                                         {"/grow/length", "0.5..0.6"},
                                         {"/strand_width/root", "60"},
                                         {"/strand_width/tip", "40"}})
            out = withText(out, id + path, text);
        return out;
    });
    driver->settle();
    QVERIFY(driver->waitFor([&] { return pixels(shade) > 100 && pixels(line) > 100; }));
    const int around = pixels(line), all = pixels(shade);
    c.edit("each", [&](const Document& d) { return withText(d, ink + "/contour_elements", "true"); });
    QVERIFY(driver->waitFor([&] { return pixels(line) > around && pixels(shade) < all; }));
    c.edit("none", [&](const Document& d) { return withText(d, ink + "/contours", "false"); });
    QVERIFY(driver->waitFor([&] { return pixels(line) == 0 && pixels(shade) >= all; }));
}

/// Of an object, of copies of it, and at the angle that the material says.
void ViewTest::drawsCreases() {
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

/// By the strand's own random number, and along it.
void ViewTest::wearsColoursOnStrands() {
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
        Node layer = makeNode(out, "layer", "Blades");
        blades = layer.id;
        layer.params["surface"].value = std::string("ground");
        layer.params["material"].value = hair;
        for (const char* step : {"scatter", "grow", "strand_width"})
            layer.steps.push_back(makeStep(step, layer));
        out.put(std::move(layer));
        for (const auto& [path, text] : {std::pair{"/scatter/count", "4000"},
                                         {"/grow/length", "0.5..0.6"},
                                         {"/strand_width/root", "20"},
                                         {"/strand_width/tip", "20"}})
            out = withText(out, blades + path, text);
        return out;
    });
    c.selection().select("");
    view->frameAll();
    driver->settle();
    const auto hued = [&](int from, int to, int saturation = 120) {
        QTest::qWait(30);
        const QImage image = view->grabFramebuffer();
        int count = 0;
        for (int y = 0; y < image.height(); ++y)
            for (int x = 0; x < image.width(); ++x) {
                const QColor p = image.pixelColor(x, y);
                const int hue = p.hue();
                count += p.saturation() > saturation &&
                         (from < to ? hue >= from && hue < to : hue >= from || hue < to);
            }
        return count;
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

void ViewTest::blursWhatIsOutOfFocus() {
    auto& c = driver->window.controller();
    auto* view = driver->window.view();
    if (view->depthOfField()) view->toggleDepthOfField();  // it is kept from window to window
    c.edit("balls", [](const Document& d) {
        Document out = d;
        for (const auto& [name, place] : {std::pair{"Near", V3d(-0.6, 0, 0)}, {"Far", V3d(1.6, 0, -6)}}) {
            Node ball = makeNode(out, "sphere", name);
            ball.params["radius"].value = 0.5;
            ball.params["position"].value = place;
            out.put(ball);
        }
        for (const auto& [path, text] : {std::pair{"camera/position", "0,0,4"},
                                         {"camera/target", "0,0,0"},
                                         {"camera/fstop", "0.5"},
                                         {"camera/focus", "4"}})
            out = withText(out, path, text);
        return out;
    });
    view->lookThroughCamera();
    driver->settle();
    // How steep the brightness rises at the side of a ball: the largest step between two pixels.
    const auto edge = [&](const V3f& middle) {
        const QImage image = view->grabFramebuffer();
        const double scale = double(image.width()) / view->width();
        const V3f above(0, 0.15f, 0);  // beside the horizon
        const int y = int(view->project(middle + above)->y() * scale);
        int most = 0;
        for (const float side : {-0.477f, 0.477f}) {
            const int x = int(view->project(middle + above + V3f(side, 0, 0))->x() * scale);
            for (int i = std::max(1, x - 8); i < std::min(x + 8, image.width()); ++i)
                most = std::max(most, std::abs(qGray(image.pixel(i, y)) - qGray(image.pixel(i - 1, y))));
        }
        return most;
    };
    const V3f near(-0.6f, 0, 0), far(1.6f, 0, -6);
    QVERIFY(view->sharpened());
    const int sharpNear = edge(near), sharpFar = edge(far);
    QVERIFY(sharpFar > 20);
    view->setFocus();
    QTest::keyClick(view, Qt::Key_D, Qt::ShiftModifier);
    QVERIFY(view->depthOfField());
    QVERIFY(driver->waitFor([&] { return view->sharpened(); }));
    QVERIFY2(edge(near) > sharpNear / 2, "what is in focus stays sharp");
    QVERIFY2(edge(far) < sharpFar / 3, "what is behind it is not");
    // Focused there it is the other way round; a turned view is all sharp.
    c.setValue({"camera", "", "focus"}, 10.0);
    driver->settle();
    QVERIFY(driver->waitFor([&] { return view->sharpened(); }));
    QVERIFY(edge(near) < sharpNear / 3);
    QVERIFY(edge(far) > sharpFar / 2);
    QTest::keyClick(view, Qt::Key_D, Qt::ShiftModifier);
    QVERIFY(!view->depthOfField());
    QTest::qWait(50);
    QVERIFY(edge(near) > sharpNear * 3 / 4);
}

void ViewTest::lightsAimAtWhatIsChosen() {
    auto& c = driver->window.controller();
    driver->window.run("add:sphere");  // the first thing: it gets a ground and is seen whole
    driver->settle();
    QCOMPARE(c.document().nodes(Category::Object).size(), size_t(2));
    const std::string ball = c.selection().id();
    c.setValue({ball, "", "position"}, V3d(4, 1, -2));
    driver->settle();
    driver->window.run("add:area");
    driver->settle();
    const Node* light = c.selection().node();
    QVERIFY(light && light->type == "area");
    const M44f world = c.document().worldMatrix(light->id, 1);
    V3f at, down;
    world.multVecMatrix(V3f(0.0f), at);
    world.multDirMatrix(V3f(0, -1, 0), down);
    QVERIFY(down.dot((V3f(4, 1, -2) - at).normalized()) > 0.999f);
    QVERIFY(at.y > 1.0f);
}

void ViewTest::movesWithHandles() {
    makeLayer();
    auto& c = driver->window.controller();
    auto* view = driver->window.view();
    c.selection().select("ground");
    view->frameAll();
    QTest::keyClick(view, Qt::Key_2);
    driver->settle();
    const auto from = view->project(V3f(0, 0, 0));
    QVERIFY(from);
    // Along the screen direction of +X, from within the handle.
    const auto along = view->project(V3f(0.5f, 0, 0));
    QVERIFY(along);
    const QPointF unit = (*along - *from) / QLineF(*from, *along).length();
    const QPointF grab = *from + unit * px(50), to = grab + unit * 60;
    QTest::mousePress(view, Qt::LeftButton, Qt::NoModifier, grab.toPoint());
    for (int i = 1; i <= 6; ++i) {
        const QPointF p = grab + (to - grab) * (i / 6.0);
        QMouseEvent move(QEvent::MouseMove, p, view->mapToGlobal(p), Qt::NoButton, Qt::LeftButton,
                         Qt::NoModifier);
        QApplication::sendEvent(view, &move);
    }
    QTest::mouseRelease(view, Qt::LeftButton, Qt::NoModifier, to.toPoint());
    driver->settle();
    const V3d moved = std::get<V3d>(driver->value("ground/position"));
    QVERIFY2(moved.x > 0.05, qPrintable(QString::number(moved.x)));
    QCOMPARE(moved.y, 0.0);
    QCOMPARE(moved.z, 0.0);
    c.undo();
    QCOMPARE(std::get<V3d>(driver->value("ground/position")).x, 0.0);
}

void ViewTest::turnsTheView() {
    makeLayer();
    auto* view = driver->window.view();
    const OrbitCamera before = view->camera();
    QVERIFY(view->throughCamera());
    const QPoint from(200, 200), to(260, 220);
    QTest::mousePress(view, Qt::RightButton, Qt::NoModifier, from);
    QMouseEvent move(QEvent::MouseMove, QPointF(to), view->mapToGlobal(QPointF(to)), Qt::NoButton,
                     Qt::RightButton, Qt::NoModifier);
    QApplication::sendEvent(view, &move);
    QTest::mouseRelease(view, Qt::RightButton, Qt::NoModifier, to);
    QVERIFY(view->camera().yaw != before.yaw);
    QVERIFY(!view->throughCamera());
    const float distance = view->camera().distance;
    view->setFocus();
    QTest::keyClick(view, Qt::Key_Plus);
    QVERIFY(view->camera().distance < distance);
    QTest::keyClick(&driver->window, Qt::Key_C);
    QVERIFY(view->throughCamera());
    QVERIFY(std::abs(view->camera().yaw - before.yaw) < 1e-5f);
}

/// A light with a size shows it where it is, also where it hangs on something, and is chosen by its sign
/// there.
void ViewTest::showsAndChoosesLights() {
    makeLayer();
    auto& c = driver->window.controller();
    auto* view = driver->window.view();
    std::string id;
    c.edit("Add", [&](const Document& d) {
        Node disk = makeNode(d, "disk");
        id = disk.id;
        disk.parent = "ground";
        disk.params["radius"].value = 0.4;
        disk.params["position"].value = V3d(0.3, 0.8, 0);
        return withText(withNode(d, disk), "ground/position", "0.5,0,0");
    });
    driver->settle();
    view->frameAll();
    driver->settle();
    QTest::qWait(100);
    const QImage with = view->grab().toImage();
    c.edit("Hide", [&](const Document& d) { return withText(d, id + "/shown", "false"); });
    driver->settle();
    QTest::qWait(100);
    const QImage without = view->grab().toImage();
    const auto differsNear = [&](const V3f& place) {
        const auto q = view->project(place);
        if (!q) return false;
        for (int y = -2; y <= 2; ++y)
            for (int x = -2; x <= 2; ++x) {
                const QPoint at = (*q * view->devicePixelRatio()).toPoint() + QPoint(x, y);
                if (with.valid(at) && with.pixel(at) != without.pixel(at)) return true;
            }
        return false;
    };
    const V3f middle(0.8f, 0.8f, 0);
    for (const V3f& rim : {V3f(0.4f, 0, 0), V3f(-0.4f, 0, 0), V3f(0, 0, 0.4f), V3f(0, -0.4f, 0)})
        QVERIFY(differsNear(middle + rim));
    QVERIFY(!differsNear(middle + V3f(0, 0.4f, 0)));  // it shines along its -Y
    // Hidden, it is not there to be chosen; shown, it is, where it is and not where its own numbers say.
    const auto clicked = [&](const V3f& place) {
        QTest::mouseClick(view, Qt::LeftButton, Qt::NoModifier, view->project(place)->toPoint());
        return c.selection().id();
    };
    QVERIFY(clicked(middle) != id);
    c.undo();
    driver->settle();
    QVERIFY(clicked(V3f(0.3f, 0.8f, 0)) != id);
    QCOMPARE(clicked(middle), id);
}

static const RegisteredTest<ViewTest> registered;

#include "view_test.moc"
