// Drives the render pane: regions, pins, saving, stopping.
#include <QMenu>
#include <set>

#include "app/widgets/choices_button.h"
#include "app_test.h"
#include "io/denoiser/denoiser.h"

using namespace ovrix::deliver;
using namespace ovrix::app;

class RenderPaneTest : public WindowFixture {
    Q_OBJECT
  private Q_SLOTS:
    void rendersARegionPinsAndSaves();
    void savesAndReopensToTheSamePicture();
    void stopsFast();
    void denoisesWhatIsThereAndGivesItBack();
    void focusesWhereThePictureIsClicked();
    void showsTheLightOfAGroupAlone();
    void showsPassesAndWhereSamplesWent();
};

void RenderPaneTest::rendersARegionPinsAndSaves() {
    makeLayer();
    auto* pane = driver->window.renderPane();
    QTest::keyClick(&driver->window, Qt::Key_R, Qt::ControlModifier);
    QVERIFY(pane->isVisible());
    QVERIFY(driver->waitFor([&] { return pane->last().pass >= 1; }));
    const QImage whole = pane->picture()->image();
    QVERIFY(whole.width() > 100);
    pane->worker().stop();  // so that the film of the whole picture stays as it is
    QVERIFY(driver->waitFor([&] { return !pane->worker().busy(); }));
    const auto before = pane->worker().film();
    auto* region = pane->findChild<QToolButton*>("region");
    QTest::mouseClick(region, Qt::LeftButton);
    const QRectF r = pane->picture()->pictureRect();
    const QPoint a = (r.topLeft() + QPointF(r.width() * 0.25, r.height() * 0.5)).toPoint(),
                 b = (r.topLeft() + QPointF(r.width() * 0.6, r.height() * 0.9)).toPoint();
    QTest::mousePress(pane->picture(), Qt::LeftButton, Qt::NoModifier, a);
    QMouseEvent move(QEvent::MouseMove, QPointF(b), pane->picture()->mapToGlobal(QPointF(b)), Qt::NoButton,
                     Qt::LeftButton, Qt::NoModifier);
    QApplication::sendEvent(pane->picture(), &move);
    QTest::mouseRelease(pane->picture(), Qt::LeftButton, Qt::NoModifier, b);
    QVERIFY(pane->region().has_value());
    QVERIFY(std::abs(pane->region()->x - whole.width() / 4) < 4);
    const int width = pane->region()->width;
    QVERIFY(std::abs(width - whole.width() * 35 / 100) < 6);
    QVERIFY(driver->waitFor([&] { return pane->last().pass >= 2; }));
    // Inside it was made anew, outside it is what it was, to the bit.
    const auto film = pane->worker().film();
    const Rect at = *pane->region();
    QCOMPARE(film->width(), before->width());
    for (int y = 0; y < film->height(); y += 3)
        for (int x = 0; x < film->width(); x += 3) {
            const bool inside = x >= at.x && y >= at.y && x < at.x + at.width && y < at.y + at.height;
            if (inside)
                QVERIFY(film->at(x, y).samples >= 2);
            else
                QCOMPARE(film->at(x, y).direct, before->at(x, y).direct);
        }
    QTest::mouseClick(region, Qt::LeftButton);
    QVERIFY(!pane->region().has_value());
    QVERIFY(driver->waitFor([&] { return pane->last().pass >= 1 && !pane->last().image.isNull(); }));

    QTest::mouseClick(pane->findChild<QToolButton*>("pin"), Qt::LeftButton);
    const auto pins = [&] { return pane->findChildren<QToolButton*>("pinned"); };
    QCOMPARE(pins().size(), 1);
    QTest::mouseClick(pane->findChild<QToolButton*>("pin"), Qt::LeftButton);
    QCOMPARE(pins().size(), 2);
    QVERIFY(!pins()[0]->isChecked() && pins()[1]->isChecked());
    const auto chooseForPin = [&](int pin, const QString& text) {
        QTimer::singleShot(50, [text] {
            auto* menu = qobject_cast<QMenu*>(QApplication::activePopupWidget());
            QVERIFY(menu);
            for (QAction* action : menu->actions())
                if (action->text() == text) action->trigger();
            menu->close();
        });
        Q_EMIT pins()[pin]->customContextMenuRequested({});
        QTest::qWait(20);
    };
    chooseForPin(1, "Difference");
    QCOMPARE(pane->picture()->compare(), PictureArea::Compare::Difference);
    const QColor same = pane->picture()->grab().toImage().pixelColor(pane->picture()->rect().center());
    QVERIFY(same.red() < 8 && same.green() < 8 && same.blue() < 8);  // it is the present picture
    chooseForPin(1, "Side by side");
    pane->picture()->grab();
    chooseForPin(1, "Wipe");
    chooseForPin(0, "Let it go");  // the first goes, the second still compares
    QCOMPARE(pins().size(), 1);
    QVERIFY(pins()[0]->isChecked());
    QTest::mouseClick(pins()[0], Qt::LeftButton);
    QVERIFY(!pins()[0]->isChecked());
    // The sun goes down: the left half keeps the pin, the right one changes.
    driver->window.controller().setValue({"sun", "", "elevation"}, 2.0);
    driver->settle();
    QVERIFY(driver->waitFor([&] { return pane->last().pass >= 1; }));

    pane->save(path("a.exr"));
    pane->save(path("a.tif"));
    driver->settle();
    QVERIFY(QFile::exists(path("a.exr")));
    const auto tif = readImage(path("a.tif").toStdString(), "sRGB");
    QCOMPARE(tif->width, pane->worker().film()->width());
    pane->save(path("no/such/a.exr"));
    driver->settle();
    QVERIFY(driver->window.statusText().contains("does not exist"));
    QVERIFY(pane->worker().film());  // a failed save loses no render
    pane->stop();
    QVERIFY(driver->waitFor([&] { return !pane->worker().busy(); }));
}

void RenderPaneTest::savesAndReopensToTheSamePicture() {
    makeLayer();
    auto& c = driver->window.controller();
    QVERIFY(c.files().saveScene(path("a.ovrix")));
    QVERIFY(!c.session().dirty());
    QVERIFY(c.files().recentFiles().contains(path("a.ovrix")));
    const auto picture = [&] {
        RenderWorker worker(c.evaluator(), [](RenderUpdate) {});
        worker.start({c.scene(), 1, 96, 54, std::nullopt, false, std::nullopt, 2});
        worker.waitIdle();
        std::vector<V3f> light;
        for (const FilmPixel& p : worker.film()->pixels()) light.push_back(p.direct + p.indirect);
        return light;
    };
    const auto first = picture();
    driver = std::make_unique<Driver>();
    driver->window.controller().files().openScene(path("a.ovrix"));
    driver->settle();
    RenderWorker worker(driver->window.controller().evaluator(), [](RenderUpdate) {});
    worker.start({driver->window.controller().scene(), 1, 96, 54, std::nullopt, false, std::nullopt, 2});
    worker.waitIdle();
    for (size_t i = 0; i < first.size(); ++i)
        QCOMPARE(worker.film()->pixel(i).direct + worker.film()->pixel(i).indirect, first[i]);
}

void RenderPaneTest::stopsFast() {
    makeLayer();
    auto* pane = driver->window.renderPane();
    driver->window.showRender(true);
    for (int i = 0; i < 10; ++i) {  // camera moves restart it again and again; nothing piles up
        pane->setLive(true);
        driver->window.view()->frameAll();
        QTest::qWait(20);
    }
    pane->stop();
    QVERIFY(driver->waitFor([&] { return !pane->worker().busy(); }));
}

void RenderPaneTest::focusesWhereThePictureIsClicked() {
    makeLayer();
    auto& c = driver->window.controller();
    auto* pane = driver->window.renderPane();
    QTest::keyClick(&driver->window, Qt::Key_C);  // through the scene's camera
    QTest::keyClick(&driver->window, Qt::Key_R, Qt::ControlModifier);
    QVERIFY(driver->waitFor([&] { return pane->last().pass >= 1; }));
    pane->stop();
    QVERIFY(driver->waitFor([&] { return !pane->worker().busy(); }));
    const auto film = pane->worker().film();
    int x = film->width() / 2, y = film->height() / 2;  // the surface stands in the middle
    QVERIFY(film->at(x, y).object != 0 || film->at(x, y).layer != 0);
    QTest::mouseClick(pane->findChild<QToolButton*>("focus"), Qt::LeftButton);
    const QRectF r = pane->picture()->pictureRect();
    const auto click = [&](int px, int py, Qt::KeyboardModifiers with = Qt::NoModifier) {
        QTest::mouseClick(pane->picture(), Qt::LeftButton, with,
                          (r.topLeft() + QPointF(r.width() * (px + 0.5) / film->width(),
                                                 r.height() * (py + 0.5) / film->height()))
                              .toPoint());
    };
    click(x, y);
    const double focus = std::get<double>(c.document().value("camera", kCamera.focus.id()));
    QVERIFY(std::abs(focus - double(film->at(x, y).depth)) < 0.02 * focus);
    QVERIFY(driver->window.statusText().contains("Sharp at"));
    QVERIFY(c.session().canUndo());
    c.undo();
    QCOMPARE(std::get<double>(c.document().value("camera", kCamera.focus.id())), 0.0);
    click(2, 2);  // the sky
    QVERIFY(driver->window.statusText().contains("Nothing stands there"));
    QCOMPARE(std::get<double>(c.document().value("camera", kCamera.focus.id())), 0.0);
    // With Shift it stays on what stands there: an object, or one of a layer.
    const auto on = [&] { return c.document().value("camera", kCamera.focusOn); };
    for (const bool layer : {false, true}) {
        int at = -1;
        const int width = film->width();
        const auto fits = [&](int i) {
            const FilmPixel p = film->at(i % width, i / width);
            return p.alpha == float(p.samples) && p.object && (p.layer != 0) == layer;
        };
        // In the midst of it: the picture is shown smaller than it is.
        for (int i = 2 * width + 2; i < width * (film->height() - 2) - 2 && at < 0; ++i)
            if (fits(i) && fits(i - 2) && fits(i + 2) && fits(i - 2 * width) && fits(i + 2 * width)) at = i;
        QVERIFY(at >= 0);
        click(at % width, at / width, Qt::ShiftModifier);
        QVERIFY2(driver->waitFor([&] { return on() == (layer ? kLayer : "ground"); }, 5000),
                 qPrintable(driver->window.statusText() + QString::fromStdString(on())));
        QCOMPARE(c.document().value("camera", kCamera.focusElement).empty(), !layer);
        if (!layer) continue;
        const RenderJob job = RenderSceneBuilder(c.evaluator()).build(c.scene(), {}, Progress::none());
        QVERIFY(job.problems.empty());
        QVERIFY(std::abs(job.cameras.back().focus - film->at(at % width, at / width).depth) <
                0.1f * job.cameras.back().focus);
        c.undo();
        QCOMPARE(on(), std::string("ground"));
    }
}

void RenderPaneTest::denoisesWhatIsThereAndGivesItBack() {
    makeLayer();
    auto* pane = driver->window.renderPane();
    auto* button = pane->findChild<QToolButton*>("denoise");
    if (!hasDenoiser()) {
        QVERIFY(!button->isEnabled());
        QVERIFY(button->toolTip().contains("./dev denoiser"));
        return;
    }
    if (button->isChecked()) QTest::mouseClick(button, Qt::LeftButton);
    QTest::keyClick(&driver->window, Qt::Key_R, Qt::ControlModifier);
    QVERIFY(driver->waitFor([&] { return pane->last().pass >= 2; }));
    pane->worker().stop();
    QVERIFY(driver->waitFor([&] { return !pane->worker().busy(); }));
    const auto film = pane->worker().film();
    // What is shown is of the film that is kept: a pass may have come between.
    QTest::mouseClick(button, Qt::LeftButton);
    QVERIFY(driver->waitFor([&] { return pane->worker().rendered().clean != nullptr; }));
    driver->settle();
    QCOMPARE(pane->worker().film().get(), film.get());  // nothing is rendered again
    const QImage clean = pane->picture()->image();
    QTest::mouseClick(button, Qt::LeftButton);
    QVERIFY(driver->waitFor([&] { return !pane->worker().busy() && pane->picture()->image() != clean; }));
    const QImage noisy = pane->picture()->image();
    // Less grain: neighbours differ less.
    const auto grain = [](const QImage& image) {
        double sum = 0;
        for (int y = 0; y < image.height(); ++y)
            for (int x = 1; x < image.width(); ++x)
                sum += std::abs(qGray(image.pixel(x, y)) - qGray(image.pixel(x - 1, y)));
        return sum;
    };
    QVERIFY(grain(clean) < 0.8 * grain(noisy));
    // What is told of the render stays: how long it took, and that nothing comes any more.
    const double seconds = pane->last().seconds;
    QTest::qWait(1100);
    QTest::mouseClick(button, Qt::LeftButton);
    QVERIFY(driver->waitFor([&] { return !pane->worker().busy() && pane->picture()->image() == clean; }));
    QCOMPARE(pane->last().seconds, seconds);
    QVERIFY(pane->last().done);
    QTest::mouseClick(button, Qt::LeftButton);
    QVERIFY(driver->waitFor([&] { return !pane->worker().busy() && pane->picture()->image() == noisy; }));
    // A render that runs takes it up, and what is saved holds both.
    QTest::mouseClick(button, Qt::LeftButton);
    pane->restart();
    QVERIFY(driver->waitFor([&] { return pane->last().pass >= 2 && pane->worker().rendered().clean; }));
    pane->stop();
    QVERIFY(driver->waitFor([&] { return !pane->worker().busy(); }));
    pane->save(path("clean.png"));
    driver->settle();
    QVERIFY(driver->window.statusText().contains("Saved clean.png"));
    const QImage saved(path("clean.png"));
    QCOMPARE(saved.size(), pane->picture()->image().size());
    QVERIFY(grain(saved) < 0.8 * grain(noisy));
    // Too little memory for it is said once, and the noisy picture is there.
    driver->window.controller().setValue({"scene", "", "memory"}, 0.05);
    pane->setLive(true);
    QVERIFY(driver->waitFor([&] { return pane->last().pass >= 3 && !button->isChecked(); }));
    QVERIFY(driver->window.statusText().contains("denoising"));
    QVERIFY(!pane->last().image.isNull());
    pane->stop();
    QVERIFY(driver->waitFor([&] { return !pane->worker().busy(); }));
}

void RenderPaneTest::showsTheLightOfAGroupAlone() {
    makeLayer();
    auto& c = driver->window.controller();
    auto* pane = driver->window.renderPane();
    auto* groups = pane->findChild<QComboBox*>("shown");
    const auto begin = [&] {
        driver->settle();
        pane->setLive(true);
        QVERIFY(driver->waitFor([&] { return pane->last().pass < 2; }));  // what was shown before is gone
        QVERIFY(driver->waitFor([&] { return pane->last().pass >= 2; }));
        pane->stop();
        QVERIFY(driver->waitFor([&] { return !pane->worker().busy(); }));
    };
    if (auto* denoise = pane->findChild<QToolButton*>("denoise"); denoise->isChecked())
        QTest::mouseClick(denoise, Qt::LeftButton);
    QTest::keyClick(&driver->window, Qt::Key_R, Qt::ControlModifier);
    begin();
    QVERIFY(groups->isVisible());
    QVERIFY(groups->itemData(1).toString() == "direct");  // no groups to choose
    c.selection().select("sun");
    driver->settle();
    auto* name = driver->editor<QLineEdit>("sun/group");
    QVERIFY(name);
    name->setFocus();
    QTest::keyClicks(name, "low sun");
    QTest::keyClick(name, Qt::Key_Return);
    QCOMPARE(c.document().value("sun", "group"), Value(std::string("low sun")));
    begin();
    QVERIFY(groups->isVisible());
    QCOMPARE(groups->itemText(1), QString("other lights"));
    QCOMPARE(groups->itemText(2), QString("low sun"));
    const auto choose = [&](int at) {  // as the keyboard does
        const QImage before = pane->picture()->image();
        groups->setFocus();
        while (groups->currentIndex() != at)
            QTest::keyClick(groups, groups->currentIndex() < at ? Qt::Key_Down : Qt::Key_Up);
        QVERIFY(
            driver->waitFor([&] { return !pane->worker().busy() && pane->picture()->image() != before; }));
    };
    const auto film = pane->worker().film();
    const QImage all = pane->picture()->image();
    choose(1);
    const QImage rest = pane->picture()->image();
    choose(2);
    const QImage sun = pane->picture()->image();
    QCOMPARE(pane->worker().film().get(), film.get());  // nothing is rendered again
    // The sky is of the others; what each pixel shows is the group's own light.
    QVERIFY(qGray(rest.pixel(2, 2)) > 20);
    QCOMPARE(qGray(sun.pixel(2, 2)), 0);
    const int x = sun.width() / 2, y = sun.height() / 2;
    QVERIFY(qGray(sun.pixel(x, y)) < qGray(all.pixel(x, y)));
    QVERIFY(qGray(sun.pixel(x, y)) + qGray(rest.pixel(x, y)) > 0);
    // Saved as it is shown; with all in a file of passes.
    pane->save(path("sun.png"));
    pane->save(path("all.exr"));
    driver->settle();
    const QImage saved(path("sun.png"));
    QCOMPARE(saved.size(), sun.size());
    QVERIFY(std::abs(qGray(saved.pixel(x, y)) - qGray(sun.pixel(x, y))) <= 1);
    QCOMPARE(qGray(saved.pixel(2, 2)), 0);
    QVERIFY(QFile::exists(path("all.exr")));
    // A render anew shows the same group; one that is taken off gives all lights again.
    begin();
    QCOMPARE(groups->currentIndex(), 2);
    QCOMPARE(qGray(pane->picture()->image().pixel(2, 2)), 0);
    c.undo();
    begin();
    QCOMPARE(groups->currentIndex(), 0);
    QVERIFY(qGray(pane->picture()->image().pixel(2, 2)) > 20);
}

void RenderPaneTest::showsPassesAndWhereSamplesWent() {
    makeLayer();
    auto& c = driver->window.controller();
    auto* pane = driver->window.renderPane();
    auto* shown = pane->findChild<QComboBox*>("shown");
    if (auto* denoise = pane->findChild<QToolButton*>("denoise"); denoise->isChecked())
        QTest::mouseClick(denoise, Qt::LeftButton);
    // Passes are chosen in a menu that stays open.
    c.selection().select("render");
    driver->settle();
    auto* passes = driver->editor<ChoicesButton>("render/passes");
    QVERIFY(passes);
    QCOMPARE(passes->text(), QString("none"));
    QTimer::singleShot(0, this, [&] {
        QMenu* menu = passes->menu();
        for (QAction* action : menu->actions())
            if (action->text() == "uv" || action->text() == "coat")
                QTest::mouseClick(menu, Qt::LeftButton, {}, menu->actionGeometry(action).center());
        QVERIFY(menu->isVisible());
        QTest::keyClick(menu, Qt::Key_Escape);
    });
    QTest::mouseClick(passes, Qt::LeftButton);
    QCOMPARE(c.document().value("render", "passes"), Value(Refs{"uv", "coat"}));
    QCOMPARE(passes->text(), QString("uv, coat"));
    // A field of the scene is one, too; the panel says what all of them take.
    auto* facts = driver->window.recipe()->findChild<QLabel*>("facts");
    QVERIFY(facts);
    const QString before = facts->text();
    QVERIFY(before.startsWith("film "));
    c.edit("Add a pass", [](const Document& d) {
        Document out = d;
        Node pass = makeNode(d, "field_pass");
        pass.name = "Height";
        FieldSource source = makeSource("height");
        source.params["range"].value = Range{-1, 1};
        pass.params["value"].field = std::make_shared<Field>(Field{{source}});
        out.put(pass);
        return out;
    });
    driver->settle();
    QVERIFY(facts->text() != before);
    c.setValue({"render", "", "noise"}, 0.05);
    c.setValue({"render", "", "least_samples"}, int64_t(4));
    c.setValue({"render", "", "samples"}, int64_t(32));
    driver->settle();
    QTest::keyClick(&driver->window, Qt::Key_R, Qt::ControlModifier);
    pane->setLive(true);
    QVERIFY(driver->waitFor([&] { return pane->last().pass >= 4; }));
    QVERIFY(driver->waitFor([&] { return pane->last().done && !pane->worker().busy(); }));
    const auto film = pane->worker().film();
    QVERIFY(film->has(Pass::Uv) && film->has(Pass::CoatDirect));
    std::set<uint32_t> counts;
    for (size_t i = 0; i < film->count(); ++i) counts.insert(film->samples(i));
    QVERIFY(counts.size() > 1);  // some places had enough before others
    // By the keyboard, which passes what lies between; until the picture is as it must be.
    const auto choose = [&](const QString& id, const std::function<bool(const QImage&)>& right) {
        shown->setFocus();
        const int at = shown->findData(id);
        QVERIFY(at > 0);
        while (shown->currentIndex() != at)
            QTest::keyClick(shown, shown->currentIndex() < at ? Qt::Key_Down : Qt::Key_Up);
        QVERIFY(driver->waitFor([&] { return !pane->worker().busy() && right(pane->picture()->image()); }));
    };
    const QImage light = pane->picture()->image();
    const auto colorsOf = [](const QImage& image) {
        std::set<QRgb> colors;
        for (int y = 0; y < image.height(); ++y)
            for (int x = 0; x < image.width(); ++x) colors.insert(image.pixel(x, y));
        return colors;
    };
    choose("normal", [](const QImage& i) { return i.pixel(2, 2) == QRgb(0xFF000000); });  // the sky has none
    pane->save(path("normal.png"));                                                       // as it is shown
    driver->settle();
    const QImage normals(path("normal.png")), seen = pane->picture()->image();
    QCOMPARE(normals.size(), seen.size());
    int most = 0;  // of a step of 255: files round once more
    for (int y = 0; y < seen.height(); ++y)
        for (int x = 0; x < seen.width(); ++x) {
            const QColor a = normals.pixelColor(x, y), b = seen.pixelColor(x, y);
            most = std::max({most, std::abs(a.red() - b.red()), std::abs(a.green() - b.green()),
                             std::abs(a.blue() - b.blue())});
        }
    QVERIFY2(most <= 1, qPrintable(QString::number(most)));
    choose("object", [&](const QImage& i) { return colorsOf(i).size() <= 4; });
    choose("field Height", [&](const QImage& i) { return colorsOf(i).size() > 20; });
    choose("samples", [&](const QImage& i) { return colorsOf(i).size() == counts.size(); });
    QCOMPARE(pane->worker().film().get(), film.get());  // nothing is rendered again
    while (shown->currentIndex() != 0) QTest::keyClick(shown, Qt::Key_Up);
    QVERIFY(driver->waitFor([&] { return !pane->worker().busy() && pane->picture()->image() == light; }));
    pane->stop();
}

static const RegisteredTest<RenderPaneTest> registered;

#include "render_pane_test.moc"
