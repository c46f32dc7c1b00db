// Drives the recipe: numbers, fields, steps, shares and curves, with real mouse and key events.
#include "app_test.h"

using namespace ovrix::deliver;
using namespace ovrix::app;

class RecipeTest : public WindowFixture {
    Q_OBJECT
  private Q_SLOTS:
    void dragsAndTypesNumbers();
    void undoesEverything();
    void paintsTheOverlay();
    void addsAndMovesSteps();
    void sharesAreDragged();
    void curvesAreBent();
    void draftAndFull();
};

void RecipeTest::dragsAndTypesNumbers() {
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

void RecipeTest::undoesEverything() {
    makeLayer();
    auto& c = driver->window.controller();
    std::vector<std::string> states = {writeScene(c.document())};
    QSignalSpy spy(&c, &Controller::documentChanged);
    driver->dragBox(driver->editor<NumberBox>(in("scatter/seed")), 60);
    states.push_back(writeScene(c.document()));
    driver->dragBox(driver->editor<NumberBox>(in("vary_size/between")), 30);
    states.push_back(writeScene(c.document()));
    c.edit("field", [&](const Document& d) {
        return withField(d, ParamPath::parse(d, in("scatter/mask")),
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

void RecipeTest::paintsTheOverlay() {
    makeLayer();
    auto& c = driver->window.controller();
    const QImage before = driver->window.view()->grabFramebuffer();
    c.edit("mask", [&](const Document& d) {
        return withField(d, ParamPath::parse(d, in("scatter/mask")),
                         std::make_shared<Field>(Field{{makeSource("slope")}}));
    });
    driver->settle();
    auto* row =
        driver->window.recipe()->findChild<QWidget*>("param:" + QString::fromStdString(in("scatter/mask")));
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
                paramAt(driver->document(), ParamPath::parse(driver->document(), in("scatter/mask"))).low) >
            0.1);
    c.undo();
    driver->settle();
    // A narrower slope lets fewer stand, live.
    const size_t many = elements();
    auto* title = row->findChild<QPushButton*>("sourceTitle");
    QTest::mouseClick(title, Qt::LeftButton);
    driver->settle();
    auto* range = driver->editor<NumberBox>(in("scatter/mask/field/0/range"));
    QVERIFY(range);
    c.setValue(ParamPath::parse(driver->document(), in("scatter/mask/field/0/range")), Range{0, 5});
    driver->settle();
    QVERIFY(elements() < many);
    QVERIFY(c.results().overlay->mean < pass);
    QTest::mouseClick(sources, Qt::LeftButton);
    driver->settle();
    QVERIFY(!driver->window.view()->showsOverlay());
}

void RecipeTest::addsAndMovesSteps() {
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

void RecipeTest::sharesAreDragged() {
    makeLayer();
    auto& c = driver->window.controller();
    c.edit("two", [&](const Document& d) {
        Document out = d;
        out.put(makeNode(out, "torus", "Ring"));
        return withText(out, in("copies_of/prototypes"), "ball:1,ring:1");
    });
    driver->settle();
    auto* bar = driver->editor<MixBar>(in("copies_of/prototypes"));
    QVERIFY(bar);
    const QPoint middle(bar->width() / 2, bar->height() / 2);
    QTest::mousePress(bar, Qt::LeftButton, Qt::NoModifier, middle);
    QMouseEvent move(QEvent::MouseMove, QPointF(bar->width() * 0.75, middle.y()),
                     bar->mapToGlobal(QPointF(bar->width() * 0.75, middle.y())), Qt::NoButton, Qt::LeftButton,
                     Qt::NoModifier);
    QApplication::sendEvent(bar, &move);
    QTest::mouseRelease(bar, Qt::LeftButton, Qt::NoModifier, QPoint(bar->width() * 3 / 4, middle.y()));
    driver->settle();
    const PrototypeMix mix = std::get<PrototypeMix>(driver->value(in("copies_of/prototypes")));
    QVERIFY(std::abs(mix[0].weight - 1.5) < 0.05);
    QVERIFY(std::abs(mix[0].weight + mix[1].weight - 2) < 1e-9);
    c.undo();
    QCOMPARE(std::get<PrototypeMix>(driver->value(in("copies_of/prototypes")))[0].weight, 1.0);
}

void RecipeTest::curvesAreBent() {
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

void RecipeTest::draftAndFull() {
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

static const RegisteredTest<RecipeTest> registered;

#include "recipe_test.moc"
