// Drives the palette and the cameras: dropping a picture, dragging a colour, spreading, switching.
#include "app/window/palette_window.h"

#include "app/widgets/color_button.h"
#include "app_test.h"

using namespace ovrix::deliver;
using namespace ovrix::app;

class PaletteTest : public WindowFixture {
    Q_OBJECT
  private Q_SLOTS:
    void findsSpreadsAndSaves();
    void dragsAColour();
    void switchesCameras();
    void showsGuides();
    void aimsALight();
    void steersALight();
    void copiesAnInput();

  private:
    PaletteWindow* open() {
        driver->window.run("palette");
        driver->settle();
        return driver->window.palette();
    }
    /// Three bands of colour, by their rows.
    QString picture() {
        QImage image(30, 100, QImage::Format_RGB32);
        for (int y = 0; y < 100; ++y)
            for (int x = 0; x < 30; ++x)
                image.setPixelColor(x, y,
                                    y < 60   ? QColor(20, 90, 110)
                                    : y < 90 ? QColor(220, 190, 140)
                                             : QColor(200, 40, 40));
        const QString file = path("bands.png");
        image.save(file);
        return file;
    }
    void dropOn(QWidget* widget, const QMimeData& mime, const QPoint& at) {
        QDragEnterEvent enter(at, Qt::CopyAction, &mime, Qt::LeftButton, Qt::NoModifier);
        QApplication::sendEvent(widget, &enter);
        QVERIFY(enter.isAccepted());
        QDropEvent drop(QPointF(at), Qt::CopyAction, &mime, Qt::LeftButton, Qt::NoModifier);
        QApplication::sendEvent(widget, &drop);
        driver->settle();
    }
};

void PaletteTest::findsSpreadsAndSaves() {
    makeLayer();
    auto& c = driver->window.controller();
    PaletteWindow* window = open();
    QVERIFY(window && window->isVisible());
    auto* spread = window->findChild<QPushButton*>("spreadPalette");
    c.selection().select(kLayer);
    QVERIFY(!spread->isEnabled());
    QMimeData mime;
    mime.setUrls({QUrl::fromLocalFile(picture())});
    dropOn(window, mime, window->rect().center());
    QVERIFY(driver->waitFor([&] { return window->bar()->colors().size() == 3; }));
    QVERIFY(std::abs(window->bar()->colors()[0].share - 0.6f) < 0.01f);
    QVERIFY(spread->isEnabled());
    const Document before = c.document();
    QTest::mouseClick(spread, Qt::LeftButton);
    driver->settle();
    const std::string material = std::get<std::string>(driver->value(std::string(kLayer) + "/material"));
    const Param color = paramAt(c.document(), {material, "", "base_color"});
    QVERIFY(color.field && color.ramp);
    QCOMPARE(color.ramp->stops.size(), size_t(2));
    c.undo();
    QVERIFY(c.document() == before);
    // Fewer colours, looked for again.
    window->findChild<QSpinBox*>("paletteCount")->setValue(2);
    QVERIFY(driver->waitFor([&] { return window->bar()->colors().size() == 2; }));
    auto* name = window->findChild<QLineEdit*>("paletteName");
    name->selectAll();
    QTest::keyClicks(name, "Shore");
    QTest::mouseClick(window->findChild<QPushButton*>("savePalette"), Qt::LeftButton);
    driver->settle();
    QVERIFY(std::filesystem::exists(PaletteWindow::ownFolder() / "shore.palette"));
    auto* saved = window->findChild<QComboBox*>("savedPalettes");
    QCOMPARE(saved->currentText(), QString("shore"));
    QTest::mouseClick(window->findChild<QPushButton*>("removePalette"), Qt::LeftButton);
    QVERIFY(!std::filesystem::exists(PaletteWindow::ownFolder() / "shore.palette"));
    // What is no picture is said, and the colours stay.
    QFile text(path("no.png"));
    QVERIFY(text.open(QIODevice::WriteOnly));
    text.write("nothing");
    text.close();
    QSignalSpy failed(window, &PaletteWindow::failed);
    window->look(path("no.png"));
    QVERIFY(driver->waitFor([&] { return failed.count() == 1; }));
    QCOMPARE(window->bar()->colors().size(), size_t(2));
    window->hide();
}

void PaletteTest::dragsAColour() {
    auto& c = driver->window.controller();
    c.selection().select("sun");
    driver->settle();
    auto* button = driver->editor<ColorButton>("sun/color");
    QVERIFY(button);
    QMimeData mime;
    mime.setColorData(QColor(255, 0, 0));
    dropOn(button, mime, button->rect().center());
    QCOMPARE(std::get<Color>(driver->value("sun/color")), Color(1, 0, 0));
    c.undo();
    QVERIFY(std::get<Color>(driver->value("sun/color")) != Color(1, 0, 0));
}

void PaletteTest::switchesCameras() {
    auto& c = driver->window.controller();
    auto* view = driver->window.view();
    QVERIFY(view);
    QTest::mousePress(view, Qt::RightButton, Qt::NoModifier, view->rect().center());
    QTest::mouseMove(view, view->rect().center() + QPoint(60, 20));
    QTest::mouseRelease(view, Qt::RightButton, Qt::NoModifier, view->rect().center() + QPoint(60, 20));
    driver->settle();
    const V3f here = view->camera().options().position;
    driver->window.run("newCameraHere");
    driver->settle();
    QCOMPARE(c.document().nodes(Category::Camera).size(), size_t(2));
    const std::string second = c.document().renderSetting(kRender.camera);
    QVERIFY(second != "camera");
    QVERIFY((V3f(c.document().value(second, kCamera.position)) - here).length() < 1e-4f);
    QVERIFY(view->throughCamera());
    view->setFocus();
    QTest::keyClick(&driver->window, Qt::Key_1, Qt::AltModifier);
    driver->settle();
    QCOMPARE(c.document().renderSetting(kRender.camera), std::string("camera"));
    QTest::keyClick(&driver->window, Qt::Key_2, Qt::AltModifier);
    driver->settle();
    QCOMPARE(c.document().renderSetting(kRender.camera), second);
    driver->window.run("camera3");  // there is none: nothing is done
    QCOMPARE(c.document().renderSetting(kRender.camera), second);
}

void PaletteTest::showsGuides() {
    auto* view = driver->window.view();
    view->lookThroughCamera();
    driver->settle();
    const bool before = view->guides();
    driver->window.run("pictureGuides");
    QVERIFY(view->guides() != before);
    const QRectF r = view->pictureRect();
    QVERIFY(view->rect().toRectF().adjusted(-1, -1, 1, 1).contains(r));
    QVERIFY(std::abs(r.width() / r.height() - 1280.0 / 720.0) < 0.02);
    driver->window.run("pictureGuides");
    QCOMPARE(view->guides(), before);
}

/// A drag puts the highlight under the mouse, as one step of undo; with Shift the shadow of what was pressed.
void PaletteTest::aimsALight() {
    auto& c = driver->window.controller();
    c.edit("scene", [](const Document& d) {
        Document out = d;
        out.put(makeNode(out, "plane", "Ground"));
        return withText(out, "ground/size", "6");
    });
    driver->settle();
    auto* view = driver->window.view();
    view->frameAll();
    driver->settle();
    QTest::keyClick(&driver->window, Qt::Key_8);
    driver->settle();
    const QPoint middle = view->project(V3f(0, 0, 0))->toPoint();
    c.selection().select("ground");
    const Document before = c.document();
    const auto drag = [&](const QPoint& from, const QPoint& to, Qt::KeyboardModifiers keys) {
        QTest::mousePress(view, Qt::LeftButton, keys, from);
        for (int k = 1; k <= 4; ++k) QTest::mouseMove(view, from + (to - from) * k / 4);
        QTest::mouseRelease(view, Qt::LeftButton, keys, to);
        driver->settle();
    };
    drag(middle, middle + QPoint(30, 0), Qt::NoModifier);
    QVERIFY(c.document() == before);  // no light is chosen: said, and nothing is done
    c.selection().select("sun");
    drag(middle, middle + QPoint(40, 10), Qt::NoModifier);
    QVERIFY(!(c.document() == before));
    // The ground is level: the sun stands opposite to the eye, as high.
    const V3f eye = view->camera().options().position;
    const double up = std::get<double>(driver->value("sun/elevation"));
    const double seen = double(degrees(std::atan2(eye.y, std::hypot(eye.x, eye.z))));
    QVERIFY2(std::abs(up - seen) < 8.0, qPrintable(QString("%1 %2").arg(up).arg(seen)));
    c.undo();
    QVERIFY(c.document() == before);
    drag(middle, middle + QPoint(40, 10), Qt::ShiftModifier);
    QVERIFY(!(c.document() == before));
    c.undo();
    QVERIFY(c.document() == before);
    QTest::keyClick(&driver->window, Qt::Key_1);
}

void PaletteTest::steersALight() {
    makeLayer();
    auto& c = driver->window.controller();
    auto* view = driver->window.view();
    driver->window.run("add:area");
    driver->settle();
    const std::string lamp = c.selection().id();
    QCOMPARE(c.document().get(lamp).type, std::string("area"));
    driver->window.run("lookFromLight");
    driver->settle();
    const V3f from = *c.document().originOf(lamp, 1);
    QVERIFY((view->camera().options().position - from).length() < 1e-3f);
    const Document before = c.document();
    view->setFocus();
    QTest::keyClick(view, Qt::Key_Left);
    driver->settle();
    const V3f now = *c.document().originOf(lamp, 1);
    QVERIFY((now - from).length() > 1e-3f);
    QVERIFY((view->camera().options().position - now).length() < 1e-3f);
    c.undo();
    QVERIFY(c.document() == before);
    QTest::keyClick(&driver->window, Qt::Key_C);  // and it is let go
    driver->settle();
    QTest::keyClick(view, Qt::Key_Left);
    driver->settle();
    QVERIFY(c.document() == before);
}

void PaletteTest::copiesAnInput() {
    auto& c = driver->window.controller();
    const auto choose = [&](const std::string& path, const char* action) {
        QWidget* row = driver->window.recipe()->findChild<QWidget*>("param:" + QString::fromStdString(path));
        QVERIFY(row);
        bool done = false;
        QTimer::singleShot(50, this, [&] {
            auto* menu = qobject_cast<QMenu*>(QApplication::activePopupWidget());
            if (!menu) return;
            for (QAction* a : menu->actions())
                if (a->text() == action && a->isEnabled()) a->trigger(), done = true;
            menu->close();
        });
        QContextMenuEvent e(QContextMenuEvent::Mouse, QPoint(4, 4), row->mapToGlobal(QPoint(4, 4)));
        QApplication::sendEvent(row, &e);
        QVERIFY(done);
        driver->settle();
    };
    c.edit("Colour", [](const Document& d) { return withText(d, "sun/color", "0.2,0.4,0.6"); });
    c.selection().select("sun");
    driver->settle();
    choose("sun/color", "Copy");
    c.selection().select("sky");
    driver->settle();
    choose("sky/color", "Paste");
    QCOMPARE(std::get<Color>(driver->value("sky/color")), Color(0.2f, 0.4f, 0.6f));
    // What does not fit is said, and nothing is done.
    const Document before = c.document();
    choose("sky/haze", "Paste");
    QVERIFY(c.document() == before);
}

static const RegisteredTest<PaletteTest> registered;
#include "palette_window_test.moc"
