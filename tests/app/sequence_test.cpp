// Drives what plays pictures that were rendered, and what captures the view.
#include "app/queue/queue_panel.h"
#include "app/render/sequence_player.h"
#include "app/view/view_capture.h"
#include "app/window/dialogs.h"
#include "app_test.h"

using namespace ovrix::deliver;
using namespace ovrix::app;

class SequenceTest : public WindowFixture {
    Q_OBJECT
  private Q_SLOTS:
    void playsPicturesFromMemory();
    void playsWhatTheQueueHas();
    void capturesTheView();
    void saysWhatTheFireflyLimitTakes();

  private:
    void writePictures(const char* pattern, const std::vector<int>& frames);
};

/// Each of another grey: 10 times its frame.
void SequenceTest::writePictures(const char* pattern, const std::vector<int>& frames) {
    for (const int frame : frames) {
        QImage image(32, 20, QImage::Format_RGB32);
        image.fill(qRgb(frame * 10, frame * 10, frame * 10));
        QVERIFY(image.save(path(qPrintable(QString(pattern).arg(frame, 2, 10, QChar('0'))))));
    }
}

void SequenceTest::playsPicturesFromMemory() {
    writePictures("f.%1.png", {3, 4, 5, 7});
    driver->window.playSequence(path("f.04.png").toStdString());
    auto* pane = driver->window.renderPane();
    auto* player = pane->player();
    QVERIFY(player->isOpen() && player->isVisible());
    QCOMPARE(player->range(), std::pair(3, 7));
    QVERIFY(driver->waitFor([&] { return player->loaded() == 4; }));
    const auto grey = [&] { return qRed(pane->picture()->image().pixel(5, 5)); };
    QCOMPARE(grey(), 30);
    QTest::keyClick(player, Qt::Key_Right);
    QCOMPARE(grey(), 40);
    // Where one is missing the one before it stays, and that is said.
    auto* line = player->findChild<QWidget*>("sequenceLine");
    QTest::mouseClick(line, Qt::LeftButton, Qt::NoModifier, {line->width() * 5 / 10, line->height() / 2});
    QCOMPARE(player->frame(), 5);
    QTest::keyClick(player, Qt::Key_Right);
    QVERIFY(player->missing(6) && grey() == 50);
    // It plays round.
    QTest::mouseClick(player->findChild<QToolButton*>("playSequence"), Qt::LeftButton);
    QVERIFY(player->playing());
    std::set<int> seen;
    QVERIFY(driver->waitFor([&] {
        seen.insert(grey());
        return seen.count(30) && seen.count(70);
    }));
    QTest::keyClick(player, Qt::Key_Space);
    QVERIFY(!player->playing());
    // The render takes its place back.
    makeLayer();
    pane->setLive(true);
    QVERIFY(!player->isOpen() && !player->isVisible());
    QVERIFY(driver->waitFor([&] { return pane->last().pass >= 1; }));
    QVERIFY(pane->picture()->image().width() > 32);
    const QImage render = pane->picture()->image();
    pane->stop();
    QVERIFY(driver->waitFor([&] { return !pane->worker().busy(); }));
    // Asked for again, and left by its cross.
    driver->window.playSequence(path("f.##.png").toStdString());
    QVERIFY(driver->waitFor([&] { return player->loaded() == 4; }));
    QTest::mouseClick(player->findChild<QToolButton*>("leaveSequence"), Qt::LeftButton);
    QVERIFY(pane->picture()->image().size() == render.size());
    // What is no picture says so, and what is not there too.
    QFile broken(path("b.01.png"));
    QVERIFY(broken.open(QIODevice::WriteOnly));
    broken.write("no picture");
    broken.close();
    QString told;
    connect(&driver->window.controller(), &Controller::message, this,
            [&](const QString& text, bool) { told = text; });
    driver->window.playSequence(path("b.01.png").toStdString());
    QVERIFY(driver->waitFor([&] { return told.contains("b.01.png"); }));
    player->leave();
    driver->window.playSequence(path("nothing.##.png").toStdString());
    QVERIFY(told.contains("None of the frames") && !player->isOpen());
}

void SequenceTest::playsWhatTheQueueHas() {
    auto& c = driver->window.controller();
    makeLayer();
    QVERIFY(c.files().saveScene(path("a.ovrix")));
    auto* panel = driver->window.findChild<QueuePanel*>();
    panel->setFile(path("r.queue").toStdString());
    writePictures("q.%1.png", {1, 2});
    QueueJob job;
    job.scene = path("a.ovrix").toStdString(), job.out = path("q.##.png").toStdString();
    job.first = 1, job.last = 3;
    panel->add(job);
    editQueue(panel->file(), [&](Queue& q) {
        const uint64_t stamp = sceneStamp(sceneOf(panel->file(), q.jobs[0]), q.jobs[0]);
        q.jobs[0].done = {{1, {stamp, 1}}, {2, {stamp, 1}}};
    });
    panel->show();
    QVERIFY(driver->waitFor(
        [&] { return panel->queue().jobs.size() == 1 && panel->queue().jobs[0].done.size() == 2; }));
    auto* menu =
        panel->list()->itemWidget(panel->list()->item(0))->findChild<QToolButton*>("queueMenu")->menu();
    Q_EMIT menu->aboutToShow();
    for (QAction* a : menu->actions())
        if (a->text() == "Play what is there") a->trigger();
    auto* player = driver->window.renderPane()->player();
    QVERIFY(player->isOpen());
    QVERIFY(driver->waitFor([&] { return player->loaded() == 2; }));
    QCOMPARE(player->range(), std::pair(1, 2));
    // A picture that is taken away is stale.
    const auto stale = [&] {
        for (QLabel* label : panel->list()->findChildren<QLabel*>())
            if (label->text().contains("1 stale")) return true;
        return false;
    };
    QTest::qWait(3500);  // the panel has looked at what is there
    QVERIFY(!stale());
    QVERIFY(QFile::remove(path("q.02.png")));
    QVERIFY(driver->waitFor(stale));
}

void SequenceTest::capturesTheView() {
    makeLayer();
    auto& c = driver->window.controller();
    c.edit("moves", [](const Document& d) {
        Param place = paramAt(d, {"ground", "", "position"});
        place.keys = {{1, V3d(0, 0, 0), KeyEase::Linear}, {6, V3d(0, 0.5, 0), KeyEase::Linear}};
        return withParam(withText(d, "scene/last", "6"), {"ground", "", "position"}, place);
    });
    driver->settle();
    c.clock().setFrame(4);
    driver->settle();
    driver->window.captureView(path("v.##.png").toStdString());
    const auto open = [&] { return driver->window.findChild<ViewCapture*>() != nullptr; };
    QVERIFY(open());
    QVERIFY(driver->waitFor([&] { return !open(); }, 60000));
    QCOMPARE(c.clock().frame(), 4.0);
    const QImage first(path("v.01.png")), last(path("v.06.png"));
    QVERIFY(!first.isNull() && first.size() == last.size());
    QVERIFY(first != last);
    QVERIFY(!QFile::exists(path("v.07.png")));
    // As a video.
    driver->window.captureView(path("v.mkv").toStdString());
    QVERIFY(driver->waitFor([&] { return !open(); }, 60000));
    QVERIFY(QFileInfo(path("v.mkv")).size() > 1000);
    // Stopped half way: nothing is left of it, and the frame is what it was.
    driver->window.captureView(path("s.mkv").toStdString());
    QTest::mouseClick(driver->window.findChild<QPushButton*>("stopCapture"), Qt::LeftButton);
    QVERIFY(driver->waitFor([&] { return !open(); }));
    QVERIFY(!QFile::exists(path("s.mkv")));
    QCOMPARE(QDir(folder->path()).entryList({"*s.mkv*"}, QDir::AllEntries | QDir::Hidden).size(), 0);
    QCOMPARE(c.clock().frame(), 4.0);
    // Where nothing can be written it says so.
    QString told;
    connect(&c, &Controller::message, this, [&](const QString& text, bool) { told = text; });
    driver->window.captureView(path("no_folder/v.mp4").toStdString());
    QVERIFY(driver->waitFor([&] { return !open(); }));
    QVERIFY(told.contains("folder"));
}

void SequenceTest::saysWhatTheFireflyLimitTakes() {
    makeLayer();
    auto& c = driver->window.controller();
    c.setValue({"render", "", "samples"}, int64_t(2));
    c.setValue({"render", "", "limit"}, 0.01);
    auto* pane = driver->window.renderPane();
    driver->window.showRender(true);
    pane->setLive(true);
    const auto told = [&] {
        for (const Check& check : c.checks())
            if (check.text.find("firefly limit takes") != std::string::npos) return true;
        return false;
    };
    QVERIFY(driver->waitFor(told));
    auto* checks = driver->window.findChild<QPushButton*>("checksButton");
    QTest::mouseClick(checks, Qt::LeftButton);
    auto* popup = driver->window.findChild<ChecksPopup*>();
    QVERIFY(popup);
    QPushButton* fix = nullptr;
    for (QPushButton* b : popup->findChildren<QPushButton*>())
        if (b->toolTip() == "Cut nothing") fix = b;
    QVERIFY(fix);
    QTest::mouseClick(fix, Qt::LeftButton);
    QCOMPARE(std::get<double>(driver->value("render/limit")), 0.0);
    QVERIFY(driver->waitFor([&] { return !told(); }));
    pane->stop();
}

static const RegisteredTest<SequenceTest> registered;

#include "sequence_test.moc"
