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
    void blursWhatIsOutOfFocus();
    void lightsAimAtWhatIsChosen();
};

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
