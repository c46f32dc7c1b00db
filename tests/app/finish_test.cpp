// Drives the finish: its cards beside the picture, which follows them without rendering again.
#include <QMenu>

#include "app/render/history_window.h"
#include "app/render/mask_brush.h"
#include "app/render/scope.h"
#include "app_test.h"

using namespace ovrix::deliver;
using namespace ovrix::app;

class FinishTest : public WindowFixture {
    Q_OBJECT
  private Q_SLOTS:
    void cardsChangeThePictureAlone();
    void cropsAndStillKnowsItsPixels();
    void zoomsToPixelsAndBack();
    void looksWithoutChangingWhatIsSaved();
    void picksWhiteAndFocusByClick();
    void keepsPicturesOfBefore();
    void writesABalanceIntoTheLights();
    void paintsWhereACardCounts();

  private:
    RenderPane* rendered();
    void add(const QString& title);
};

/// A picture that is done.
RenderPane* FinishTest::rendered() {
    makeLayer();
    auto& c = driver->window.controller();
    c.setValue({"render", "", "samples"}, int64_t(2));
    auto* pane = driver->window.renderPane();
    QTest::keyClick(&driver->window, Qt::Key_R, Qt::ControlModifier);
    [&] { QVERIFY(driver->waitFor([&] { return pane->last().done && !pane->worker().busy(); })); }();
    return pane;
}

/// By the list of what fits.
void FinishTest::add(const QString& title) {
    driver->window.controller().selection().select("finish");
    driver->settle();
    auto* button = driver->window.recipe()->findChild<QPushButton*>("addStep");
    QVERIFY(button);
    QTest::mouseClick(button, Qt::LeftButton);
    QWidget* popup = nullptr;
    QVERIFY(driver->waitFor([&] { return (popup = QApplication::activePopupWidget()) != nullptr; }));
    auto* search = popup->findChild<QLineEdit*>();
    QTest::keyClicks(search, title);
    QTest::keyClick(search, Qt::Key_Return);
    driver->settle();
}

void FinishTest::cardsChangeThePictureAlone() {
    RenderPane* pane = rendered();
    auto& c = driver->window.controller();
    const auto film = pane->worker().film();
    const QImage before = pane->picture()->image();
    add("Exposure");
    QCOMPARE(driver->document().get("finish").steps.size(), size_t(1));
    c.setValue({"finish", "exposure", "stops"}, 2.0);
    driver->settle();
    QVERIFY(driver->waitFor([&] { return pane->picture()->image() != before; }));
    const QPoint middle = before.rect().center();
    QVERIFY(pane->picture()->image().pixelColor(middle).lightness() > before.pixelColor(middle).lightness());
    QCOMPARE(pane->worker().film(), film);  // nothing was rendered
    QVERIFY(driver->waitFor([&] { return c.finishReports().size() == 1; }));
    // A card that lacks a pass says so itself, and the picture stays.
    add("Motion blur");
    StepCard* card = driver->window.recipe()->card("motion_blur");
    QVERIFY(card);
    QVERIFY(driver->waitFor([&] { return card->report() && !card->report()->error.empty(); }));
    const QImage bright = pane->picture()->image();
    // Saved as it is shown.
    pane->save(path("a.png"));
    driver->settle();
    QVERIFY(driver->waitFor([&] { return QFile::exists(path("a.png")); }));
    const QColor saved = QImage(path("a.png")).pixelColor(middle), seen = bright.pixelColor(middle);
    QVERIFY(std::abs(saved.red() - seen.red()) <= 2);
    for (int i = 0; i < 3; ++i) c.undo();
    driver->settle();
    QVERIFY(driver->document().get("finish").steps.empty());
    QVERIFY(driver->waitFor([&] { return pane->picture()->image() == before; }));
    // A response and a screen are the picture's as well.
    c.setValue({"finish", "", "response"}, std::string("punchy"));
    QVERIFY(driver->waitFor([&] { return pane->picture()->image() != before; }));
    QCOMPARE(pane->worker().film(), film);
    pane->stop();
}

void FinishTest::cropsAndStillKnowsItsPixels() {
    RenderPane* pane = rendered();
    auto& c = driver->window.controller();
    const int width = pane->picture()->image().width();
    add("Crop and resize");
    c.setValue({"finish", "crop", "left"}, 50.0);
    QVERIFY(driver->waitFor([&] { return pane->picture()->image().width() < width; }));
    QVERIFY(std::abs(pane->picture()->image().width() - width / 2) <= 1);
    QCOMPARE(pane->picture()->filmSize().width(), width);
    QSignalSpy probed(pane->picture(), &PictureArea::probed);
    const QRectF r = pane->picture()->pictureRect();
    QTest::mouseMove(pane->picture(), r.center().toPoint());
    QMouseEvent move(QEvent::MouseMove, r.center(), pane->picture()->mapToGlobal(r.center()), Qt::NoButton,
                     Qt::NoButton, Qt::NoModifier);
    QApplication::sendEvent(pane->picture(), &move);
    QVERIFY(!probed.isEmpty());
    QVERIFY(std::abs(probed.last()[0].toInt() - width * 3 / 4) <= 2);
    pane->stop();
}

void FinishTest::zoomsToPixelsAndBack() {
    RenderPane* pane = rendered();
    PictureArea* area = pane->picture();
    const QRectF fitted = area->pictureRect();
    const QPointF at = fitted.topLeft() + QPointF(fitted.width() * 0.25, fitted.height() * 0.25);
    const auto wheel = [&](int delta) {
        QWheelEvent e(at, area->mapToGlobal(at), {}, {0, delta}, Qt::NoButton, Qt::NoModifier,
                      Qt::NoScrollPhase, false);
        QApplication::sendEvent(area, &e);
    };
    wheel(480);
    QVERIFY(area->zoom() > 1);
    const QRectF near = area->pictureRect();
    QVERIFY(near.width() > 3.9 * fitted.width());
    // What was under the pointer is there still.
    QVERIFY(std::abs((at.x() - near.left()) / near.width() - 0.25) < 0.01);
    QVERIFY(std::abs((at.y() - near.top()) / near.height() - 0.25) < 0.01);
    QTest::mousePress(area, Qt::MiddleButton, Qt::NoModifier, at.toPoint());
    QMouseEvent move(QEvent::MouseMove, at + QPointF(30, 0), area->mapToGlobal(at + QPointF(30, 0)),
                     Qt::NoButton, Qt::MiddleButton, Qt::NoModifier);
    QApplication::sendEvent(area, &move);
    QTest::mouseRelease(area, Qt::MiddleButton, Qt::NoModifier, (at + QPointF(30, 0)).toPoint());
    QVERIFY(std::abs(area->pictureRect().left() - near.left() - 30) < 1.5);
    for (int i = 0; i < 8; ++i) wheel(-120);
    QCOMPARE(area->zoom(), 0.0);
    QCOMPARE(area->pictureRect(), fitted);
    auto* button = pane->findChild<QToolButton*>("zoom");
    for (QAction* a : button->menu()->actions())
        if (a->text() == "100%") a->trigger();
    QCOMPARE(area->zoom(), 1.0);
    QCOMPARE(button->text(), QString("100%"));
    pane->stop();
}

void FinishTest::looksWithoutChangingWhatIsSaved() {
    RenderPane* pane = rendered();
    const QImage before = pane->picture()->image();
    pane->save(path("before.png"));
    driver->settle();
    const auto choose = [&](const QString& text) {
        for (QAction* a : pane->findChild<QToolButton*>("look")->menu()->actions())
            if (a->text() == text) a->trigger();
    };
    choose("+2 EV");
    QVERIFY(driver->waitFor([&] { return pane->picture()->image() != before; }));
    const QPoint middle = before.rect().center();
    QVERIFY(pane->picture()->image().pixelColor(middle).lightness() > before.pixelColor(middle).lightness());
    pane->save(path("after.png"));
    driver->settle();
    QCOMPARE(QImage(path("after.png")), QImage(path("before.png")));
    choose("Stops from grey, by colours");
    const QImage bright = pane->picture()->image();
    QVERIFY(driver->waitFor([&] { return pane->picture()->image() != bright; }));
    choose("As it is");
    QVERIFY(driver->waitFor([&] { return pane->picture()->image() == before; }));
    QVERIFY(pane->scope()->isHidden());
    choose("Histogram");
    QVERIFY(pane->scope()->isVisible());
    uint64_t all = 0;
    for (const uint32_t n : pane->scope()->counts()[1]) all += n;
    QCOMPARE(all, uint64_t(before.width()) * uint64_t(before.height()));
    choose("Waveform");
    pane->scope()->grab();
    choose("No scope");
    QVERIFY(pane->scope()->isHidden());
    pane->stop();
}

void FinishTest::picksWhiteAndFocusByClick() {
    RenderPane* pane = rendered();
    auto& c = driver->window.controller();
    const QPoint middle = pane->picture()->pictureRect().center().toPoint();
    QTest::mouseClick(pane->findChild<QToolButton*>("white"), Qt::LeftButton);
    QTest::mouseClick(pane->picture(), Qt::LeftButton, Qt::NoModifier, middle);
    driver->settle();
    const auto& steps = driver->document().get("finish").steps;
    QCOMPARE(steps.size(), size_t(1));
    QCOMPARE(steps[0].type, std::string("white_balance"));
    QVERIFY(std::get<double>(driver->value("finish/white_balance/temperature")) != 6500.0);
    QTest::mouseClick(pane->picture(), Qt::LeftButton, Qt::NoModifier, middle);  // the same step again
    driver->settle();
    QCOMPARE(driver->document().get("finish").steps.size(), size_t(1));
    // With blur by distance in the finish the click sets its focus, and not the camera's.
    add("Depth of field");
    const Node camera = driver->document().get("camera");
    QTest::mouseClick(pane->findChild<QToolButton*>("focus"), Qt::LeftButton);
    QVERIFY(!pane->findChild<QToolButton*>("white")->isChecked());
    QTest::mouseClick(pane->picture(), Qt::LeftButton, Qt::NoModifier, middle);
    driver->settle();
    QVERIFY(std::get<double>(driver->value("finish/depth_of_field/focus")) > 0);
    QVERIFY(driver->document().get("camera") == camera);
    pane->stop();
    (void)c;
}

void FinishTest::keepsPicturesOfBefore() {
    driver->window.renderPane()->history()->setFolder(path("history").toStdString());
    RenderPane* pane = rendered();
    HistoryWindow* history = pane->history();
    const double elevation = std::get<double>(driver->value("sun/elevation"));
    QTest::mouseClick(pane->findChild<QToolButton*>("history"), Qt::LeftButton);
    QVERIFY(history->isVisible());
    QVERIFY(driver->waitFor([&] {
        history->refresh();
        return history->entries().size() == 1;
    }));
    driver->window.controller().setValue({"sun", "", "elevation"}, 3.0);
    driver->settle();
    QVERIFY(driver->waitFor([&] {
        history->refresh();
        return history->entries().size() == 2;
    }));
    // The pictures come a little later than their places.
    QVERIFY(driver->waitFor([&] {
        const QImage small = history->list()->item(1)->icon().pixmap(176).toImage();
        return small.width() > 1 && small.pixelColor(small.rect().center()) != tokens().field;
    }));
    history->list()->setCurrentRow(1);
    QTest::keyClicks(history->findChild<QLineEdit*>("historyNote"), "high sun");
    QTest::keyClick(history->findChild<QLineEdit*>("historyNote"), Qt::Key_Return);
    QCOMPARE(history->entries()[1].note, std::string("high sun"));
    history->list()->setCurrentRow(1);
    QTest::mouseClick(history->findChild<QPushButton*>("historyBack"), Qt::LeftButton);
    driver->settle();
    QCOMPARE(std::get<double>(driver->value("sun/elevation")), elevation);
    driver->window.controller().undo();
    QCOMPARE(std::get<double>(driver->value("sun/elevation")), 3.0);
    QTest::mouseClick(history->findChild<QPushButton*>("historyCompare"), Qt::LeftButton);
    QCOMPARE(pane->findChildren<QToolButton*>("pinned").size(), 1);
    const size_t count = history->entries().size();
    QTest::mouseClick(history->findChild<QPushButton*>("historyRemove"), Qt::LeftButton);
    QCOMPARE(history->entries().size(), count - 1);
    history->hide();
    pane->stop();
}

void FinishTest::writesABalanceIntoTheLights() {
    auto& c = driver->window.controller();
    c.setValue({"sun", "", "group"}, std::string("day"));
    RenderPane* pane = rendered();
    const auto film = pane->worker().film();
    const QImage before = pane->picture()->image();
    add("Light group");
    StepCard* card = driver->window.recipe()->card("light_group");
    QVERIFY(card);
    c.setValue({"finish", "light_group", "group"}, std::string("day"));
    c.setValue({"finish", "light_group", "stops"}, 2.0);
    driver->settle();
    QVERIFY(driver->waitFor([&] { return pane->picture()->image() != before; }));
    QCOMPARE(pane->worker().film(), film);  // nothing was rendered
    const QImage balanced = pane->picture()->image();
    const double was = std::get<double>(driver->value("sun/exposure"));
    const auto write = [&] {
        card = driver->window.recipe()->card("light_group");
        auto* menu = card->findChild<QToolButton*>("cardMenu")->menu();
        Q_EMIT menu->aboutToShow();
        for (QAction* a : menu->actions())
            if (a->text() == "Write into the lights") return a->trigger();
        QFAIL("nothing writes it");
    };
    c.setValue({"finish", "light_group", "amount"}, 0.5);  // lights cannot be so
    driver->settle();
    write();
    QCOMPARE(driver->document().get("finish").steps.size(), size_t(1));
    QVERIFY(driver->window.statusText().contains("take over"));
    c.setValue({"finish", "light_group", "amount"}, 1.0);
    driver->settle();
    write();
    driver->settle();
    QVERIFY(driver->document().get("finish").steps.empty());
    QCOMPARE(std::get<double>(driver->value("sun/exposure")), was + 2);
    // Rendered anew it is the picture that was balanced, but for noise.
    QVERIFY(driver->waitFor(
        [&] { return pane->worker().film() != film && pane->last().done && !pane->worker().busy(); }));
    const QPoint middle = before.rect().center();
    const QColor now = pane->picture()->image().pixelColor(middle), then = balanced.pixelColor(middle);
    QVERIFY(std::abs(now.lightness() - then.lightness()) < 12);
    c.undo();
    driver->settle();
    QCOMPARE(driver->document().get("finish").steps.size(), size_t(1));
    pane->stop();
}

static const RegisteredTest<FinishTest> registered;

/// With real strokes of the mouse over the picture.
void FinishTest::paintsWhereACardCounts() {
    RenderPane* pane = rendered();
    auto& c = driver->window.controller();
    PictureArea* area = pane->picture();
    add("Exposure");
    c.setValue({"finish", "exposure", "stops"}, 3.0);
    driver->settle();
    const auto strokes = [&] {
        return std::get<PictureStrokes>(driver->value("finish/exposure/painted")).list;
    };
    auto* paint = driver->editor<QPushButton>("finish/exposure/painted");
    QVERIFY(paint);
    paint->click();
    driver->settle();
    auto* strip = area->findChild<MaskBrush*>();
    QVERIFY(strip && strip->isVisible());
    const QRectF r = area->pictureRect();
    const auto at = [&](double x, double y) {
        return QPointF(r.left() + x * r.width(), r.top() + y * r.height());
    };
    const auto stroke = [&](const QPointF& from, const QPointF& to, Qt::KeyboardModifiers keys = {}) {
        QTest::mousePress(area, Qt::LeftButton, keys, from.toPoint());
        for (int i = 1; i <= 8; ++i) {
            const QPointF p = from + (to - from) * (i / 8.0);
            QMouseEvent move(QEvent::MouseMove, p, area->mapToGlobal(p), Qt::NoButton, Qt::LeftButton, keys);
            QApplication::sendEvent(area, &move);
        }
        QTest::mouseRelease(area, Qt::LeftButton, keys, to.toPoint());
        driver->settle();
    };
    stroke(at(0.3, 0.7), at(0.5, 0.7));
    QCOMPARE(strokes().size(), size_t(1));
    QVERIFY(strokes()[0].points.size() > 3);
    QVERIFY(std::abs(strokes()[0].points[0].x - 0.3f) < 0.02f &&
            std::abs(strokes()[0].points[0].y - 0.7f) < 0.02f);
    QTest::keyClick(area, Qt::Key_W);  // a wider one
    stroke(at(0.3, 0.7), at(0.3, 0.7), Qt::ControlModifier);
    QCOMPARE(strokes().size(), size_t(2));
    QVERIFY(strokes()[1].erases && strokes()[1].radius > strokes()[0].radius);
    // A stroke is one step to undo.
    c.undo();
    driver->settle();
    QCOMPARE(strokes().size(), size_t(1));
    QTest::keyClick(area, Qt::Key_Escape);
    QVERIFY(!strip->isVisible());
    // It is brighter where it was painted, and as it was elsewhere.
    const QImage with = [&] {
        [&] {
            QVERIFY(driver->waitFor([&] { return !pane->worker().busy() && c.finishReports().size() == 1; }));
        }();
        return area->image();
    }();
    c.setValue({"finish", "exposure", "stops"}, 0.0);
    driver->settle();
    QVERIFY(driver->waitFor([&] { return area->image() != with; }));
    const QImage plain = area->image();
    const auto grey = [&](const QImage& image, double x, double y) {
        return qGray(image.pixel(int(x * image.width()), int(y * image.height())));
    };
    QVERIFY(grey(with, 0.4, 0.7) > grey(plain, 0.4, 0.7) + 10);
    QCOMPARE(grey(with, 0.85, 0.2), grey(plain, 0.85, 0.2));
    // The step that is painted on goes, and the brush with it.
    c.undo();
    driver->settle();
    paint = driver->editor<QPushButton>("finish/exposure/painted");
    QVERIFY(paint);
    paint->click();
    QVERIFY(strip->isVisible());
    c.edit("Take it out", [](const Document& d) { return withoutStep(d, "finish", "exposure"); });
    driver->settle();
    QVERIFY(!strip->isVisible());
    pane->stop();
}

#include "finish_test.moc"
