// Taking layers from another scene and sequences from files, driven as people do.
#include "app/window/bring_in_dialog.h"
#include "app_test.h"
#include "base/files.h"
#include "io/formats/elements_io.h"

namespace ovrix::app {

class BringTest : public WindowFixture {
    Q_OBJECT

    Controller& controller() { return driver->window.controller(); }
    /// A shoal on a plate that chases a lure, as a scene of its own.
    QString writeShoal() {
        Document d = Document::fresh();
        d.put(makeNode(d, "blade", "Fish"));
        d.put(makeNode(d, "plane", "Plate"));
        d.put(makeNode(d, "sphere", "Lure"));
        Node shoal = makeNode(d, "layer", "Shoal");
        shoal.params["surface"].value = std::string("plate");
        shoal.steps.push_back(makeStep("scatter", shoal));
        shoal.steps[0].params["count"].value = int64_t(20);
        d.put(shoal);
        d = withStep(d, "shoal", 1, makeStep("simulate", d.get("shoal")));
        d = withPart(d, "shoal", "simulate", "chase");
        d = withText(d, "shoal/chase/target", "lure");
        saveScene(d, path("shoal.ovrix").toStdString());
        return path("shoal.ovrix");
    }
    BringInDialog* opened() {
        BringInDialog* dialog = nullptr;
        (void)driver->waitFor([&] {
            dialog = driver->window.findChild<BringInDialog*>();
            return dialog && dialog->isVisible();
        });
        QApplication::processEvents();
        return dialog;
    }
    static QTreeWidgetItem* item(BringInDialog* dialog, const QString& name) {
        auto* tree = dialog->findChild<QTreeWidget*>("bringTree");
        const auto found = tree->findItems(name, Qt::MatchExactly | Qt::MatchRecursive);
        return found.isEmpty() ? nullptr : found[0];
    }
    /// A click into the box before a name.
    static void tick(BringInDialog* dialog, const QString& name) {
        auto* tree = dialog->findChild<QTreeWidget*>("bringTree");
        const QRect row = tree->visualItemRect(item(dialog, name));
        QTest::mouseClick(tree->viewport(), Qt::LeftButton, {},
                          QPoint(row.left() + px(10), row.center().y()));
        QApplication::processEvents();
    }

  private Q_SLOTS:
    void aFirstMeshStandsOnAGround() {
        const auto objects = [&] { return controller().document().nodes(Category::Object).size(); };
        QVERIFY(driver->waitFor([&] { return !controller().evaluating(); }));
        while (objects() > 0)  // an empty scene, whatever the fixture began with
            controller().edit("Clear", [&](const Document& d) {
                Document out = d;
                out.remove(d.nodes(Category::Object)[0]->id);
                return out;
            });
        writeFile(path("block.obj").toStdString(),
                  "v 0 0 0\nv 1 0 0\nv 0 2 0\nv 0 0 1\nf 1 3 2\nf 1 2 4\nf 1 4 3\nf 2 3 4\n");
        driver->drop(path("block.obj"));
        QVERIFY(driver->waitFor([&] { return objects() == 2; }));
        driver->settle();
        QVERIFY(driver->window.view()->throughCamera());
        QCOMPARE(controller().selection().node()->type, std::string("mesh_file"));
        driver->drop(path("block.obj"));  // another one comes alone
        QVERIFY(driver->waitFor([&] { return objects() == 3; }));
        controller().undo();
        controller().undo();  // and a first one goes with its ground
        QCOMPARE(objects(), size_t(0));
    }
    void bringsALayerAndBindsItsTarget() {
        const QString file = writeShoal();
        controller().edit("scene", [](const Document& d) {
            Document out = d;
            out.put(makeNode(out, "sphere", "Float"));
            out.put(makeNode(out, "blade", "Fish"));
            return out;
        });
        const Document before = driver->document();
        driver->window.bringIn(file);
        BringInDialog* dialog = opened();
        QVERIFY(dialog);
        auto* take = dialog->findChild<QPushButton*>("bringTake");
        QVERIFY(!take->isEnabled());  // nothing is chosen yet
        tick(dialog, "Shoal");
        QVERIFY(take->isEnabled());
        QCOMPARE(item(dialog, "Plate")->checkState(0), Qt::Checked);  // it lies on it
        QCOMPARE(item(dialog, "Lure")->checkState(0), Qt::Unchecked);
        auto* target = dialog->findChild<QComboBox*>("bind_lure");
        QVERIFY(target);
        QCOMPARE(target->currentText(), QString("nothing"));
        // By the keyboard, to the float of this scene.
        target->setFocus();
        QTest::keyClicks(target, "Float");
        QCOMPARE(target->currentText(), QString("Float"));
        tick(dialog, "Fish");  // the other kind: it comes by itself
        QTest::mouseClick(take, Qt::LeftButton);
        driver->settle();
        QVERIFY(driver->document().find("shoal"));
        QVERIFY(driver->document().find("fish_2"));
        QCOMPARE(QString::fromStdString(driver->document().get("fish_2").name), QString("Fish 2"));
        QVERIFY(!driver->document().find("lure"));
        QCOMPARE(std::get<std::string>(driver->value("shoal/chase/target")), std::string("float"));
        QVERIFY(driver->window.statusText().contains("Brought in 3 things"));
        QVERIFY(driver->window.statusText().contains("\"Fish\" is called \"Fish 2\" here"));
        driver->window.run("undo");
        QVERIFY(driver->document() == before);
    }
    void cancelsAndRefusesWhatIsNoScene() {
        const QString file = writeShoal();
        const Document before = driver->document();
        driver->window.bringIn(file);
        BringInDialog* dialog = opened();
        QVERIFY(dialog);
        tick(dialog, "Shoal");
        tick(dialog, "Plate");  // taken out again: it can be bound instead
        QVERIFY(dialog->findChild<QComboBox*>("bind_plate"));
        QTest::keyClick(dialog, Qt::Key_Escape);
        driver->settle();
        QVERIFY(driver->document() == before);
        QFile bad(path("bad.ovrix"));
        QVERIFY(bad.open(QIODevice::WriteOnly));
        bad.write("{nonsense");
        bad.close();
        driver->window.bringIn(path("bad.ovrix"));
        QVERIFY(driver->waitFor([&] { return driver->window.statusText().contains("bad.ovrix"); }));
        QVERIFY(driver->document() == before);
    }
    void asksBeforeReadingFilesElsewhere() {
        Document d = Document::fresh();
        Node stranger = makeNode(d, "mesh_file", "Stranger");
        stranger.params["file"].value = std::string("/etc/passwd");
        d.put(stranger);
        QVERIFY(QDir(path("")).mkpath("away"));
        saveScene(d, path("away/stranger.ovrix").toStdString());
        QSettings().remove("trustedFolders");
        driver->window.setUnattended(false);
        const auto take = [&] {
            driver->window.bringIn(path("away/stranger.ovrix"));
            BringInDialog* dialog = opened();
            QVERIFY(dialog);
            tick(dialog, "Stranger");
            QTest::mouseClick(dialog->findChild<QPushButton*>("bringTake"), Qt::LeftButton);
        };
        const Document before = driver->document();
        QVERIFY(answered(take, [](QDialog& question) {
            QVERIFY(question.findChild<QLabel*>()->text().contains("/etc/passwd"));
            QTest::keyClick(&question, Qt::Key_Escape);
        }));
        QVERIFY(driver->document() == before);
        QVERIFY(driver->waitFor([&] { return !driver->window.findChild<BringInDialog*>(); }));
        QVERIFY(answered(take, [](QDialog& question) {
            QTest::mouseClick(choice(question, "Open once"), Qt::LeftButton);
        }));
        QVERIFY(driver->document().find("stranger"));
        driver->window.setUnattended(true);
    }
    void takesAFrameForItsWholeSequence() {
        for (int f : {1, 2, 3}) {
            PointSet set;
            set.attributes.set("P", std::vector<V3f>(size_t(f), V3f(0, float(f), 0)));
            writeElements(path(qPrintable(QString("drops.%1.csv").arg(f, 4, 10, QChar('0')))).toStdString(),
                          std::make_shared<const PointSet>(set));
        }
        controller().edit("scene", [](const Document& d) {
            Document out = d;
            out.put(makeNode(out, "plane", "Plate"));
            return out;
        });
        controller().selection().select("plate");
        driver->drop(path("drops.0002.csv"));
        QVERIFY(driver->waitFor([&] { return driver->document().find("drops") != nullptr; }));
        driver->settle();
        QVERIFY(std::get<std::string>(driver->value("drops/from_file/file")).find("drops.####.csv") !=
                std::string::npos);
        const auto shown = [&] { return elementCount(controller().results().layers.at("drops").geometry); };
        controller().setFull(true);
        for (int f : {1, 3, 2}) {
            controller().clock().setFrame(f);
            driver->settle();
            QCOMPARE(shown(), size_t(f));
        }
    }
};

static const RegisteredTest<BringTest> registered;

}  // namespace ovrix::app

#include "bring_test.moc"
