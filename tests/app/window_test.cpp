// Drives the real window with real mouse and key events, and looks at the document and the picture.
#include "app/theme/theme.h"
#include "app/widgets/curve_box.h"
#include "app/widgets/number_box.h"
#include "app/widgets/shares_bar.h"
#include "app_test.h"
#include "geo/primitives.h"
#include "io/image_io.h"
#include "io/mesh_writer.h"

using namespace ovrix;
using namespace ovrix::app;

class WindowTest : public QObject {
    Q_OBJECT
  private Q_SLOTS:
    void init() {
        folder = std::make_unique<QTemporaryDir>();
        driver = std::make_unique<Driver>();
    }
    void cleanup() {
        driver.reset();
        folder.reset();
    }

    void dropsAMeshAndScattersOnIt();
    void dragsAndTypesNumbers();
    void undoesEverything();
    void paintsTheOverlay();
    void rendersARegionPinsAndSaves();
    void savesAndReopensToTheSamePicture();
    void refusesBadFilesAndKeepsTheDocument();
    void chooses();
    void movesWithHandles();
    void turnsTheView();
    void addsAndMovesSteps();
    void sharesAreDragged();
    void curvesAreBent();
    void searchesCommands();
    void showsChecksAndFixes();
    void outlineTogglesRenamesAndDeletes();
    void draftAndFull();
    void stopsFast();
    void showsAtTwiceTheScale();
    void bringsBackWhatWasNotSaved();
    void worksWithoutOpenGl();

  private:
    QString path(const char* name) { return folder->filePath(name); }
    /// A surface and a layer of balls on it.
    void makeLayer() {
        auto& c = driver->window.controller();
        c.edit("scene", [&](const Document& d) {
            Document out = d;
            out.put(makeNode(out, "terrain", "Ground"));
            out.put(makeNode(out, "sphere", "Ball"));
            out = withText(out, "ball/radius", "0.03");
            out = withText(out, "ball/shown", "false");
            std::string id;
            out = withLayer(out, "ground", "ball", &id);
            return out;
        });
        c.select(kLayer);
        driver->settle();
    }
    static constexpr const char* kLayer = "ball_on_ground";
    std::string in(const char* rest) { return std::string(kLayer) + "/" + rest; }
    size_t elements() {
        return elementCount(driver->window.controller().results().layers.at(kLayer).geometry);
    }

    std::unique_ptr<QTemporaryDir> folder;
    std::unique_ptr<Driver> driver;
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
    QCOMPARE(c.selected(), std::string("rock"));
    QTest::keyClick(&driver->window, Qt::Key_L, Qt::ControlModifier);
    driver->settle();
    const auto layers = driver->document().layersOn("rock");
    QCOMPARE(layers.size(), size_t(1));
    QCOMPARE(c.selected(), layers[0]->id);
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

void WindowTest::dragsAndTypesNumbers() {
    makeLayer();
    auto* count = driver->editor<NumberBox>(in("scatter/count"));
    QVERIFY(count);
    const int64_t before = std::get<int64_t>(driver->value(in("scatter/count")));
    driver->dragBox(count, 40);
    const int64_t dragged = std::get<int64_t>(driver->value(in("scatter/count")));
    QVERIFY(dragged > before + 1000);
    driver->window.controller().undo();  // the whole drag is one step
    QCOMPARE(std::get<int64_t>(driver->value(in("scatter/count"))), before);
    driver->dragBox(count, 40, Qt::ControlModifier);
    QVERIFY(std::get<int64_t>(driver->value(in("scatter/count"))) < dragged);

    QTest::mouseClick(count, Qt::LeftButton);
    auto* typing = count->findChild<QLineEdit*>("typing");
    QVERIFY(typing);
    typing->selectAll();
    QTest::keyClicks(typing, "3*1000");
    QTest::keyClick(typing, Qt::Key_Return);
    driver->settle();
    QCOMPARE(std::get<int64_t>(driver->value(in("scatter/count"))), int64_t(3000));
    QCOMPARE(elements(), size_t(300));

    auto* lift = driver->editor<NumberBox>(in("copies_of/lift"));
    lift->setFocus();
    QTest::keyClick(lift, Qt::Key_Return);
    typing = lift->findChild<QLineEdit*>("typing");
    typing->selectAll();
    QTest::keyClicks(typing, "2.5cm");
    QTest::keyClick(typing, Qt::Key_Return);
    QCOMPARE(std::get<double>(driver->value(in("copies_of/lift"))), 0.025);
    driver->settle();
    QTest::keyClick(lift, Qt::Key_Return);
    typing = lift->findChild<QLineEdit*>("typing");
    typing->selectAll();
    QTest::keyClicks(typing, "two");
    QTest::keyClick(typing, Qt::Key_Return);
    QCOMPARE(std::get<double>(driver->value(in("copies_of/lift"))), 0.025);
    QVERIFY(driver->window.statusText().contains("two"));
    QTest::mouseDClick(lift, Qt::LeftButton);
    QCOMPARE(std::get<double>(driver->value(in("copies_of/lift"))), 0.0);
}

void WindowTest::undoesEverything() {
    makeLayer();
    auto& c = driver->window.controller();
    std::vector<std::string> states = {writeScene(c.document())};
    QSignalSpy spy(&c, &Controller::documentChanged);
    driver->dragBox(driver->editor<NumberBox>(in("scatter/seed")), 60);
    states.push_back(writeScene(c.document()));
    driver->dragBox(driver->editor<NumberBox>(in("vary_size/between")), 30);
    states.push_back(writeScene(c.document()));
    c.edit("field", [&](const Document& d) {
        return withField(d, ParamPath::parse(d, in("scatter/keep")),
                         std::make_shared<Field>(Field{{makeSource("slope")}}));
    });
    states.push_back(writeScene(c.document()));
    QVERIFY(spy.count() >= 3);
    QVERIFY(states[0] != states[1] && states[1] != states[2] && states[2] != states[3]);
    for (size_t i = states.size() - 1; i-- > 0;) {
        QTest::keyClick(&driver->window, Qt::Key_Z, Qt::ControlModifier);
        driver->settle();
        QCOMPARE(writeScene(c.document()), states[i]);
    }
    for (size_t i = 1; i < states.size(); ++i) {
        QTest::keyClick(&driver->window, Qt::Key_Z, Qt::ControlModifier | Qt::ShiftModifier);
        driver->settle();
        QCOMPARE(writeScene(c.document()), states[i]);
    }
}

void WindowTest::paintsTheOverlay() {
    makeLayer();
    auto& c = driver->window.controller();
    const QImage before = driver->window.view()->grabFramebuffer();
    c.edit("mask", [&](const Document& d) {
        return withField(d, ParamPath::parse(d, in("scatter/keep")),
                         std::make_shared<Field>(Field{{makeSource("slope")}}));
    });
    driver->settle();
    auto* row =
        driver->window.recipe()->findChild<QWidget*>("param:" + QString::fromStdString(in("scatter/keep")));
    auto* sources = row->findChild<QToolButton*>("sources");
    QVERIFY(sources->isVisible());
    QTest::mouseClick(sources, Qt::LeftButton);
    driver->settle();
    QVERIFY(driver->waitFor([&] { return c.results().overlay.has_value(); }));
    QVERIFY(driver->window.view()->showsOverlay());
    QVERIFY(c.results().overlay->error.empty());
    const double pass = c.results().overlay->mean;
    QVERIFY(pass > 0.05 && pass < 0.98);
    driver->settle();
    // The surface now shows the heat map: many pixels of the two ends' hues.
    const QImage after = driver->window.view()->grabFramebuffer();
    int changed = 0;
    for (int y = 0; y < after.height(); y += 4)
        for (int x = 0; x < after.width(); x += 4) changed += before.pixel(x, y) != after.pixel(x, y);
    QVERIFY2(changed > after.width() * after.height() / 16 / 20, qPrintable(QString::number(changed)));
    // What the mask is where the field is 0 has its own box.
    auto* ends = row->findChild<QWidget*>("fieldEnds");
    QVERIFY(ends);
    driver->dragBox(ends->findChildren<NumberBox*>()[0], 60);
    QVERIFY(std::get<double>(
                paramAt(driver->document(), ParamPath::parse(driver->document(), in("scatter/keep"))).low) >
            0.1);
    c.undo();
    driver->settle();
    // A narrower slope lets fewer stand, live.
    const size_t many = elements();
    auto* title = row->findChild<QPushButton*>("sourceTitle");
    QTest::mouseClick(title, Qt::LeftButton);
    driver->settle();
    auto* range = driver->editor<NumberBox>(in("scatter/keep/field/0/range"));
    QVERIFY(range);
    c.setValue(ParamPath::parse(driver->document(), in("scatter/keep/field/0/range")), Range{0, 5});
    driver->settle();
    QVERIFY(elements() < many);
    QVERIFY(c.results().overlay->mean < pass);
    QTest::mouseClick(sources, Qt::LeftButton);
    driver->settle();
    QVERIFY(!driver->window.view()->showsOverlay());
}

void WindowTest::rendersARegionPinsAndSaves() {
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
    Q_EMIT pins()[0]->customContextMenuRequested({});  // the first goes, the second still compares
    QTest::qWait(20);
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
    QVERIFY(QFile::exists(path("a.exr")));
    const auto tif = readImage(path("a.tif").toStdString(), "sRGB");
    QCOMPARE(tif->width, pane->worker().film()->width());
    pane->save(path("no/such/a.exr"));
    QVERIFY(driver->window.statusText().contains("does not exist"));
    QVERIFY(pane->worker().film());  // a failed save loses no render
    pane->stop();
    QVERIFY(driver->waitFor([&] { return !pane->worker().busy(); }));
}

void WindowTest::savesAndReopensToTheSamePicture() {
    makeLayer();
    auto& c = driver->window.controller();
    QVERIFY(c.saveScene(path("a.ovrix")));
    QVERIFY(!c.session().dirty());
    QVERIFY(c.recentFiles().contains(path("a.ovrix")));
    const auto picture = [&] {
        RenderWorker worker(c.evaluator(), [](RenderUpdate) {});
        worker.start({c.document(), c.session().folder(), 1, 96, 54, std::nullopt, false, std::nullopt, 2});
        worker.waitIdle();
        std::vector<V3f> light;
        for (const FilmPixel& p : worker.film()->pixels()) light.push_back(p.direct + p.indirect);
        return light;
    };
    const auto first = picture();
    driver = std::make_unique<Driver>();
    driver->window.controller().openScene(path("a.ovrix"));
    driver->settle();
    RenderWorker worker(driver->window.controller().evaluator(), [](RenderUpdate) {});
    worker.start({driver->document(), driver->window.controller().session().folder(), 1, 96, 54, std::nullopt,
                  false, std::nullopt, 2});
    worker.waitIdle();
    for (size_t i = 0; i < first.size(); ++i)
        QCOMPARE(worker.film()->pixels()[i].direct + worker.film()->pixels()[i].indirect, first[i]);
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
    driver->window.controller().openScene(path("bad.obj"));
    QCOMPARE(writeScene(driver->document()), before);
}

void WindowTest::chooses() {
    makeLayer();
    auto* view = driver->window.view();
    view->frameAll();
    driver->settle();
    QTest::qWait(250);
    const auto at = view->project(V3f(0, 0, 0));
    QVERIFY(at);
    QTest::mouseClick(view, Qt::LeftButton, Qt::NoModifier, at->toPoint());
    const std::string hit = driver->window.controller().selected();
    QVERIFY2(hit == "ground" || hit == kLayer, hit.c_str());
    QTest::mouseClick(view, Qt::LeftButton, Qt::NoModifier, QPoint(view->width() / 2, 3));
    QVERIFY(driver->window.controller().selected().empty());
}

void WindowTest::movesWithHandles() {
    makeLayer();
    auto& c = driver->window.controller();
    auto* view = driver->window.view();
    c.select("ground");
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

void WindowTest::turnsTheView() {
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

void WindowTest::addsAndMovesSteps() {
    makeLayer();
    auto* recipe = driver->window.recipe();
    QTest::mouseClick(recipe->findChild<QPushButton*>("addStep"), Qt::LeftButton);
    auto* popup = QApplication::activePopupWidget();
    QVERIFY(popup);
    QTest::keyClicks(popup->findChild<QLineEdit*>(), "size");
    QTest::keyClick(popup->findChild<QLineEdit*>(), Qt::Key_Return);
    driver->settle();
    const Node* layer = driver->document().find(kLayer);
    QCOMPARE(layer->steps.size(), size_t(5));
    QCOMPARE(layer->steps[3].id, std::string("vary_size_2"));  // where it fits: before the copies
    auto* card = recipe->card("vary_size_2");
    QVERIFY(card && card->report() && card->report()->error.empty());
    // Drag the card's head above the one before it.
    QWidget* head = card->findChild<QToolButton*>("cardMenu")->parentWidget();
    const QPoint grab(20, 8);
    const int up = recipe->card("orient")->y() - card->y() - 10;
    QTest::mousePress(head, Qt::LeftButton, Qt::NoModifier, grab);
    for (int i = 1; i <= 8; ++i) {
        const QPoint global = head->mapToGlobal(grab) + QPoint(0, up / 8);
        QMouseEvent move(QEvent::MouseMove, QPointF(head->mapFromGlobal(global)), QPointF(global),
                         Qt::NoButton, Qt::LeftButton, Qt::NoModifier);
        QApplication::sendEvent(head, &move);
    }
    QTest::mouseRelease(head, Qt::LeftButton, Qt::NoModifier, grab);
    driver->settle();
    layer = driver->document().find(kLayer);
    QVERIFY2(layer->steps[1].id == "vary_size_2" || layer->steps[2].id == "vary_size_2",
             layer->steps[1].id.c_str());
    driver->window.controller().undo();
    driver->window.controller().undo();
    QCOMPARE(driver->document().find(kLayer)->steps.size(), size_t(4));
}

void WindowTest::sharesAreDragged() {
    makeLayer();
    auto& c = driver->window.controller();
    c.edit("two", [&](const Document& d) {
        Document out = d;
        out.put(makeNode(out, "torus", "Ring"));
        return withText(out, in("copies_of/prototypes"), "ball:1,ring:1");
    });
    driver->settle();
    auto* bar = driver->editor<SharesBar>(in("copies_of/prototypes"));
    QVERIFY(bar);
    const QPoint middle(bar->width() / 2, bar->height() / 2);
    QTest::mousePress(bar, Qt::LeftButton, Qt::NoModifier, middle);
    QMouseEvent move(QEvent::MouseMove, QPointF(bar->width() * 0.75, middle.y()),
                     bar->mapToGlobal(QPointF(bar->width() * 0.75, middle.y())), Qt::NoButton, Qt::LeftButton,
                     Qt::NoModifier);
    QApplication::sendEvent(bar, &move);
    QTest::mouseRelease(bar, Qt::LeftButton, Qt::NoModifier, QPoint(bar->width() * 3 / 4, middle.y()));
    driver->settle();
    const Shares shares = std::get<Shares>(driver->value(in("copies_of/prototypes")));
    QVERIFY(std::abs(shares[0].share - 1.5) < 0.05);
    QVERIFY(std::abs(shares[0].share + shares[1].share - 2) < 1e-9);
    c.undo();
    QCOMPARE(std::get<Shares>(driver->value(in("copies_of/prototypes")))[0].share, 1.0);
}

void WindowTest::curvesAreBent() {
    CurveEditor editor;
    editor.resize(260, 180);
    editor.show();
    QSignalSpy changed(&editor, &CurveEditor::changed);
    QTest::mouseClick(&editor, Qt::LeftButton, Qt::NoModifier, QPoint(130, 40));
    QCOMPARE(editor.curve().points.size(), size_t(3));
    QVERIFY(editor.curve().at(0.5f) > 0.7f);
    QTest::keyClick(&editor, Qt::Key_Down, Qt::ShiftModifier);
    QVERIFY(editor.curve().at(0.5f) < 0.75f);
    QTest::keyClick(&editor, Qt::Key_Delete);
    QCOMPARE(editor.curve().points.size(), size_t(2));
    QVERIFY(changed.count() >= 3);
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
    driver->window.controller().select("ground");
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
    QVERIFY(driver->window.controller().selected().empty());
}

void WindowTest::draftAndFull() {
    makeLayer();
    QCOMPARE(elements(), size_t(200));
    QTest::keyClick(&driver->window, Qt::Key_2, Qt::ControlModifier);
    driver->settle();
    QCOMPARE(elements(), size_t(2000));
    QTest::keyClick(&driver->window, Qt::Key_1, Qt::ControlModifier);
    driver->settle();
    QCOMPARE(elements(), size_t(200));
    // Too many: refused in the card, with the figure, and the program goes on.
    driver->window.controller().setValue({kLayer, "scatter", "count"}, int64_t(1'000'000'000'000));
    driver->settle();
    const auto* report = driver->window.recipe()->card("scatter")->report();
    QVERIFY(report && report->error.find("GB") != std::string::npos);
    QCOMPARE(elements(), size_t(200));
    driver->window.controller().undo();
    driver->settle();
    QVERIFY(driver->window.recipe()->card("scatter")->report()->error.empty());
}

void WindowTest::stopsFast() {
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
    QCOMPARE(driver->window.controller().selected(), std::string(kLayer));
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
    c.setAutosaveFolder(kept);
    c.edit("change", [&](const Document& d) { return withText(d, in("scatter/count"), "777"); });
    c.writeAutosave();
    const std::string text = writeScene(driver->document());
    // As a program that was killed leaves it: under the number of a process that is no more.
    for (const auto& file : std::filesystem::directory_iterator(kept))
        std::filesystem::rename(file.path(), kept / "4194303.autosave");
    driver = std::make_unique<Driver>();
    driver->window.controller().setAutosaveFolder(kept);
    const auto found = driver->window.controller().autosave()->found();
    QCOMPARE(found.size(), size_t(1));
    driver->window.controller().recover(found[0]);
    driver->settle();
    QCOMPARE(writeScene(driver->document()), text);
    QVERIFY(driver->window.controller().session().dirty());
    QVERIFY(driver->window.controller().autosave()->found().empty());
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
    QVERIFY(driver->window.controller().saveScene(path("a.ovrix")));
}

int main(int argc, char** argv) {
    QStandardPaths::setTestModeEnabled(true);
    QCoreApplication::setOrganizationName("ovrix-test");
    QCoreApplication::setApplicationName("ovrix-test");
    QSettings().clear();
    QApplication application(argc, argv);
    applyTheme(application, ThemeKind::Dark, 1.0);
    WindowTest test;
    return QTest::qExec(&test, argc, argv);
}

#include "window_test.moc"
