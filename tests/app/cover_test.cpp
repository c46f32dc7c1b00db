// Drives painting, work on single elements, linked layers and the lists of a recipe.
#include "app_test.h"
#include "eval/manual_work.h"

using namespace ovrix::deliver;
using namespace ovrix::app;

class CoverTest : public WindowFixture {
    Q_OBJECT
  private Q_SLOTS:
    void paintsAMask();
    void strokesFollowEachOther();
    void strokesEndWithTheirScene();
    void brushKeysAndStrip();
    void worksOnSingleElements();
    void sharesARecipe();
    void choosesWhatToKeepFrom();
    void changesAStepToAnother();
    void cardsStayWhenOthersCome();
    void partsAndStacksStayOpen();

  private:
    void startPainting();
    void stroke(QWidget* view, const QPointF& from, const QPointF& to, Qt::KeyboardModifiers modifiers = {});
    QWidget* row(const char* rest) {
        return driver->window.recipe()->findChild<QWidget*>("param:" + QString::fromStdString(in(rest)));
    }
};

void CoverTest::stroke(QWidget* view, const QPointF& from, const QPointF& to,
                       Qt::KeyboardModifiers modifiers) {
    QTest::mousePress(view, Qt::LeftButton, modifiers, from.toPoint());
    for (int i = 1; i <= 8; ++i) {
        const QPointF p = from + (to - from) * (i / 8.0);
        QMouseEvent move(QEvent::MouseMove, p, view->mapToGlobal(p), Qt::NoButton, Qt::LeftButton, modifiers);
        QApplication::sendEvent(view, &move);
    }
    QTest::mouseRelease(view, Qt::LeftButton, modifiers, to.toPoint());
    driver->settle();
}

/// A layer masked by a painted source, its row open, the view framed, the brush out.
void CoverTest::startPainting() {
    makeLayer();
    auto& c = driver->window.controller();
    c.edit("mask", [&](const Document& d) {
        return withField(withText(d, in("scatter/count"), "20000"), ParamPath::parse(d, in("scatter/mask")),
                         std::make_shared<Field>(Field{{makeSource("paint")}}));
    });
    c.setFull(true);
    driver->window.view()->frameAll();
    driver->settle();
    QTest::mouseClick(row("scatter/mask")->findChild<QToolButton*>("sources"), Qt::LeftButton);
    driver->settle();
    QTest::mouseClick(row("scatter/mask")->findChild<QPushButton*>("sourceTitle"), Qt::LeftButton);
    driver->settle();
    auto* paint = row("scatter/mask")->findChild<QPushButton*>("paintMap");
    QVERIFY(paint && paint->isVisible());
    QTest::mouseClick(paint, Qt::LeftButton);
    QVERIFY(driver->waitFor([&] { return c.results().overlay && c.results().overlay->ground; }));
    driver->settle();
}

void CoverTest::paintsAMask() {
    startPainting();
    auto& c = driver->window.controller();
    auto* view = driver->window.view();
    QVERIFY(view->brush().active());
    QCOMPARE(elements(), size_t(0));
    const QImage bare = view->grabFramebuffer();
    const auto from = view->project(V3f(-0.5f, 0, 0)), to = view->project(V3f(0.5f, 0, 0));
    QVERIFY(from && to);
    stroke(view, *from, *to);
    QVERIFY(driver->waitFor([&] { return elements() > 10; }));
    const size_t painted = elements();
    QVERIFY(c.results().overlay->mean > 0.001);
    QVERIFY(view->grabFramebuffer() != bare);
    // With Ctrl the other way: some go.
    stroke(view, *from, (*from + *to) / 2, Qt::ControlModifier);
    QVERIFY(driver->waitFor([&] { return elements() < painted; }));
    c.undo();  // one stroke is one step
    driver->settle();
    QCOMPARE(elements(), painted);
    c.undo();
    driver->settle();
    QCOMPARE(elements(), size_t(0));
    c.redo();
    driver->settle();
    QCOMPARE(elements(), painted);
    // Beside the surface nothing is painted, and nothing breaks.
    const Document before = c.document();
    stroke(view, QPointF(3, 3), QPointF(9, 5));
    QVERIFY(c.document() == before);
    // Nor on one that is hidden, which is said.
    c.edit("hide", [](const Document& d) { return withText(d, "ground/shown", "false"); });
    driver->settle();
    const Document hidden = c.document();
    QSignalSpy said(&c, &Controller::message);
    stroke(view, *from, *to);
    QVERIFY(c.document() == hidden);
    QVERIFY(said.count() > 0 && said[0][0].toString().contains("hidden"));
    c.undo();
    driver->settle();
    QTest::keyClick(view, Qt::Key_Escape);
    QVERIFY(!view->brush().active());
    auto* clear = row("scatter/mask")->findChild<QToolButton*>("clearMap");
    QTest::mouseClick(clear, Qt::LeftButton);
    driver->settle();
    QCOMPARE(elements(), size_t(0));
}

/// Strokes that come faster than they are worked on are all there, each one step, and undoing waits for them.
void CoverTest::strokesFollowEachOther() {
    startPainting();
    auto& c = driver->window.controller();
    auto* view = driver->window.view();
    const Document plain = c.document();
    const auto at = [&](float x, float z) { return view->project(V3f(x, 0, z))->toPoint(); };
    const auto touch = [&](float x, float z) {
        QTest::mousePress(view, Qt::LeftButton, {}, at(x, z));
        QTest::mouseRelease(view, Qt::LeftButton, {}, at(x, z));
    };
    touch(-0.5f, 0);
    QVERIFY(c.document() == plain);  // it is on its way
    QVERIFY(c.evaluating());
    touch(0.5f, 0);
    touch(0, 0.4f);
    driver->settle();
    const Document all = c.document();
    const ParamPath source{c.selection().painting().node, "scatter", "mask", 0, "map"};
    const auto map = [&] { return std::get<MapValue>(paramAt(c.document(), source).value).map; };
    size_t painted = 0;
    for (const float v : map()->values) painted += v > 0;
    QVERIFY(painted > 0);
    for (const char* left : {"two", "one", "none"}) {
        c.undo();
        driver->settle();
        size_t now = 0;
        if (map())
            for (const float v : map()->values) now += v > 0;
        QVERIFY2(now < painted, left);
        painted = now;
    }
    QVERIFY(c.document() == plain);
    for (int i = 0; i < 3; ++i) c.redo();
    QVERIFY(c.document() == all);
    driver->settle();
    touch(0.2f, -0.4f);
    c.undo();  // of what is still on its way
    driver->settle();
    QVERIFY(c.document() == all);
}

void CoverTest::strokesEndWithTheirScene() {
    startPainting();
    auto& c = driver->window.controller();
    auto* view = driver->window.view();
    QVERIFY(c.files().saveScene(path("painted.ovrix")));
    const Document saved = c.document();
    const QPoint middle = view->project(V3f(0, 0, 0))->toPoint();
    QTest::mousePress(view, Qt::LeftButton, {}, middle);
    c.files().openScene(path("painted.ovrix"));
    QTest::mouseRelease(view, Qt::LeftButton, {}, middle);
    driver->settle();
    QVERIFY(c.document() == saved);
    QVERIFY(!c.session().canUndo());
}

/// A card that is there is not made again, and the keyboard goes from card to card as they stand.
void CoverTest::cardsStayWhenOthersCome() {
    makeLayer();
    auto& c = driver->window.controller();
    const std::string layer = c.selection().id();
    const auto shown = [&] { return driver->window.recipe()->cards(); };
    const std::vector<StepCard*> before = shown();
    c.edit("step",
           [&](const Document& d) { return withStep(d, layer, 1, makeStep("vary_color", d.get(layer))); });
    driver->settle();
    const std::vector<StepCard*> with = shown();
    QCOMPARE(with.size(), before.size() + 1);
    for (size_t k = 0; k < before.size(); ++k) QCOMPARE(with[k < 1 ? k : k + 1], before[k]);
    int last = -1;
    for (const StepCard* card : with) {
        QVERIFY(card->isVisibleTo(driver->window.recipe()));
        QVERIFY(card->y() > last);
        last = card->y();
    }
    // Along the chain the cards come in order.
    size_t at = 0;
    QWidget* const first = with[0]->findChild<QToolButton*>();
    for (QWidget* w = first->nextInFocusChain(); w != first; w = w->nextInFocusChain())
        for (size_t i = 0; i < with.size(); ++i) {
            const bool back = i == 0 && at + 1 == with.size();  // what of the first comes before the button
            if (!(w->focusPolicy() & Qt::TabFocus) || !with[i]->isAncestorOf(w) || back) continue;
            QVERIFY2(i == at || i == at + 1, qPrintable(QString("%1 after %2").arg(i).arg(at)));
            at = i;
        }
    QCOMPARE(at + 1, with.size());
    c.undo();
    driver->settle();
    QCOMPARE(shown(), before);
    // Another layer has cards of its own.
    c.duplicateLinked(layer);
    driver->settle();
    for (StepCard* card : shown()) QVERIFY(std::find(before.begin(), before.end(), card) == before.end());
}

/// So do those of parts on their shelves, and stacks that are open.
void CoverTest::partsAndStacksStayOpen() {
    makeLayer();
    auto& c = driver->window.controller();
    const std::string layer = c.selection().id();
    c.edit("simulate", [&](const Document& d) {
        Document out = withStep(d, layer, 1, makeStep("simulate", d.get(layer)));
        return withField(out, {layer, "scatter", "mask"},
                         std::make_shared<Field>(Field{{makeSource("slope")}}));
    });
    driver->settle();
    const std::vector<StepCard*> before = driver->window.recipe()->cards();
    QVERIFY(std::any_of(before.begin(), before.end(), [](StepCard* k) { return !k->in().empty(); }));
    auto* stack = row("scatter/mask")->findChild<QToolButton*>("sources");
    QTest::mouseClick(stack, Qt::LeftButton);
    driver->settle();
    QVERIFY(!c.selection().overlay().node.empty());
    c.edit("step", [&](const Document& d) {
        return withStep(d, layer, d.get(layer).steps.size(), makeStep("vary_color", d.get(layer)));
    });
    driver->settle();
    const std::vector<StepCard*> with = driver->window.recipe()->cards();
    for (StepCard* card : before) QVERIFY(std::find(with.begin(), with.end(), card) != with.end());
    QCOMPARE(row("scatter/mask")->findChild<QToolButton*>("sources"), stack);
    QVERIFY(row("scatter/mask")->findChild<QPushButton*>("sourceTitle")->isVisible());
    QVERIFY(!c.selection().overlay().node.empty());
    // A simulation that goes takes its parts and their shelves along.
    c.edit("out", [&](const Document& d) { return withoutStep(d, layer, "simulate"); });
    driver->settle();
    QApplication::sendPostedEvents(nullptr, QEvent::DeferredDelete);
    for (StepCard* card : driver->window.recipe()->cards()) QVERIFY(card->in().empty());
    QCOMPARE(driver->window.recipe()->findChildren<StepCard*>().size(),
             int(driver->window.recipe()->cards().size()));
}

void CoverTest::brushKeysAndStrip() {
    startPainting();
    auto* view = driver->window.view();
    const float radius = view->brush().brush().radius, strength = view->brush().brush().strength;
    QTest::keyClick(view, Qt::Key_W);
    QTest::keyClick(view, Qt::Key_A);
    QVERIFY(view->brush().brush().radius > radius);
    QVERIFY(view->brush().brush().strength < strength);
    QTest::keyClick(view, Qt::Key_Q);
    QVERIFY(std::abs(view->brush().brush().radius - radius) < 1e-4f);
    // Alt and drag: to the right larger, up stronger.
    stroke(view, QPointF(200, 300), QPointF(240, 260), Qt::AltModifier);
    QVERIFY(view->brush().brush().radius > radius);
    QVERIFY(view->brush().brush().strength > strength - 0.05f);
    auto* flood = view->findChild<QPushButton*>("brushFlood");
    QVERIFY(flood->isVisible());
    QTest::mouseClick(flood, Qt::LeftButton);
    driver->settle();
    QVERIFY(driver->waitFor([&] { return elements() > 300; }));
    QTest::mouseClick(view->findChild<QPushButton*>("brushTake"), Qt::LeftButton);
    QCOMPARE(view->brush().brush().mode, Brush::Subtract);
    QTest::mouseClick(view->findChild<QPushButton*>("brushDone"), Qt::LeftButton);
    QVERIFY(!view->brush().active());
}

void CoverTest::worksOnSingleElements() {
    makeLayer();
    auto& c = driver->window.controller();
    auto* view = driver->window.view();
    c.edit("few", [&](const Document& d) {
        return withText(withText(d, in("scatter/count"), "30"), "ball/radius", "0.12");
    });
    c.setFull(true);
    view->frameAll();
    QTest::keyClick(view, Qt::Key_5);
    driver->settle();
    QVERIFY(view->elements().active());
    const auto copies = [&] {
        return std::get<std::shared_ptr<const Copies>>(c.results().layers.at(kLayer).geometry);
    };
    // The element that is nearest to the eye is under the mouse for sure.
    const auto p = copies()->attributes.find<V3f>("P");
    size_t nearest = 0;
    for (size_t i = 0; i < p.size(); ++i)
        if ((p[i] - view->camera().position()).length() < (p[nearest] - view->camera().position()).length())
            nearest = i;
    const uint64_t id = copies()->attributes.find<uint64_t>("id")[nearest];
    const V3f place = p[nearest];
    const auto at = view->project(place);
    QVERIFY(at);
    const auto now = [&]() -> std::optional<V3f> {
        const auto all = copies();
        const auto ids = all->attributes.find<uint64_t>("id");
        for (size_t i = 0; i < ids.size(); ++i)
            if (ids[i] == id) return all->attributes.find<V3f>("P")[i];
        return std::nullopt;
    };
    stroke(view, *at, *at + QPointF(-40, -30));
    QCOMPARE(view->elements().chosen(), std::optional(id));
    QVERIFY2(now() && (*now() - place).length() > 0.05f, "the drag moves it");
    QCOMPARE(elements(), size_t(30));
    c.undo();
    driver->settle();
    QVERIFY((*now() - place).length() < 1e-6f);
    c.redo();
    driver->settle();
    const auto moved = view->project(*now());
    QTest::mouseClick(view, Qt::LeftButton, Qt::NoModifier, moved->toPoint());
    QTest::keyClick(view, Qt::Key_Delete);
    driver->settle();
    QCOMPARE(elements(), size_t(29));
    QVERIFY(!now());
    c.undo();
    driver->settle();
    QCOMPARE(elements(), size_t(30));
    // A double click places one.
    const auto middle = view->project(V3f(0, 0, 0));
    QTest::mouseDClick(view, Qt::LeftButton, Qt::NoModifier, middle->toPoint());
    driver->settle();
    QCOMPARE(elements(), size_t(31));
    QCOMPARE(c.selection().id(), std::string(kLayer));
    // All of it is in the card, and can be given back there.
    auto* clear = driver->window.recipe()->findChild<QPushButton*>("clearEdits");
    QVERIFY(clear);
    QTest::mouseClick(clear, Qt::LeftButton);
    driver->settle();
    QCOMPARE(elements(), size_t(30));
    QVERIFY((*now() - place).length() < 1e-6f);
}

void CoverTest::sharesARecipe() {
    makeLayer();
    auto& c = driver->window.controller();
    driver->window.run("linked");
    driver->settle();
    const std::string linked = c.selection().id();
    QVERIFY(linked != kLayer);
    // A value that is set in the copy is its own, and marked.
    const std::string path = linked + "/scatter/count";
    auto* count = driver->editor<NumberBox>(path);
    QVERIFY(count);
    driver->dragBox(count, 30);
    QVERIFY(isOwnValue(c.document(), ParamPath::parse(c.document(), path)));
    QVERIFY(driver->value(path) != driver->value(in("scatter/count")));
    bool marked = false;
    for (QLabel* label : driver->window.recipe()->findChildren<QLabel*>())
        marked |= label->text() == "Count *";
    QVERIFY(marked);
    // What is changed in the first one shows in the copy.
    c.edit("seed", [&](const Document& d) { return withText(d, in("orient/seed"), "9"); });
    QCOMPARE(std::get<int64_t>(driver->value(linked + "/orient/seed")), int64_t(9));
    driver->window.run("unlink");
    c.edit("seed", [&](const Document& d) { return withText(d, in("orient/seed"), "4"); });
    QCOMPARE(std::get<int64_t>(driver->value(linked + "/orient/seed")), int64_t(9));
}

void CoverTest::choosesWhatToKeepFrom() {
    makeLayer();
    auto& c = driver->window.controller();
    c.edit("step",
           [&](const Document& d) { return withStep(d, kLayer, 4, makeStep("keep_apart", d.get(kLayer))); });
    driver->settle();
    QWidget* list = row("keep_apart/from");
    QVERIFY(list);
    QTest::mouseClick(list->findChild<QPushButton*>("addRef"), Qt::LeftButton);
    driver->settle();
    auto* box = list->findChild<QComboBox*>("ref");
    QVERIFY(box);
    const int at = box->findData("ball");
    QVERIFY(at > 0);
    QVERIFY2(box->findData(kLayer) > 0, "layers are offered too");
    box->setFocus();
    for (int i = 0; i < at; ++i) QTest::keyClick(box, Qt::Key_Down);
    Q_EMIT box->activated(at);
    driver->settle();
    QCOMPARE(std::get<Refs>(driver->value(in("keep_apart/from"))), Refs{"ball"});
    QVERIFY(c.results().layers.at(kLayer).ok);
    QTest::mouseClick(list->findChild<QToolButton*>(), Qt::LeftButton);
    driver->settle();
    QVERIFY(std::get<Refs>(driver->value(in("keep_apart/from"))).empty());
}

void CoverTest::changesAStepToAnother() {
    makeLayer();
    auto& c = driver->window.controller();
    auto* more = driver->window.recipe()->findChild<QToolButton*>("cardMenu");
    QVERIFY(more);
    QMenu* menu = more->menu();
    Q_EMIT menu->aboutToShow();
    QAction* spread = nullptr;
    for (QAction* a : menu->actions())
        if (a->menu())
            for (QAction* b : a->menu()->actions())
                if (b->text() == "Spread apart") spread = b;
    QVERIFY(spread);
    spread->trigger();
    driver->settle();
    QCOMPARE(c.document().get(kLayer).steps[0].type, std::string("spread"));
    QVERIFY(c.results().layers.at(kLayer).ok);
    QVERIFY(elements() > 10);
    c.undo();
    QCOMPARE(c.document().get(kLayer).steps[0].type, std::string("scatter"));
}

static const RegisteredTest<CoverTest> registered;

#include "cover_test.moc"
