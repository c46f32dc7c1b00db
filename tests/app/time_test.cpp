// Time, driven as people do: play, scrub, keys, curves, parts of a simulation, bakes.
#include "app/time/key_curves.h"
#include "app/time/time_strip.h"
#include "app/widgets/key_button.h"
#include "app_test.h"
#include "document/edits/keying.h"

namespace ovrix::app {

class TimeTest : public WindowFixture {
    Q_OBJECT

    Controller& controller() { return driver->window.controller(); }
    FrameRuler* ruler() { return driver->window.time()->ruler(); }
    KeyCanvas* canvas() { return driver->window.curves()->canvas(); }

    template <class W>
    W* in_(QWidget* parent, const char* name) {
        return parent->findChild<W*>(name);
    }
    void click(QWidget* w, const QPointF& at, Qt::KeyboardModifiers modifiers = Qt::NoModifier) {
        QTest::mouseClick(w, Qt::LeftButton, modifiers, at.toPoint());
        driver->settle();
    }
    void drag(QWidget* w, const QPointF& from, const QPointF& to,
              Qt::KeyboardModifiers modifiers = Qt::NoModifier) {
        QTest::mousePress(w, Qt::LeftButton, modifiers, from.toPoint());
        for (int i = 1; i <= 8; ++i) {
            const QPointF at = from + (to - from) * i / 8.0;
            QMouseEvent move(QEvent::MouseMove, at, w->mapToGlobal(at), Qt::NoButton, Qt::LeftButton,
                             modifiers);
            QApplication::sendEvent(w, &move);
        }
        QTest::mouseRelease(w, Qt::LeftButton, modifiers, to.toPoint());
        driver->settle();
    }
    /// A ball that is chosen, with keys of its position at the frames 1 and 41.
    void makeBall() {
        controller().edit("scene", [](const Document& d) {
            Document out = d;
            out.put(makeNode(out, "sphere", "Ball"));
            out = withKey(out, {"ball", "", "position"}, 1, V3d(0, 0, 0));
            return withKey(out, {"ball", "", "position"}, 41, V3d(2, 1, 0));
        });
        controller().selection().select("ball");
        driver->settle();
    }
    /// Drops over a plate, saved in a file.
    void makeRain() {
        controller().edit("scene", [](const Document& d) {
            Document out = d;
            out.put(makeNode(out, "plane", "Plate"));
            out = withText(out, "plate/position", "0,1,0");
            Node rain = makeNode(out, "layer", "Rain");
            rain.params["surface"].value = std::string("plate");
            rain.steps.push_back(makeStep("scatter", rain));
            out.put(rain);
            out = withText(out, "rain/scatter/count", "100");
            return withText(out, "scene/last", "24");
        });
        controller().selection().select("rain");
        driver->settle();
    }
    void addPart(const QString& name) {
        auto* button = driver->window.recipe()->findChild<QPushButton*>("addPart");
        QVERIFY(button);
        button->click();
        QWidget* popup = QApplication::activePopupWidget();
        QVERIFY(popup);
        auto* search = popup->findChild<QLineEdit*>();
        QTest::keyClicks(search, name);
        QTest::keyClick(search, Qt::Key_Return);
        driver->settle();
    }
    size_t alive() { return elementCount(controller().results().layers.at("rain").geometry); }

  private Q_SLOTS:
    void scrubsStepsAndTypesFrames() {
        makeBall();
        QSignalSpy frames(&controller().clock(), &PlayClock::frameChanged);
        drag(ruler(), {ruler()->xOf(5), 30}, {ruler()->xOf(33), 30});
        QCOMPARE(controller().clock().frame(), 33.0);
        QVERIFY(frames.count() >= 5);
        const V3d seen = std::get<V3d>(driver->document().value("ball", "position", 33));
        const M44f world = controller().results().objects.at("ball").world;
        QVERIFY(std::abs(double(world[3][0]) - seen.x) < 1e-4);  // the view shows the frame
        QTest::keyClick(&driver->window, Qt::Key_Right, Qt::AltModifier);
        QCOMPARE(controller().clock().frame(), 34.0);
        ruler()->setFocus();
        QTest::keyClick(ruler(), Qt::Key_Left, Qt::ShiftModifier);
        QCOMPARE(controller().clock().frame(), 24.0);
        auto* box = driver->window.time()->findChild<NumberBox*>("frameBox");
        click(box, box->rect().center());
        QTest::keyClicks(QApplication::focusWidget(), "7");
        QTest::keyClick(QApplication::focusWidget(), Qt::Key_Return);
        QCOMPARE(controller().clock().frame(), 7.0);
        QVERIFY(!controller().session().canUndo() || controller().session().undoLabel() == "scene");
    }

    void playsRoundTheLoop() {
        makeBall();
        controller().edit("loop", [](const Document& d) {
            return withText(withText(withText(d, "scene/loop_from", "10"), "scene/loop_to", "14"),
                            "scene/play", "every frame");
        });
        std::vector<double> frames;
        connect(&controller().clock(), &PlayClock::frameChanged, this,
                [&] { frames.push_back(controller().clock().frame()); });
        QTest::keyClick(&driver->window, Qt::Key_Space);
        QVERIFY(controller().clock().playing());
        QVERIFY(driver->waitFor([&] { return frames.size() >= 12; }));
        QTest::keyClick(&driver->window, Qt::Key_Space);
        QVERIFY(!controller().clock().playing());
        for (size_t i = 1; i < frames.size(); ++i)
            QCOMPARE(frames[i], frames[i - 1] == 14 ? 10.0 : frames[i - 1] + 1);
        // In real time frames may be left out, but none comes twice or late.
        controller().edit("play",
                          [](const Document& d) { return withText(d, "scene/play", "in real time"); });
        frames.clear();
        driver->window.time()->findChild<QToolButton*>("play")->click();
        QVERIFY(driver->waitFor([&] { return frames.size() >= 6; }));
        controller().clock().setPlaying(false);
        for (double f : frames) QVERIFY(f >= 10 && f <= 14);
    }

    void setsAndRemovesKeysAtTheNotch() {
        makeBall();
        controller().clock().setFrame(21);
        driver->settle();
        auto* key = driver->editor<KeyButton>("ball/radius");
        QVERIFY(key);
        QCOMPARE(key->state(), KeyButton::State::None);
        click(key, key->rect().center());
        QCOMPARE(key->state(), KeyButton::State::Here);
        controller().clock().setFrame(31);
        driver->settle();
        QCOMPARE(key->state(), KeyButton::State::Keyed);
        // A number that has keys takes a key where it is changed.
        auto* box = driver->editor<NumberBox>("ball/radius");
        driver->dragBox(box, 60);
        const Param p = paramAt(driver->document(), {"ball", "", "radius"});
        QCOMPARE(p.keys.size(), size_t(2));
        QCOMPARE(p.keys[0].frame, 21.0);
        QCOMPARE(p.keys[1].frame, 31.0);
        QVERIFY(std::get<double>(p.keys[1].value) > std::get<double>(p.keys[0].value));
        QVERIFY(box->value() > 0.5);
        controller().clock().setFrame(26);
        driver->settle();
        QVERIFY(box->value() > std::get<double>(p.keys[0].value) &&
                box->value() < std::get<double>(p.keys[1].value));
        controller().clock().setFrame(31);
        driver->settle();
        click(key, key->rect().center());
        QCOMPARE(paramAt(driver->document(), {"ball", "", "radius"}).keys.size(), size_t(1));
        controller().undo(), controller().undo(), controller().undo();
        QVERIFY(paramAt(driver->document(), {"ball", "", "radius"}).keys.empty());
    }

    void takesFormulasInNumbers() {
        makeBall();
        auto* box = driver->editor<NumberBox>("ball/radius");
        box->setFocus();
        QTest::keyClick(box, Qt::Key_Return);
        QWidget* typing = QApplication::focusWidget();
        QTest::keyClick(typing, Qt::Key_A, Qt::ControlModifier);
        QTest::keyClicks(typing, "0.2 + frame/100");
        QTest::keyClick(typing, Qt::Key_Return);
        controller().clock().setFrame(30);
        driver->settle();
        QCOMPARE(box->value(), 0.5);
        QVERIFY(std::abs(controller().results().objects.at("ball").mesh->bounds().max.y - 0.5f) < 1e-4f);
        // A plain number takes the formula's place.
        box->setFocus();
        QTest::keyClicks(box, "1");
        QTest::keyClick(QApplication::focusWidget(), Qt::Key_Return);
        QVERIFY(paramAt(driver->document(), {"ball", "", "radius"}).formulas.empty());
        // One that is none is refused and said.
        box->setFocus();
        QTest::keyClick(box, Qt::Key_Return);
        typing = QApplication::focusWidget();
        QTest::keyClick(typing, Qt::Key_A, Qt::ControlModifier);
        QTest::keyClicks(typing, "frame +* 2");
        QTest::keyClick(typing, Qt::Key_Return);
        QVERIFY(paramAt(driver->document(), {"ball", "", "radius"}).formulas.empty());
        QVERIFY(driver->window.statusText().contains("no number"));
    }

    void dragsKeysOnTheStrip() {
        makeBall();
        drag(ruler(), {ruler()->xOf(41), ruler()->keyRow()}, {ruler()->xOf(60), ruler()->keyRow()});
        const Param p = paramAt(driver->document(), {"ball", "", "position"});
        QCOMPARE(p.keys.size(), size_t(2));
        QCOMPARE(p.keys[1].frame, 60.0);
        QCOMPARE(std::get<V3d>(p.keys[1].value), V3d(2, 1, 0));
        controller().undo();  // the drag is one step
        QCOMPARE(paramAt(driver->document(), {"ball", "", "position"}).keys[1].frame, 41.0);
    }

    void editsCurves() {
        makeBall();
        QTest::keyClick(&driver->window, Qt::Key_K, Qt::ShiftModifier);
        QVERIFY(driver->window.curves()->isVisible());
        driver->settle();
        QCOMPARE(canvas()->tracks().size(), size_t(3));
        canvas()->fit();
        // A key is moved up, and only in what it is dragged in.
        const QPointF at = canvas()->keyPoint(0, 1);
        drag(canvas(), at, at + QPointF(0, -20));
        Param p = paramAt(driver->document(), {"ball", "", "position"});
        QVERIFY(std::get<V3d>(p.keys[1].value).x > 2.05);
        QCOMPARE(std::get<V3d>(p.keys[1].value).y, 1.0);
        QCOMPARE(p.keys[1].frame, 41.0);
        controller().undo();
        // A box chooses; its right edge scales in time.
        drag(canvas(), {3, double(canvas()->height() - 3)}, {double(canvas()->width() - 3), 22});
        QCOMPARE(canvas()->chosen().size(), size_t(6));
        for (const char* name : {"easeStraight", "easeStepped", "easeEased", "easeFree", "easeSmooth"})
            in_<QPushButton>(driver->window.curves(), name)->click();
        p = paramAt(driver->document(), {"ball", "", "position"});
        QVERIFY(p.keys[0].ease == KeyEase::Smooth);
        in_<QPushButton>(driver->window.curves(), "easeFree")->click();
        p = paramAt(driver->document(), {"ball", "", "position"});
        QVERIFY(p.keys[0].ease == KeyEase::Free && p.keys[0].after.frames > 0 && p.keys[1].before.frames > 0);
        canvas()->setFocus();
        QTest::keyClick(canvas(), Qt::Key_Right);
        p = paramAt(driver->document(), {"ball", "", "position"});
        QCOMPARE(p.keys[0].frame, 2.0);
        QCOMPARE(p.keys[1].frame, 42.0);
        // They repeat, and are copied to another parameter.
        auto* repeat = in_<QComboBox>(driver->window.curves(), "repeat");
        repeat->setCurrentIndex(1);
        Q_EMIT repeat->activated(1);
        QVERIFY(paramAt(driver->document(), {"ball", "", "position"}).repeat == KeyRepeat::Cycle);
        QTest::keyClick(canvas(), Qt::Key_C, Qt::ControlModifier);
        controller().edit("key", [](const Document& d) {
            return withKey(d, {"ball", "", "rotation"}, 1, V3d(0, 0, 0));
        });
        driver->settle();
        QCOMPARE(canvas()->tracks().size(), size_t(6));
        auto* list = driver->window.curves()->list();
        for (int i = 0; i < 6; ++i)  // only the rotation, which comes after the position
            list->item(i)->setCheckState(i >= 3 ? Qt::Checked : Qt::Unchecked);
        controller().clock().setFrame(11);
        canvas()->setFocus();
        QTest::keyClick(canvas(), Qt::Key_V, Qt::ControlModifier);
        const Param r = paramAt(driver->document(), {"ball", "", "rotation"});
        QCOMPARE(r.keys.size(), size_t(3));
        QCOMPARE(r.keys[1].frame, 11.0);
        QCOMPARE(r.keys[2].frame, 51.0);
        // Double click puts a key, Delete takes the chosen ones.
        canvas()->fit();
        const double value = component(r.at(30), 0);
        QTest::mouseDClick(canvas(), Qt::LeftButton, Qt::NoModifier, canvas()->pointOf(30, value).toPoint());
        QCOMPARE(paramAt(driver->document(), {"ball", "", "rotation"}).keys.size(), size_t(4));
        QTest::keyClick(canvas(), Qt::Key_Delete);
        QCOMPARE(paramAt(driver->document(), {"ball", "", "rotation"}).keys.size(), size_t(3));
    }

    void simulatesWithPartsOfItsOwn() {
        makeRain();
        driver->window.recipe()->openAddStep();
        QWidget* popup = QApplication::activePopupWidget();
        QVERIFY(popup);
        auto* search = popup->findChild<QLineEdit*>();
        QTest::keyClicks(search, "Simulate");
        QTest::keyClick(search, Qt::Key_Return);
        driver->settle();
        const auto ids = [&] {
            QStringList out;
            for (const Step& s : driver->document().get("rain").steps) out << QString::fromStdString(s.id);
            return out.join(" ");
        };
        QCOMPARE(ids(), QString("scatter simulate emit gravity"));
        QVERIFY(driver->window.recipe()->card("gravity"));
        controller().setFull(true);
        controller().clock().setFrame(13);
        driver->settle();
        QCOMPARE(alive(), size_t(50));
        addPart("Drag");
        QCOMPARE(ids(), QString("scatter simulate emit gravity drag"));
        const auto before =
            std::get<std::shared_ptr<const PointSet>>(controller().results().layers.at("rain").geometry);
        auto* strength = driver->editor<NumberBox>("rain/drag/strength");
        QVERIFY(strength);
        driver->dragBox(strength, 120);
        const auto after =
            std::get<std::shared_ptr<const PointSet>>(controller().results().layers.at("rain").geometry);
        QVERIFY(before->attributes.find<V3f>("P")[0].y <
                after->attributes.find<V3f>("P")[0].y);  // it falls slower
        QVERIFY(controller().results().simulations.at("rain").kept.size() >= 13);
    }

    void laysAFloorWithOneClickAndTurnsKnobsWhilePlaying() {
        makeRain();
        controller().edit("simulate", [](const Document& d) {
            return withStep(d, "rain", 9, makeStep("simulate", d.get("rain")));
        });
        driver->settle();
        auto* chip = driver->window.recipe()->findChild<QPushButton*>("add_floor");
        QVERIFY(chip);
        click(chip, chip->rect().center());
        driver->settle();
        QVERIFY(driver->document().get("rain").step("floor"));
        QVERIFY(driver->document().get("rain").step("floor")->in == "simulate");
        controller().edit("every frame",
                          [](const Document& d) { return withText(d, "scene/play", "every frame"); });
        driver->settle();
        controller().clock().setFrame(1);
        controller().clock().setPlaying(true);
        QVERIFY(driver->waitFor([&] { return controller().clock().frame() >= 8; }));
        driver->dragBox(driver->editor<NumberBox>("rain/gravity/strength"), 60);
        QVERIFY(driver->waitFor([&] {
            const auto& steps = controller().results().layers.at("rain").steps;
            return steps.size() > 1 && steps[1].note.find("goes on from before") != std::string::npos;
        }));
        controller().clock().setPlaying(false);  // then it is exact
        QVERIFY(driver->waitFor([&] {
            return !controller().evaluating() &&
                   controller().results().layers.at("rain").steps[1].note.empty();
        }));
    }

    void bakesCancelsAndTellsWhatIsStale() {
        makeRain();
        controller().edit("simulate", [](const Document& d) {
            return withStep(d, "rain", 9, makeStep("simulate", d.get("rain")));
        });
        driver->settle();
        auto* bake = driver->window.time()->bakeButton();
        QVERIFY(bake->isEnabled());
        driver->window.run("bake");
        QVERIFY(driver->window.statusText().contains("Save the scene first"));
        QVERIFY(controller().files().saveScene(path("rain.ovrix")));
        driver->window.run("bake");
        QVERIFY(
            driver->waitFor([&] { return driver->window.statusText().startsWith("Baked Rain: 24 frames"); }));
        driver->settle();
        const auto& status = [&]() -> const SimulationStatus& {
            return controller().results().simulations.at("rain");
        };
        QVERIFY(driver->waitFor([&] { return status().bake.frames.size() == 24 && status().fresh; }));
        QVERIFY(status().used());
        QCOMPARE(bake->text(), QString("Bake"));
        // An edit makes it stale: it is shown, and not used.
        driver->dragBox(driver->editor<NumberBox>("rain/emit/rate"), 40);
        QVERIFY(driver->waitFor([&] { return !status().fresh; }));
        QVERIFY(!status().used());
        QCOMPARE(bake->text(), QString("Bake: stale"));
        // The menu keeps it in use.
        QMenu* menu = bake->menu();
        Q_EMIT menu->aboutToShow();
        QAction* keep = nullptr;
        for (QAction* a : menu->actions())
            if (a->text().startsWith("Keep Rain")) keep = a;
        QVERIFY(keep);
        keep->trigger();
        driver->settle();
        QVERIFY(driver->waitFor([&] { return status().used(); }));
        controller().undo();
        // A bake that is stopped keeps what it has, and goes on from there.
        controller().edit("longer", [](const Document& d) {
            return withText(withText(d, "scene/last", "4000"), "rain/emit/rate", "3000");
        });
        controller().files().saveScene(path("rain.ovrix"));
        driver->window.run("bake");
        QVERIFY(driver->waitFor([&] { return controller().bakes().state().frame >= 4; }));
        QVERIFY(bake->text().startsWith("Baking"));
        driver->window.run("stopBake");
        QVERIFY(driver->waitFor([&] { return driver->window.statusText().startsWith("Stopped baking"); }));
        driver->settle();
        const size_t kept = bakeInfo(bakeFolder(path("rain.ovrix").toStdString(), "rain")).frames.size();
        QVERIFY(kept >= 4 && kept < 4000);
    }

    void camerasWithKeysMoveTheViewAndTheRender() {
        makeBall();
        controller().edit("camera", [](const Document& d) {
            const Document one = withKey(d, {"camera", "", "position"}, 1, V3d(3, 2, 4));
            return withKey(withText(one, "scene/last", "41"), {"camera", "", "position"}, 41, V3d(-3, 2, 4));
        });
        driver->settle();
        auto* view = driver->window.view();
        view->lookThroughCamera();
        const V3f place(1, 0, 0);
        const auto seen = [&] { return *view->project(place); };
        const QPointF first = seen();
        drag(ruler(), {ruler()->xOf(1), 30}, {ruler()->xOf(41), 30});
        QVERIFY(view->throughCamera());
        QVERIFY(QLineF(first, seen()).length() > 20);
        // While it plays the view goes along, frame by frame.
        controller().clock().setFrame(1);
        controller().edit("play", [](const Document& d) { return withText(d, "scene/play", "every frame"); });
        driver->settle();
        std::map<double, QPointF> places;
        connect(&controller().clock(), &PlayClock::frameChanged, this,
                [&] { places[controller().clock().frame()] = seen(); });
        controller().clock().setPlaying(true);
        QVERIFY(driver->waitFor([&] { return places.size() >= 5; }));
        controller().clock().setPlaying(false);
        for (auto a = places.begin(), b = std::next(a); b != places.end(); ++a, ++b)
            QVERIFY(QLineF(a->second, b->second).length() > 0.5);
        // The render is of the frame that is shown.
        auto* pane = driver->window.renderPane();
        driver->window.run("render");
        QVERIFY(driver->waitFor([&] { return pane->last().pass >= 1; }));
        const QImage now = pane->picture()->image();
        controller().clock().setFrame(controller().clock().frame() > 20 ? 1 : 41);
        QVERIFY(driver->waitFor([&] { return pane->last().pass >= 1 && pane->picture()->image() != now; }));
        pane->stop();
    }

    void anotherSceneMayBeOpenedWhileOneIsBaked() {
        makeRain();
        controller().edit("simulate", [](const Document& d) {
            return withText(withStep(d, "rain", 9, makeStep("simulate", d.get("rain"))), "scene/last",
                            "4000");
        });
        QDir(folder->path()).mkdir("a");
        QDir(folder->path()).mkdir("b");
        const QString one = path("a/rain.ovrix"), other = path("b/rain.ovrix");
        driver->settle();
        QVERIFY(controller().files().saveScene(one));
        saveScene(withText(driver->document(), "rain/emit/rate", "90"), other.toStdString());
        driver->window.run("bake");
        QVERIFY(driver->waitFor([&] { return controller().bakes().state().frame >= 4; }));
        controller().files().openScene(other);
        driver->settle();
        const int then = controller().bakes().state().frame;
        QVERIFY(controller().bakes().state().running);  // it goes on, of the scene that it was begun for
        QVERIFY(driver->waitFor([&] { return controller().bakes().state().frame >= then + 4; }));
        driver->window.run("stopBake");
        QVERIFY(driver->waitFor([&] { return !controller().bakes().state().running; }));
        QVERIFY(!QFile::exists(path("b/rain.cache")));
        const auto baked = bakeFolder(one.toStdString(), "rain");
        const BakeInfo info = bakeInfo(baked);
        QVERIFY(info.frames.size() >= 8);
        Evaluator alone;
        const Document document = loadScene(one.toStdString());
        QVERIFY(simulationStatus(alone, SceneContext::ofFile(document, one.toStdString()),
                                 document.get("rain"), 1.0)
                    ->fresh);
        for (const int f : info.frames)
            QCOMPARE(readBaked(baked, info, f)->frame, double(f));  // whole, and of this bake
    }
};

static const RegisteredTest<TimeTest> registered;

}  // namespace ovrix::app

#include "geo/points/curve_set.h"
#include "time_test.moc"
