// Drives the queue and the sheet of variations.
#include <QListWidget>
#include <QMenu>

#include "app/queue/queue_panel.h"
#include "app/render/variations_window.h"
#include "app/time/time_strip.h"
#include "app_test.h"
#include "deliver/queue/queue_run.h"
#include "io/denoiser/denoiser.h"

using namespace ovrix::deliver;
using namespace ovrix::app;

class QueueTest : public WindowFixture {
    Q_OBJECT
  private Q_SLOTS:
    void addsAndWorksOffAndForgets();
    void tellsWhatARenderWillBeLike();
    void variesANumberAndTakesOne();
    void variesTwoAndAllSeeds();

  private:
    void prepare();
};

void QueueTest::prepare() {
    makeLayer();
    auto& c = driver->window.controller();
    c.setValue({"render", "", "samples"}, int64_t(2));
    c.setValue({"render", "", "width"}, int64_t(32));
    c.setValue({"render", "", "height"}, int64_t(20));
    driver->settle();
}

void QueueTest::addsAndWorksOffAndForgets() {
    prepare();
    auto& c = driver->window.controller();
    QueuePanel* panel = driver->window.queue();
    QVERIFY(panel->isHidden());
    QTest::mouseClick(driver->window.time()->findChild<QToolButton*>("queue"), Qt::LeftButton);
    QVERIFY(panel->isVisible());
    panel->setFile(path("renders.queue").toStdString());
    auto* add = panel->findChild<QPushButton*>("queueAdd");
    QTest::mouseClick(add, Qt::LeftButton);  // an unsaved scene has no file to render
    QVERIFY(driver->window.statusText().contains("Save the scene first"));
    QVERIFY(c.files().saveScene(path("a.ovrix")));
    bool asked = false;
    QTimer::singleShot(300, [&] {
        auto* dialog = qobject_cast<QueueDialog*>(QApplication::activeModalWidget());
        QVERIFY(dialog);
        dialog->findChild<QLineEdit*>("name")->setText("Low sun");
        auto* codec = dialog->findChild<QComboBox*>("codec");
        dialog->findChild<QLineEdit*>("out")->setText(path("a.mp4"));
        QVERIFY(codec->isEnabled());
        dialog->findChild<QLineEdit*>("out")->setText(path("a.png"));
        QVERIFY(!codec->isEnabled());
        dialog->findChild<QDoubleSpinBox*>("noise")->setValue(0.25);
        QTest::mouseClick(dialog->findChild<QCheckBox*>("finish"), Qt::LeftButton, {}, {8, 8});
        QTest::keyClicks(dialog->findChild<QPlainTextEdit*>("changes"), "sun/elevation=3");
        QTest::mouseClick(dialog->findChild<QPushButton*>("addToQueue"), Qt::LeftButton);
        asked = true;
    });
    QTest::mouseClick(add, Qt::LeftButton);
    QVERIFY(asked);
    QCOMPARE(panel->list()->count(), 1);
    QCOMPARE(panel->queue().jobs[0].name, std::string("Low sun"));
    QCOMPARE(panel->queue().jobs[0].changes, std::vector<std::string>{"sun/elevation=3"});
    QCOMPARE(panel->queue().jobs[0].noise, std::optional<double>(0.25));
    QVERIFY(!panel->queue().jobs[0].finish);
    // By a program of its own.
    QTest::mouseClick(panel->findChild<QPushButton*>("queueRun"), Qt::LeftButton);
    QVERIFY(driver->waitFor([&] { return !panel->queue().jobs.empty() && panel->queue().jobs[0].complete(); },
                            60000));
    QVERIFY(QFile::exists(path("a.png")));
    QVERIFY(driver->waitFor([&] { return !panel->running(); }, 60000));
    // A scene that is another now leaves its frames stale: they go from the menu.
    c.setValue({"render", "", "samples"}, int64_t(3));
    QVERIFY(c.files().saveScene(path("a.ovrix")));
    const auto action = [&](const QString& text) -> QAction* {
        auto* menu =
            panel->list()->itemWidget(panel->list()->item(0))->findChild<QToolButton*>("queueMenu")->menu();
        Q_EMIT menu->aboutToShow();
        for (QAction* a : menu->actions())
            if (a->text() == text) return a;
        return nullptr;
    };
    QVERIFY(driver->waitFor([&] { return action("Render stale frames again")->isEnabled(); }));
    action("Render stale frames again")->trigger();
    QVERIFY(driver->waitFor([&] { return panel->queue().jobs[0].done.empty(); }));
    // Somebody else's change is seen.
    editQueue(panel->file(), [](Queue& q) { q.jobs[0].failed = "the disk is full"; });
    QVERIFY(driver->waitFor([&] {
        for (QLabel* label : panel->list()->findChildren<QLabel*>())
            if (label->text().contains("the disk is full")) return true;
        return false;
    }));
    action("Take out")->trigger();
    QVERIFY(driver->waitFor([&] { return panel->list()->count() == 0; }));
}

void QueueTest::tellsWhatARenderWillBeLike() {
    prepare();
    auto& c = driver->window.controller();
    QVERIFY(c.files().saveScene(path("a.ovrix")));
    QueueDialog dialog(c, &driver->window);
    dialog.show();
    auto* ahead = dialog.findChild<QLabel*>("ahead");
    QVERIFY(driver->waitFor([&] { return ahead->text().contains("the film takes"); }));
    const QString one = ahead->text();
    dialog.findChild<QSpinBox*>("samples")->setValue(100000);
    QVERIFY(
        driver->waitFor([&] { return ahead->text().contains("the film takes") && ahead->text() != one; }));
    dialog.findChild<QLineEdit*>("out")->setText("/no/such/folder/a.png");
    QVERIFY(driver->waitFor([&] { return ahead->text().contains("cannot be written"); }));
    dialog.findChild<QLineEdit*>("out")->setText(path("a.png"));
    QTest::keyClicks(dialog.findChild<QPlainTextEdit*>("changes"), "sun/no_such=3");
    QVERIFY(driver->waitFor([&] { return ahead->text().contains("no_such"); }));
    // Frames alone that follow one another can be steady.
    auto* steady = dialog.findChild<QCheckBox*>("steady");
    QVERIFY(!steady->isEnabled());
    for (QComboBox* box : dialog.findChildren<QComboBox*>())
        if (const int all = box->findText("All frames"); all >= 0) box->setCurrentIndex(all);
    QVERIFY(steady->isEnabled() == hasDenoiser());
}

void QueueTest::variesANumberAndTakesOne() {
    prepare();
    auto& c = driver->window.controller();
    VariationsWindow* sheet = driver->window.variations();
    const double before = std::get<double>(driver->value("sun/elevation"));
    sheet->vary({"sun", "", "elevation"});
    QVERIFY(sheet->isVisible());
    QCOMPARE(sheet->count(), size_t(9));
    QVERIFY(driver->waitFor([&] { return sheet->done(); }, 120000));
    QVERIFY(sheet->cell(0)->icon().pixmap(50).toImage() != sheet->cell(8)->icon().pixmap(50).toImage());
    Q_EMIT sheet->cell(2)->customContextMenuRequested({});  // is kept
    QTest::mouseClick(sheet->cell(8), Qt::LeftButton);
    driver->settle();
    const double taken = std::get<double>(driver->value("sun/elevation"));
    QVERIFY(taken > before);
    sheet->refine();
    QCOMPARE(sheet->count(), size_t(10));  // with the one that was kept
    QVERIFY(sheet->cell(0)->text().startsWith("kept"));
    QVERIFY(driver->waitFor([&] { return sheet->done(); }, 120000));
    c.undo();
    driver->settle();
    QCOMPARE(std::get<double>(driver->value("sun/elevation")), before);
    sheet->hide();
}

void QueueTest::variesTwoAndAllSeeds() {
    prepare();
    VariationsWindow* sheet = driver->window.variations();
    sheet->vary({"sun", "", "elevation"});
    sheet->vary({"sun", "", "azimuth"}, true);
    QCOMPARE(sheet->count(), size_t(16));
    const std::string layer = driver->document().nodes(Category::Layer).front()->id;
    sheet->varySeeds(layer);
    QCOMPARE(sheet->count(), size_t(9));
    QVERIFY(driver->waitFor([&] { return sheet->done(); }, 120000));
    QTest::mouseClick(sheet->cell(4), Qt::LeftButton);
    driver->settle();
    sheet->vary({layer, "scatter", "count"});
    driver->window.controller().edit("Remove", [&](const Document& d) { return withoutNode(d, layer); });
    driver->settle();
    sheet->refine();  // what was varied is gone
    QVERIFY(!sheet->isVisible());
}

static const RegisteredTest<QueueTest> registered;

#include "queue_test.moc"
