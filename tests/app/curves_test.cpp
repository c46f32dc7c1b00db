// Drives drawing curves, the zone of a field, and pushing and pulling a surface.
#include "app_test.h"

using namespace ovrix::deliver;
using namespace ovrix::app;

class CurvesTest : public WindowFixture {
    Q_OBJECT
  private Q_SLOTS:
    void drawsACurve();
    void movesAndTakesOutPoints();
    void placesAlongACurve();
    void showsAZone();
    void pushesAndPulls();

  private:
    std::vector<V3f> points(const std::string& curve) {
        return std::get<CurvePoints>(driver->document().value(curve, "points")).list;
    }
    QPoint pixel(const V3f& p) { return driver->window.view()->project(p)->toPoint(); }
    void press(const V3f& at) {
        QTest::mouseClick(driver->window.view(), Qt::LeftButton, {}, pixel(at));
        driver->settle();
    }
    void drag(const QPoint& from, const QPoint& to, Qt::KeyboardModifiers modifiers = {}) {
        QWidget* view = driver->window.view();
        QTest::mousePress(view, Qt::LeftButton, modifiers, from);
        for (int i = 1; i <= 12; ++i) {
            const QPointF p = QPointF(from) + QPointF(to - from) * (i / 12.0);
            QMouseEvent move(QEvent::MouseMove, p, view->mapToGlobal(p), Qt::NoButton, Qt::LeftButton,
                             modifiers);
            QApplication::sendEvent(view, &move);
        }
        QTest::mouseRelease(view, Qt::LeftButton, modifiers, to);
        driver->settle();
    }
    /// A flat ground seen from above its corner.
    void makeGround() {
        auto& c = driver->window.controller();
        c.edit("scene", [&](const Document& d) {
            Document out = d;
            out.put(makeNode(out, "plane", "Ground"));
            return withText(out, "ground/divisions", "40");
        });
        driver->settle();
        driver->window.view()->frameAll();
        driver->settle();
    }
};

void CurvesTest::drawsACurve() {
    makeGround();
    auto& c = driver->window.controller();
    auto* view = driver->window.view();
    c.selection().select("");
    QTest::keyClick(&driver->window, Qt::Key_6);
    press({-0.5f, 0, 0});
    QCOMPARE(c.document().nodes(Category::Curve).size(), size_t(1));
    const std::string curve = c.document().nodes(Category::Curve)[0]->id;
    QCOMPARE(QString::fromStdString(c.selection().id()), QString::fromStdString(curve));
    press({0, 0, 0.4f});
    press({0.6f, 0, 0.1f});
    QCOMPARE(points(curve).size(), size_t(3));
    // A pixel of the view is some 4 mm here: the points lie on the ground, under the mouse.
    QVERIFY((points(curve)[1] - V3f(0, 0, 0.4f)).length() < 0.01f);
    QVERIFY(std::abs(points(curve)[1].y) < 1e-3f);
    drag(pixel({-0.6f, 0, 0.8f}), pixel({0.6f, 0, 0.8f}));  // a stroke
    const size_t drawn = points(curve).size();
    QVERIFY(drawn > 6);
    c.undo();
    QCOMPARE(points(curve).size(), size_t(3));
    c.redo();
    QCOMPARE(points(curve).size(), drawn);
    QTest::keyClick(view, Qt::Key_Return);
    press({-0.4f, 0, -0.4f});  // another one
    QCOMPARE(c.document().nodes(Category::Curve).size(), size_t(2));
    QVERIFY(c.selection().id() != curve);
    c.undo();
    QCOMPARE(c.document().nodes(Category::Curve).size(), size_t(1));
    QTest::keyClick(&driver->window, Qt::Key_1);
    press(points(curve)[1]);  // choosing by a click on its line
    QCOMPARE(QString::fromStdString(c.selection().id()), QString::fromStdString(curve));
    QVERIFY(driver->window.outline()->itemOf(curve));
}

void CurvesTest::movesAndTakesOutPoints() {
    makeGround();
    auto& c = driver->window.controller();
    auto* view = driver->window.view();
    c.selection().select("");
    QTest::keyClick(&driver->window, Qt::Key_6);
    for (const V3f& p : {V3f(-0.6f, 0, 0), V3f(0, 0, 0), V3f(0.6f, 0, 0)}) press(p);
    const std::string curve = c.selection().id();
    const Document before = c.document();
    drag(pixel({0, 0, 0}), pixel({0, 0, 0.5f}));
    QCOMPARE(points(curve).size(), size_t(3));
    QVERIFY((points(curve)[1] - V3f(0, 0, 0.5f)).length() < 0.02f);
    c.undo();
    QVERIFY(c.document() == before);
    press({0.3f, 0, 0});  // on the line between two points: one more there
    QCOMPARE(points(curve).size(), size_t(4));
    QVERIFY((points(curve)[2] - V3f(0.3f, 0, 0)).length() < 0.02f);
    view->setFocus();
    QTest::keyClick(view, Qt::Key_Delete);
    QCOMPARE(points(curve).size(), size_t(3));
    QVERIFY(c.document() == before);
}

void CurvesTest::placesAlongACurve() {
    makeLayer();
    auto& c = driver->window.controller();
    c.edit("curve", [&](const Document& d) {
        Document out = d;
        Node curve = makeNode(out, "curve", "Path");
        curve.params["points"].value = CurvePoints{{{-1, 1, 0}, {1, 1, 0}}};
        out.put(curve);
        return withStepReplaced(out, kLayer, "scatter", "along");
    });
    driver->settle();
    QVERIFY(!c.results().layers.at(kLayer).ok);  // no curve yet, and it says so
    auto* row =
        driver->window.recipe()->findChild<QWidget*>("param:" + QString::fromStdString(in("along/curves")));
    QVERIFY(row);
    QTest::mouseClick(row->findChild<QPushButton*>("addRef"), Qt::LeftButton);
    driver->settle();
    auto* box = row->findChild<QComboBox*>("ref");
    QVERIFY(box);
    QCOMPARE(box->count(), 2);  // none, and the only curve
    box->setFocus();
    QTest::keyClick(box, Qt::Key_Down);
    driver->settle();
    QVERIFY(driver->waitFor([&] { return c.results().layers.at(kLayer).ok && elements() > 0; }));
}

void CurvesTest::showsAZone() {
    makeLayer();
    auto& c = driver->window.controller();
    auto* view = driver->window.view();
    c.edit("mask", [&](const Document& d) {
        return withField(d, ParamPath::parse(d, in("scatter/mask")),
                         std::make_shared<Field>(Field{{makeSource("noise")}}));
    });
    driver->settle();
    view->frameAll();
    auto* zone = view->findChild<QToolButton*>("zone");
    QVERIFY(zone && !zone->isVisible());
    c.selection().setOverlay(ParamPath::parse(c.document(), in("scatter/mask")));
    QVERIFY(driver->waitFor([&] { return view->showsOverlay() && zone->isVisible(); }));
    driver->settle();
    const QImage heat = view->grabFramebuffer();
    QTest::mouseClick(zone, Qt::LeftButton);
    QCOMPARE(view->zone(), std::optional(0.5f));
    driver->settle();
    QVERIFY(view->grabFramebuffer() != heat);
    const Document before = c.document();
    const QRect bar(10, view->height() - 45, 280, 8);
    drag(QPoint(150, bar.center().y()), QPoint(220, bar.center().y()));
    QVERIFY(view->zone().value() > 0.7f && view->zone().value() < 0.85f);
    QVERIFY(c.document() == before);  // a way of looking, not a change
    QTest::mouseClick(zone, Qt::LeftButton);
    QVERIFY(!view->zone());
}

void CurvesTest::pushesAndPulls() {
    makeGround();
    auto& c = driver->window.controller();
    auto* view = driver->window.view();
    c.edit("step",
           [&](const Document& d) { return withStep(d, "ground", 0, makeStep("push", d.get("ground"))); });
    c.selection().select("ground");
    driver->settle();
    const auto heights = [&] {
        Box3f box;
        for (const V3f& p : c.results().objects.at("ground").mesh->positions()) box.extendBy(p);
        return std::pair(box.min.y, box.max.y);
    };
    QVERIFY(std::abs(heights().first) < 1e-5f && std::abs(heights().second) < 1e-5f);
    auto* row = driver->window.recipe()->findChild<QWidget*>("param:ground/push/by");
    QVERIFY(row);
    QTest::mouseClick(row->findChild<QToolButton*>("fieldButton"), Qt::LeftButton);
    driver->settle();
    QTest::mouseClick(row->findChild<QPushButton*>("sourceTitle"), Qt::LeftButton);
    driver->settle();
    auto* paint = row->findChild<QPushButton*>("paintMap");
    QVERIFY(paint && paint->isVisible());
    QTest::mouseClick(paint, Qt::LeftButton);
    QVERIFY(driver->waitFor([&] { return c.results().overlay && c.results().overlay->ground; }));
    driver->settle();
    drag(pixel({-0.3f, 0, 0}), pixel({-0.2f, 0, 0}));
    QVERIFY(driver->waitFor([&] { return heights().second > 0.02f; }));
    QVERIFY(std::abs(heights().first) < 1e-4f);
    drag(pixel({0.3f, 0, 0.3f}), pixel({0.4f, 0, 0.3f}), Qt::ControlModifier);
    QVERIFY(driver->waitFor([&] { return heights().first < -0.02f; }));
    c.undo();
    c.undo();
    QVERIFY(driver->waitFor([&] { return std::abs(heights().second) < 1e-5f; }));
    QTest::keyClick(view, Qt::Key_Escape);
}

static const RegisteredTest<CurvesTest> registered;
#include "curves_test.moc"
