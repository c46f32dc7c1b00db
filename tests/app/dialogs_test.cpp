// Drives the small windows: preferences, shortcuts, menus, search of steps and commands.
#include "app_test.h"

using namespace ovrix::deliver;
using namespace ovrix::app;

class DialogsTest : public WindowFixture {
    Q_OBJECT
  private Q_SLOTS:
    void preferencesTakeEffectAndStay();
    void shortcutsAreAllOnOnePage();
    void menusAddEveryKindOfThing();
    void recentScenesAreOffered();
    void searchFindsNothingCalmly();
    void everyCommandIsSafeOnAnEmptyScene();
    void unsavedChangesAreShown();
    void keyboardAloneReachesEverything();
    void questionsKeepWhatIsThereUntilAnswered();
    void strangersScenesAreAskedAbout();
    void memoryBeyondThePreferencesIsAskedAbout();
    void longSimulationsAreAskedAbout();

  private:
    /// Runs @p command, which opens a modal window, and @p act on that window once it is there.
    template <class Dialog>
    bool withDialog(const char* command, const std::function<void(Dialog&)>& act) {
        bool seen = false;
        QTimer timer;
        timer.setInterval(20);
        connect(&timer, &QTimer::timeout, this, [&] {
            auto* dialog = qobject_cast<Dialog*>(QApplication::activeModalWidget());
            if (!dialog) return;
            timer.stop();
            seen = true;
            act(*dialog);
            dialog->close();
        });
        timer.start();
        driver->window.run(command);
        return seen;
    }
    QMenu* menuOf(const QString& button) {
        for (QPushButton* b : driver->window.findChildren<QPushButton*>())
            if (b->text() == button && b->menu()) {
                Q_EMIT b->menu()->aboutToShow();
                return b->menu();
            }
        return nullptr;
    }
};

void DialogsTest::questionsKeepWhatIsThereUntilAnswered() {
    int answer = -1;
    const auto question = [&] {
        answer = ask(&driver->window, "Title", "Text", {"Do it", "Do more", "Stay"});
    };
    QVERIFY(answered(question, [](QDialog& d) { QTest::keyClick(&d, Qt::Key_Escape); }));
    QCOMPARE(answer, 2);
    QVERIFY(answered(question, [](QDialog& d) { d.close(); }));
    QCOMPARE(answer, 2);
    QVERIFY(answered(question, [](QDialog& d) { QTest::keyClick(&d, Qt::Key_Return); }));
    QCOMPARE(answer, 0);
    QVERIFY(answered(question, [](QDialog& d) { QTest::mouseClick(choice(d, "Do more"), Qt::LeftButton); }));
    QCOMPARE(answer, 1);
}

void DialogsTest::strangersScenesAreAskedAbout() {
    QSettings().remove("trustedFolders");
    Document d = Document::fresh();
    Node stranger = makeNode(d, "mesh_file", "Stranger");
    stranger.params["file"].value = std::string("/etc/passwd");
    d.put(stranger);
    saveScene(d, path("stranger.ovrix").toStdString());
    auto& window = driver->window;
    window.setUnattended(false);
    const auto opened = [&] { return window.controller().document().find("stranger") != nullptr; };
    const auto open = [&] { window.openScene(path("stranger.ovrix")); };
    // Neither Escape nor Enter opens it.
    for (const auto key : {Qt::Key_Escape, Qt::Key_Return}) {
        QVERIFY(answered(open, [&](QDialog& dialog) { QTest::keyClick(&dialog, key); }));
        QVERIFY(!opened());
    }
    QVERIFY(QSettings().value("trustedFolders").toStringList().isEmpty());
    QVERIFY(answered(open, [](QDialog& dialog) {
        const auto* text = dialog.findChild<QLabel*>();
        QVERIFY(text && text->text().contains("/etc/passwd"));
        QTest::mouseClick(choice(dialog, "Trust this folder"), Qt::LeftButton);
    }));
    QVERIFY(opened());
    driver->settle();
    window.controller().files().newScene(8);
    QVERIFY(!answered(open, [](QDialog& dialog) { dialog.close(); }));
    QVERIFY(opened());
    QSettings().remove("trustedFolders");
    window.setUnattended(true);
}

void DialogsTest::memoryBeyondThePreferencesIsAskedAbout() {
    saveScene(withText(Document::fresh(), "scene/memory", "4000"), path("large.ovrix").toStdString());
    auto& window = driver->window;
    window.controller().files().newScene(8);
    window.setUnattended(false);
    const size_t cap = memoryCap();
    const auto open = [&] { window.openScene(path("large.ovrix")); };
    const auto name = [&] { return window.controller().session().path().filename().string(); };
    QVERIFY(answered(open, [](QDialog& dialog) {
        const auto* text = dialog.findChild<QLabel*>();
        QVERIFY(text && text->text().contains("4000.0 GB"));
        QTest::keyClick(&dialog, Qt::Key_Escape);
    }));
    QVERIFY(name().empty());
    const auto choose = [&](int place) {
        QVERIFY(answered(open, [&](QDialog& dialog) {
            const auto buttons = dialog.findChildren<QPushButton*>();
            QTest::mouseClick(buttons[buttons.size() - 1 - place], Qt::LeftButton);
        }));
        QCOMPARE(name(), std::string("large.ovrix"));
    };
    choose(0);
    QVERIFY(window.controller().document().memoryLimit() <= size_t(8e9));
    window.controller().files().newScene(8);
    choose(1);
    QCOMPARE(window.controller().document().memoryLimit(), size_t(4000e9));
    setMemoryCap(cap);
    window.setUnattended(true);
}

void DialogsTest::longSimulationsAreAskedAbout() {
    makeLayer();
    auto& window = driver->window;
    auto& c = window.controller();
    window.setUnattended(false);
    bool asked = false;
    const auto simulateFor = [&] {
        c.edit("simulate", [&](const Document& d) {
            const Document moving = withStep(d, kLayer, 1, makeStep("simulate", d.get(kLayer)));
            return withText(withText(moving, "ball_on_ground/simulate/substeps", "1000"), "scene/first",
                            "-1000000");
        });
        driver->waitFor([&] { return asked; }, 60000);
    };
    QVERIFY(answered(simulateFor, [&](QDialog& dialog) {
        asked = true;
        const auto* text = dialog.findChild<QLabel*>();
        QVERIFY(text && text->text().contains("minutes"));
        QVERIFY(!choice(dialog, "Bake it in the background"));  // it has no file yet
        QTest::keyClick(&dialog, Qt::Key_Escape);
    }));
    driver->settle();
    QVERIFY(!c.evaluating());                     // nobody waits
    QVERIFY(!QApplication::activeModalWidget());  // and nobody asks again
    c.setPatient(true);
    QTest::qWait(4000);  // longer than it takes to see how long it would be
    QVERIFY(c.evaluating());
    c.files().newScene(8);
    driver->settle();
    QVERIFY(!c.evaluating());
    // Another scene without a name, with a layer of the same id: that is asked about by itself.
    window.setUnattended(true);
    makeLayer();
    window.setUnattended(false);
    asked = false;
    QVERIFY(answered(simulateFor, [&](QDialog& dialog) {
        asked = true;
        QTest::keyClick(&dialog, Qt::Key_Escape);
    }));
    window.setUnattended(true);
}

void DialogsTest::preferencesTakeEffectAndStay() {
    makeLayer();
    const bool seen = withDialog<PreferencesDialog>("preferences", [&](PreferencesDialog& d) {
        const auto boxes = d.findChildren<QComboBox*>();
        QCOMPARE(boxes.size(), 3);
        boxes[0]->setFocus();
        QTest::keyClick(boxes[0], Qt::Key_Down);  // Light
        auto* memory = d.findChild<NumberBox*>();
        QTest::mouseClick(memory, Qt::LeftButton);
        auto* typing = memory->findChild<QLineEdit*>("typing");
        QVERIFY(typing);
        typing->selectAll();
        QTest::keyClicks(typing, "3");
        QTest::keyClick(typing, Qt::Key_Return);
    });
    QVERIFY(seen);
    driver->settle();
    QCOMPARE(Preferences::load().memoryGb, 3.0);
    QCOMPARE(Preferences::load().theme, ThemeKind::Light);
    QVERIFY(tokens().panel.lightness() > 128);
    QCOMPARE(std::get<double>(driver->document().setting("scene", "memory")), 3.0);
    driver->window.controller().undo();  // the scene's own limit is a change like any other
    QCOMPARE(std::get<double>(driver->document().setting("scene", "memory")), 8.0);
    QCOMPARE(driver->window.controller().selection().id(), std::string(kLayer));
    QVERIFY(driver->window.recipe()->card("scatter"));
    QSettings().clear();
    driver.reset();
    applyTheme(*qApp, ThemeKind::Dark, 1.0);
}

void DialogsTest::shortcutsAreAllOnOnePage() {
    const bool seen = withDialog<ShortcutsPage>("shortcuts", [&](ShortcutsPage& page) {
        QStringList texts;
        for (QLabel* l : page.findChildren<QLabel*>()) texts << l->text();
        for (const Command& c : driver->window.commands()) {
            if (c.keys.isEmpty()) continue;
            QVERIFY2(texts.contains(c.title), qPrintable(c.title));
            QVERIFY2(texts.contains(c.keys.toString(QKeySequence::NativeText)), qPrintable(c.title));
        }
    });
    QVERIFY(seen);
}

void DialogsTest::menusAddEveryKindOfThing() {
    size_t before = driver->document().nodes().size();
    QMenu* menu = menuOf("Add");
    QVERIFY(menu);
    std::set<Category> added;
    for (QAction* a : menu->actions()) {
        if (a->isSeparator() || a->text().contains("...") || a->text().contains("layer") ||
            a->text().contains("strands") || a->text().contains("library"))
            continue;
        a->trigger();
        driver->settle();
        QVERIFY2(driver->document().nodes().size() == before + 1, qPrintable(a->text()));
        ++before;
        const Node* made = driver->window.controller().selection().node();  // what is new is chosen
        QVERIFY(made);
        added.insert(made->category());
        QVERIFY2(driver->window.recipe()->card(""), qPrintable(a->text()));
        QVERIFY(!driver->window.recipe()->card("")->rows().empty());
    }
    QCOMPARE(added.size(), size_t(6));  // objects, curves, lights, cameras, materials, passes
    while (driver->window.controller().session().canUndo()) driver->window.controller().undo();
    driver->settle();
    QCOMPARE(writeScene(driver->document()), writeScene(Document::fresh()));
}

void DialogsTest::recentScenesAreOffered() {
    QSettings().clear();
    auto& c = driver->window.controller();
    QVERIFY(c.files().saveScene(path("first.ovrix")));
    QVERIFY(c.files().saveScene(path("second.ovrix")));
    c.files().newScene(8);
    driver->settle();
    QAction* first = nullptr;
    int at = 0, place = 0;
    for (QAction* a : menuOf("File")->actions()) {
        if (a->text().startsWith("second")) place = at;
        if (a->text().startsWith("first")) {
            first = a;
            QVERIFY2(at == place + 1, "the newest stands first");
        }
        ++at;
    }
    QVERIFY(first);
    first->trigger();
    driver->settle();
    QCOMPARE(QString::fromStdString(c.session().path().filename().string()), QString("first.ovrix"));
    // One that is gone says so and opens nothing.
    QFile::remove(path("second.ovrix"));
    for (QAction* a : menuOf("File")->actions())
        if (a->text().startsWith("second")) {
            a->trigger();
            break;
        }
    driver->settle();
    QVERIFY2(driver->window.statusText().contains("second.ovrix"), qPrintable(driver->window.statusText()));
    QCOMPARE(QString::fromStdString(c.session().path().filename().string()), QString("first.ovrix"));
    QSettings().clear();
}

void DialogsTest::searchFindsNothingCalmly() {
    makeLayer();
    QTest::keyClick(&driver->window, Qt::Key_K, Qt::ControlModifier);
    QPointer<QWidget> popup = QApplication::activePopupWidget();
    QVERIFY(popup);
    const std::string before = writeScene(driver->document());
    auto* line = popup->findChild<QLineEdit*>("commandSearch");
    QTest::keyClicks(line, "zzzz");
    QTest::keyClick(line, Qt::Key_Return);
    QCOMPARE(writeScene(driver->document()), before);
    QTest::keyClick(line, Qt::Key_Escape);
    QVERIFY(driver->waitFor([&] { return popup.isNull() || !popup->isVisible(); }));
}

void DialogsTest::everyCommandIsSafeOnAnEmptyScene() {
    for (const Command& c : driver->window.commands()) {
        // Those that open a file chooser, another window or end the program are driven elsewhere.
        if (c.title.endsWith("...") || c.id == "quit" || c.id == "shortcuts" || c.id == "search" ||
            c.id == "checks" || c.id == "save")
            continue;
        driver->window.run(c.id);
        QApplication::processEvents();
        if (QWidget* popup = QApplication::activePopupWidget()) popup->close();
    }
    driver->settle();
    driver->window.renderPane()->stop();
    QVERIFY(driver->window.isVisible());
}

void DialogsTest::unsavedChangesAreShown() {
    QVERIFY(driver->window.controller().files().saveScene(path("pool.ovrix")));
    QVERIFY(!driver->window.windowTitle().contains("edited"));
    QVERIFY(driver->window.windowTitle().startsWith("Pool"));
    driver->window.run("add:sphere");
    driver->settle();
    QVERIFY(driver->window.windowTitle().contains("edited"));
    QTest::keyClick(&driver->window, Qt::Key_Z, Qt::ControlModifier);
    QVERIFY(!driver->window.windowTitle().contains("edited"));  // back to what is saved
    QTest::keyClick(&driver->window, Qt::Key_Z, Qt::ControlModifier | Qt::ShiftModifier);
    QVERIFY(driver->window.windowTitle().contains("edited"));
    QTest::keyClick(&driver->window, Qt::Key_S, Qt::ControlModifier);
    QVERIFY(!driver->window.windowTitle().contains("edited"));
    QVERIFY(loadScene(path("pool.ovrix").toStdString()).find("sphere"));
}

/// Tab walks through the window; every number of the chosen layer is met.
void DialogsTest::keyboardAloneReachesEverything() {
    makeLayer();
    std::set<QWidget*> met;
    driver->window.setFocus();
    for (int i = 0; i < 400; ++i) {
        QWidget* now = QApplication::focusWidget();
        if (now) met.insert(now);
        QTest::keyClick(now ? now : &driver->window, Qt::Key_Tab);
        QApplication::processEvents();
    }
    size_t numbers = 0;
    for (StepCard* card : {driver->window.recipe()->card("scatter"), driver->window.recipe()->card("orient"),
                           driver->window.recipe()->card("vary_size")})
        for (NumberBox* box : card->findChildren<NumberBox*>())
            if (box->isVisible()) {
                ++numbers;
                QVERIFY2(met.count(box), qPrintable(card->accessibleName()));
            }
    QVERIFY(numbers >= 6);
    QVERIFY(met.count(driver->window.view()));
}

static const RegisteredTest<DialogsTest> registered;

#include "dialogs_test.moc"
