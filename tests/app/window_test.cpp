// Drives the window as a whole: files, commands, checks, outline, scale, recovery.
#include "app_test.h"

using namespace ovrix::deliver;
using namespace ovrix::app;

class WindowTest : public WindowFixture {
    Q_OBJECT
  private Q_SLOTS:
    void dropsAMeshAndScattersOnIt();
    void refusesBadFilesAndKeepsTheDocument();
    void searchesCommands();
    void showsChecksAndFixes();
    void outlineTogglesRenamesAndDeletes();
    void outlineFollowsEditsRowByRow();
    void opensAnotherSceneWhileItPlays();
    void showsAtTwiceTheScale();
    void bringsBackWhatWasNotSaved();
    void worksWithoutOpenGl();
};

void WindowTest::dropsAMeshAndScattersOnIt() {
    writePlyMesh(path("rock.ply").toStdString(), *makeTerrain({2, 32, 0.3f, 1, 0.3f, 1}));
    writePlyMesh(path("pebble.ply").toStdString(), *makeSphere(0.02f, 12));
    driver->drop(path("rock.ply"));
    QVERIFY(driver->waitFor([&] { return driver->document().find("rock"); }));
    driver->drop(path("pebble.ply"));
    QVERIFY(driver->waitFor([&] { return driver->document().find("pebble"); }));
    auto& c = driver->window.controller();
    QTest::mouseClick(
        driver->window.outline()->viewport(), Qt::LeftButton, Qt::NoModifier,
        driver->window.outline()->visualItemRect(driver->window.outline()->itemOf("rock")).center());
    QCOMPARE(c.selection().id(), std::string("rock"));
    QTest::keyClick(&driver->window, Qt::Key_L, Qt::ControlModifier);
    driver->settle();
    const auto layers = driver->document().layersOn("rock");
    QCOMPARE(layers.size(), size_t(1));
    QCOMPARE(c.selection().id(), layers[0]->id);
    // A prototype from the card's menu.
    auto* add = driver->window.recipe()->findChild<QPushButton*>("addPrototype");
    QVERIFY(add);
    Q_EMIT add->menu()->aboutToShow();
    for (QAction* a : add->menu()->actions())
        if (a->text() == "pebble") a->trigger();
    driver->settle();
    const auto& result = c.results().layers.at(layers[0]->id);
    QVERIFY(result.ok);
    QCOMPARE(elementCount(result.geometry), size_t(200));
    QCOMPARE(kindOf(result.geometry), GeometryKind::Copies);
}

void WindowTest::refusesBadFilesAndKeepsTheDocument() {
    makeLayer();
    const std::string before = writeScene(driver->document());
    QFile bad(path("bad.obj"));
    QVERIFY(bad.open(QIODevice::WriteOnly));
    bad.write("v nan 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n");
    bad.close();
    for (const QString& file : {path("bad.obj"), path("none.obj"), path("."), path("letter.txt")}) {
        driver->drop(file);
        QVERIFY(driver->waitFor([&] { return !driver->window.controller().evaluating(); }));
        driver->settle();
        QVERIFY2(!driver->window.statusText().isEmpty(), qPrintable(file));
        QCOMPARE(writeScene(driver->document()), before);
    }
    driver->window.controller().files().openScene(path("bad.obj"));
    QCOMPARE(writeScene(driver->document()), before);
}

void WindowTest::searchesCommands() {
    makeLayer();
    QTest::keyClick(&driver->window, Qt::Key_K, Qt::ControlModifier);
    auto* popup = QApplication::activePopupWidget();
    QVERIFY(popup);
    auto* line = popup->findChild<QLineEdit*>("commandSearch");
    QTest::keyClicks(line, "add torus");
    QTest::keyClick(line, Qt::Key_Return);
    driver->settle();
    QVERIFY(driver->document().find("torus"));
    std::set<QString> keys;
    for (const Command& c : driver->window.commands()) {
        QVERIFY(!c.title.isEmpty());
        if (!c.keys.isEmpty())
            QVERIFY2(keys.insert(c.keys.toString()).second, qPrintable("twice: " + c.keys.toString()));
    }
}

void WindowTest::showsChecksAndFixes() {
    makeLayer();
    driver->window.controller().edit(
        "hide", [&](const Document& d) { return withText(d, std::string(kLayer) + "/shown", "false"); });
    driver->settle();
    auto* button = driver->window.findChild<QPushButton*>("checksButton");
    QVERIFY(button->text().contains("hidden but will render"));
    QTest::mouseClick(button, Qt::LeftButton);
    auto* popup = QApplication::activePopupWidget();
    QVERIFY(popup);
    for (QPushButton* b : popup->findChildren<QPushButton*>())
        if (b->text() == "Fix") {
            QTest::mouseClick(b, Qt::LeftButton);
            break;
        }
    driver->settle();
    QVERIFY(driver->document().find(kLayer)->shown);
    popup->close();
}

void WindowTest::outlineTogglesRenamesAndDeletes() {
    makeLayer();
    auto* outline = driver->window.outline();
    const auto row = [&](const char* id) {
        const QRect r = outline->visualItemRect(outline->itemOf(id));
        return QRect(0, r.top(), outline->viewport()->width(), r.height());
    };
    QTest::mouseClick(outline->viewport(), Qt::LeftButton, Qt::NoModifier,
                      QPoint(row(kLayer).right() - px(34), row(kLayer).center().y()));
    QVERIFY(!driver->document().find(kLayer)->shown);
    QTest::mouseClick(outline->viewport(), Qt::LeftButton, Qt::NoModifier,
                      QPoint(row(kLayer).right() - px(14), row(kLayer).center().y()));
    QVERIFY(!driver->document().find(kLayer)->rendered);
    driver->window.controller().selection().select(kLayer);
    outline->setFocus();
    QTest::keyClick(outline, Qt::Key_V);
    QVERIFY(driver->document().find(kLayer)->shown);
    QVERIFY(!driver->document().find(kLayer)->rendered);
    QTest::keyClick(outline, Qt::Key_V, Qt::ShiftModifier);
    QVERIFY(driver->document().find(kLayer)->rendered);
    driver->window.controller().selection().select("ground");
    outline->setFocus();
    QTest::keyClick(outline, Qt::Key_F2);
    auto* editor = outline->findChild<QLineEdit*>();
    QVERIFY(editor);
    editor->selectAll();
    QTest::keyClicks(editor, "Shore");
    QTest::keyClick(editor, Qt::Key_Return);
    driver->settle();
    QCOMPARE(driver->document().find("ground")->name, std::string("Shore"));
    outline->setFocus();
    QTest::keyClick(outline, Qt::Key_Delete);
    QVERIFY(!driver->document().find("ground"));
    QVERIFY(!driver->document().find(kLayer));
    QVERIFY(driver->window.controller().selection().id().empty());
}

void WindowTest::outlineFollowsEditsRowByRow() {
    auto& c = driver->window.controller();
    c.edit("add", [](const Document& d) {
        Document out = d;
        out.put(makeNode(out, "sphere", "Ball"));
        out.put(makeNode(out, "plane", "Floor"));
        return out;
    });
    driver->settle();
    Outline* outline = driver->window.outline();
    QTreeWidgetItem *ball = outline->itemOf("ball"), *floor = outline->itemOf("floor");
    QVERIFY(ball && floor);
    const auto text = [](QTreeWidgetItem* item, int role) { return item->data(0, role).toString(); };
    const QString before = text(ball, CountRole);
    QVERIFY(!before.isEmpty());
    // Values, names and signs change the row that is there.
    c.setValue({"ball", "", "segments"}, int64_t(9));
    c.edit("rename", [](const Document& d) { return withText(d, "ball/name", "Globe"); });
    c.edit("hide", [](const Document& d) { return withText(d, "ball/shown", "false"); });
    driver->settle();
    QCOMPARE(outline->itemOf("ball"), ball);
    QCOMPARE(outline->itemOf("floor"), floor);
    QCOMPARE(ball->text(0), QString("Globe"));
    QCOMPARE(ball->data(0, ShownRole).toBool(), false);
    QVERIFY(text(ball, CountRole) != before);
    const QString sun = text(outline->itemOf("sun"), CountRole);
    c.setValue({"sun", "", "elevation"}, 12.0);
    QVERIFY(text(outline->itemOf("sun"), CountRole) != sun);  // before any result
    // What hangs elsewhere makes the rows anew, and the choice stays.
    c.selection().select("floor");
    c.edit("carry", [](const Document& d) { return withText(d, "ball/parent", "floor"); });
    QCOMPARE(outline->itemOf("ball")->parent(), outline->itemOf("floor"));
    QCOMPARE(outline->currentItem(), outline->itemOf("floor"));
    c.undo();
    QVERIFY(outline->itemOf("ball")->parent() != outline->itemOf("floor"));
}

void WindowTest::opensAnotherSceneWhileItPlays() {
    makeLayer();
    auto& c = driver->window.controller();
    const QString one = path("one.ovrix"), other = path("other.ovrix");
    QVERIFY(c.files().saveScene(one));
    Document marked = driver->document();
    marked.put(makeNode(marked, "sphere", "Mark"));
    saveScene(marked, other.toStdString());
    c.clock().setPlaying(true);
    QVERIFY(driver->waitFor([&] { return c.clock().frame() > 3; }));
    int seen = 0, ofTheOld = 0;
    c.files().openScene(other);
    connect(&c, &Controller::resultsChanged, this, [&] {
        ++seen;
        ofTheOld += c.results().document.find("mark") == nullptr;
    });
    QVERIFY(!c.clock().playing());
    QCOMPARE(c.clock().frame(), 1.0);
    QVERIFY(driver->waitFor([&] { return seen > 0 && !c.evaluating(); }));
    driver->settle();
    disconnect(&c, &Controller::resultsChanged, this, nullptr);
    QCOMPARE(ofTheOld, 0);
    QVERIFY(c.results().objects.count("mark") == 1);
}

void WindowTest::showsAtTwiceTheScale() {
    driver.reset();
    applyTheme(*qApp, ThemeKind::Light, 2.0);
    driver = std::make_unique<Driver>();
    makeLayer();
    auto* count = driver->editor<NumberBox>(in("scatter/count"));
    QCOMPARE(count->height(), 52);
    const QImage picture = driver->window.grab().toImage();
    QVERIFY(picture.width() >= 1280);
    // Back while it runs: the window is made anew, the scene and the choice stay.
    Preferences small = Preferences::load();
    driver->window.applyPreferences(small);
    Preferences large = small;
    large.scale = 1.5;
    driver->window.applyPreferences(large);
    driver->settle();
    QCOMPARE(driver->window.controller().selection().id(), std::string(kLayer));
    count = driver->editor<NumberBox>(in("scatter/count"));
    QVERIFY(count);
    QCOMPARE(count->height(), 39);
    driver->dragBox(count, 30);
    QVERIFY(std::get<int64_t>(driver->value(in("scatter/count"))) > 2000);
    driver.reset();
    applyTheme(*qApp, ThemeKind::Dark, 1.0);
}

void WindowTest::bringsBackWhatWasNotSaved() {
    makeLayer();
    auto& c = driver->window.controller();
    const auto kept = std::filesystem::path(path("kept").toStdString());
    c.files().setAutosaveFolder(kept);
    c.edit("change", [&](const Document& d) { return withText(d, in("scatter/count"), "777"); });
    c.files().writeAutosave();
    const std::string text = writeScene(driver->document());
    // As a program that was killed leaves it: under the number of a process that is no more.
    for (const auto& file : std::filesystem::directory_iterator(kept))
        std::filesystem::rename(file.path(), kept / "4194303.autosave");
    driver = std::make_unique<Driver>();
    driver->window.controller().files().setAutosaveFolder(kept);
    const auto found = driver->window.controller().files().autosave()->found();
    QCOMPARE(found.size(), size_t(1));
    driver->window.controller().files().recover(found[0]);
    driver->settle();
    QCOMPARE(writeScene(driver->document()), text);
    QVERIFY(driver->window.controller().session().dirty());
    QVERIFY(driver->window.controller().files().autosave()->found().empty());
}

/// Run by itself on a platform without OpenGL; see ./dev test.
void WindowTest::worksWithoutOpenGl() {
    if (driver->window.view()) QSKIP("this display has OpenGL");
    auto* text = driver->window.findChild<QLabel*>("noOpenGl");
    QVERIFY(text && text->text().contains("OpenGL 3.3"));
    makeLayer();
    QCOMPARE(elements(), size_t(200));
    driver->window.run("frameAll");  // what needs the view is not offered
    driver->window.showRender(true);
    driver->window.renderPane()->setLive(true);
    QVERIFY(driver->waitFor([&] { return driver->window.renderPane()->last().pass >= 1; }));
    QVERIFY(driver->window.controller().files().saveScene(path("a.ovrix")));
}

static const RegisteredTest<WindowTest> registered;

#include "window_test.moc"
