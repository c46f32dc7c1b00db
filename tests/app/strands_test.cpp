// Drives growing, combing, filling and styling strands, and rendering them.
#include "app/recipe/step_card.h"
#include "app/view/comb_tool.h"
#include "app/widgets/curve_box.h"
#include "app_test.h"
#include "document/model/step_registry.h"
#include "eval/manual_work.h"

using namespace ovrix::deliver;
using namespace ovrix::app;

class StrandsTest : public WindowFixture {
    Q_OBJECT
  private Q_SLOTS:
    void growsAndCombs();
    void choosesAndMirrors();
    void plantsCutsAndRemoves();
    void stylesInOrder();
    void showsAndRenders();
    void combsNothingWhereThereIsNothing();
    void takesStrandsFromFiles();
    void startsFromAPose();

  private:
    std::string layer_;

    /// A ball with strands on it, by the command that an artist would use, seen from the front.
    void makeFur() {
        auto& c = driver->window.controller();
        c.edit("scene", [&](const Document& d) {
            Document out = d;
            out.put(makeNode(out, "sphere", "Ball"));
            out = withText(out, "camera/position", "0,0,3");
            return withText(out, "camera/target", "0,0,0");
        });
        c.selection().select("ball");
        driver->settle();
        driver->window.run("strands");
        driver->settle();
        layer_ = c.selection().id();
        driver->window.view()->lookThroughCamera();
        driver->settle();
    }
    std::string in(const char* rest) { return layer_ + "/" + rest; }
    const LayerResult& result() { return driver->window.controller().results().layers.at(layer_); }
    StrandsPtr guides() { return result().guides; }
    StrandsPtr strands() { return std::get<StrandsPtr>(result().geometry); }
    QPoint pixel(const V3f& p) { return driver->window.view()->project(p)->toPoint(); }
    void drag(const QPoint& from, const QPoint& to, Qt::KeyboardModifiers modifiers = {}) {
        QWidget* view = driver->window.view();
        QTest::mousePress(view, Qt::LeftButton, modifiers, from);
        for (int i = 1; i <= 10; ++i) {
            const QPointF p = QPointF(from) + QPointF(to - from) * (i / 10.0);
            QMouseEvent move(QEvent::MouseMove, p, view->mapToGlobal(p), Qt::NoButton, Qt::LeftButton,
                             modifiers);
            QApplication::sendEvent(view, &move);
        }
        QTest::mouseRelease(view, Qt::LeftButton, modifiers, to);
        driver->settle();
    }
    void mode(const char* name) {
        auto* button = driver->window.view()->findChild<QPushButton*>(QString("comb") + name);
        QVERIFY(button && button->isVisible());
        QTest::mouseClick(button, Qt::LeftButton);
    }
    std::map<uint64_t, V3f> tips(const StrandSet& set) {
        std::map<uint64_t, V3f> out;
        const auto id = set.strands.find<uint64_t>("id");
        const auto p = set.points.find<V3f>("P");
        for (size_t s = 0; s < set.size(); ++s) out[id[s]] = p[set.start[s + 1] - 1];
        return out;
    }
};

void StrandsTest::growsAndCombs() {
    makeFur();
    auto& c = driver->window.controller();
    QCOMPARE(guides()->size(), size_t(400));    // guides are whole in Draft too
    QCOMPARE(strands()->size(), size_t(2000));  // a tenth of the fill
    // One per vertex, by changing how guides are placed.
    c.edit("place", [&](const Document& d) { return withStepReplaced(d, layer_, "scatter", "on_mesh"); });
    driver->settle();
    QVERIFY(guides()->size() > 1000);
    c.undo();
    driver->settle();
    const auto before = tips(*guides()), filledBefore = tips(*strands());
    const Document plain = c.document();
    QTest::keyClick(&driver->window, Qt::Key_7);
    driver->settle();
    QVERIFY(driver->window.view()->comb().active());
    auto* count = driver->window.view()->findChild<QLabel*>("combCount");
    QVERIFY2(count->text().contains("400"), qPrintable(count->text()));
    drag(pixel(V3f(-0.15f, 0, 0.48f)), pixel(V3f(0.15f, 0, 0.48f)));
    QVERIFY(driver->document().get(layer_).step("comb"));
    const StrandEdits edits = combingOf(c.document(), layer_);
    QVERIFY(edits.list.size() > 5 && edits.list.size() < 300);
    QVERIFY(driver->waitFor([&] { return tips(*guides()) != before; }));
    driver->settle();
    float along = 0;
    for (const auto& [id, tip] : tips(*guides())) along += tip.x - before.at(id).x;
    QVERIFY2(along > 0.1f, qPrintable(QString::number(double(along))));
    QVERIFY(tips(*strands()) != filledBefore);  // what is filled follows
    c.undo();                                   // the whole stroke is one
    driver->settle();
    QVERIFY(c.document() == plain);
    QVERIFY(tips(*guides()) == before);
    c.redo();
    driver->settle();
    QVERIFY(combingOf(c.document(), layer_) == edits);
    // Saved and opened again it is the same.
    QVERIFY(c.files().saveScene(path("fur.ovrix")));
    const Document saved = c.document();
    c.files().openScene(path("fur.ovrix"));
    driver->settle();
    QVERIFY(combingOf(c.document(), layer_) == edits);
    const float radius = driver->window.view()->comb().brush().radius;
    driver->window.view()->setTool(Tool::Comb);
    driver->window.view()->setFocus();
    QTest::keyClick(driver->window.view(), Qt::Key_W);
    QVERIFY(driver->window.view()->comb().brush().radius > radius);
    QTest::keyClick(driver->window.view(), Qt::Key_Escape);
    QVERIFY(!driver->window.view()->comb().active());
}

void StrandsTest::choosesAndMirrors() {
    makeFur();
    auto& c = driver->window.controller();
    QTest::keyClick(&driver->window, Qt::Key_7);
    driver->settle();
    mode("Choose");
    drag(pixel(V3f(0.1f, 0.1f, 0.48f)), pixel(V3f(0.12f, 0.1f, 0.48f)));
    const auto chosen = driver->window.view()->comb().chosen();
    QVERIFY(!chosen.empty());
    QVERIFY(combingOf(c.document(), layer_).list.empty());
    mode("Raise");
    drag(pixel(V3f(-0.2f, 0.1f, 0.45f)), pixel(V3f(0.2f, 0.1f, 0.45f)));
    const StrandEdits edits = combingOf(c.document(), layer_);
    QVERIFY(!edits.list.empty());
    for (const StrandEditPtr& e : edits.list) QVERIFY(chosen.count(e->id));
    QTest::mouseClick(driver->window.view()->findChild<QPushButton*>("combAll"), Qt::LeftButton);
    QVERIFY(driver->window.view()->comb().chosen().empty());
    // Shift smooths for one stroke; the brush stays what it is.
    drag(pixel(V3f(-0.1f, 0, 0.48f)), pixel(V3f(0.1f, 0, 0.48f)), Qt::ShiftModifier);
    QCOMPARE(driver->window.view()->comb().brush().mode, CombBrush::Raise);
    QVERIFY(!(combingOf(c.document(), layer_) == edits));
    c.undo();
    c.undo();
    driver->settle();
    const auto before = tips(*guides());
    driver->window.view()->comb().brush().mirror = true;
    mode("Comb");
    drag(pixel(V3f(0.2f, 0, 0.45f)), pixel(V3f(0.3f, 0, 0.45f)));
    driver->settle();
    float left = 0, right = 0;
    for (const auto& [id, tip] : tips(*guides()))
        (before.at(id).x > 0 ? right : left) += tip.x - before.at(id).x;
    QVERIFY(right > 0.01f && left < -0.01f);
}

void StrandsTest::plantsCutsAndRemoves() {
    makeFur();
    auto& c = driver->window.controller();
    QTest::keyClick(&driver->window, Qt::Key_7);
    driver->settle();
    driver->window.view()->comb().brush().radius = 0.02f;
    mode("Plant");
    drag(pixel(V3f(-0.2f, 0.05f, 0.45f)), pixel(V3f(0.2f, 0.05f, 0.45f)));
    QVERIFY(driver->waitFor([&] { return guides()->size() > 402; }));
    driver->settle();
    const size_t planted = guides()->size();
    driver->window.view()->comb().brush().radius = 0.1f;
    mode("Remove");
    drag(pixel(V3f(0, 0, 0.49f)), pixel(V3f(0.02f, 0, 0.49f)));
    QVERIFY(driver->waitFor([&] { return guides()->size() < planted; }));
    driver->settle();
    mode("Cut");
    drag(pixel(V3f(0.2f, 0.2f, 0.42f)), pixel(V3f(0.22f, 0.2f, 0.42f)));
    size_t shorter = 0;
    for (const StrandEditPtr& e : combingOf(c.document(), layer_).list)
        shorter += !e->added && !e->removed && e->length < 0.99f;
    QVERIFY(shorter > 0);
    // Clearing gives every strand back.
    auto* clear = driver->window.recipe()
                      ->findChild<QWidget*>("param:" + QString::fromStdString(in("comb/combing")))
                      ->findChild<QPushButton*>("clearEdits");
    QTest::mouseClick(clear, Qt::LeftButton);
    QVERIFY(driver->waitFor([&] { return guides()->size() == 400; }));
}

void StrandsTest::stylesInOrder() {
    makeFur();
    auto& c = driver->window.controller();
    auto* recipe = driver->window.recipe();
    const auto before = tips(*strands());
    QTest::mouseClick(recipe->findChild<QPushButton*>("addStep"), Qt::LeftButton);
    auto* popup = QApplication::activePopupWidget();
    QVERIFY(popup);
    QTest::keyClicks(popup->findChild<QLineEdit*>(), "clump");
    QTest::keyClick(popup->findChild<QLineEdit*>(), Qt::Key_Return);
    driver->settle();
    QVERIFY(driver->document().get(layer_).step("clump_2"));
    c.setValue(ParamPath::parse(driver->document(), in("clump_2/size")),
               0.2);  // wider than strands lie apart
    driver->settle();
    QVERIFY(tips(*strands()) != before);
    const auto clumped = tips(*strands());
    // Its profile: the editor opens on the small curve; a point is dragged.
    auto* box = driver->editor<CurveBox>(in("clump_2/along"));
    QVERIFY(box);
    QTest::mouseClick(box, Qt::LeftButton);
    auto* curve = QApplication::activePopupWidget()
                      ? QApplication::activePopupWidget()->findChild<CurveEditor*>()
                      : box->findChild<CurveEditor*>();
    QVERIFY(curve);
    const QPoint tip(curve->width() - 9, 20), low(curve->width() - 9, curve->height() - 12);
    QTest::mousePress(curve, Qt::LeftButton, {}, tip);
    for (int i = 1; i <= 6; ++i) {
        const QPointF at = QPointF(tip) + QPointF(low - tip) * (i / 6.0);
        QMouseEvent move(QEvent::MouseMove, at, curve->mapToGlobal(at), Qt::NoButton, Qt::LeftButton, {});
        QApplication::sendEvent(curve, &move);
    }
    QTest::mouseRelease(curve, Qt::LeftButton, {}, low);
    driver->settle();
    const auto along = std::get<Curve>(driver->value(in("clump_2/along")));
    QVERIFY(!(along == std::get<Curve>(findSpec(findStepType("clump")->params, "along")->initial)));
    QVERIFY(tips(*strands()) != clumped);
    if (auto* open = QApplication::activePopupWidget()) open->close();
    // The order matters: frizz before the clumps is drawn together, after them it is not.
    c.edit("frizz", [&](const Document& d) {
        return withStep(d, layer_, d.get(layer_).steps.size(), makeStep("frizz", d.get(layer_)));
    });
    c.edit("more", [&](const Document& d) { return withText(d, in("frizz/amplitude"), "0.03"); });
    driver->settle();
    const auto after = tips(*strands());
    c.edit("move", [&](const Document& d) { return withStepMoved(d, layer_, "frizz", 3); });
    driver->settle();
    QVERIFY(tips(*strands()) != after);
    // More clumps than strands: the card says so, and it is among the checks.
    c.edit("many", [&](const Document& d) {
        return withText(withText(d, in("clump/amount"), "count"), in("clump/count"), "5000000");
    });
    driver->settle();
    bool told = false;
    for (const StepReport& r : result().steps)
        told = told || r.note.find("more than the") != std::string::npos;
    QVERIFY(told);
    QVERIFY(std::any_of(c.results().checks.begin(), c.results().checks.end(), [](const Check& check) {
        return check.text.find("more than the") != std::string::npos;
    }));
}

void StrandsTest::showsAndRenders() {
    makeFur();
    auto& c = driver->window.controller();
    c.selection().select("");
    driver->settle();
    const auto differs = [](const QImage& a, const QImage& b) {
        int changed = 0;
        for (int y = 0; y < a.height(); y += 3)
            for (int x = 0; x < a.width(); x += 3) changed += a.pixel(x, y) != b.pixel(x, y);
        return changed;
    };
    const QImage all = driver->window.view()->grabFramebuffer();
    c.setValue({layer_, "", "show_fill"}, false);
    driver->settle();
    const QImage none = driver->window.view()->grabFramebuffer();
    QVERIFY(differs(all, none) > 500);
    c.setValue({layer_, "", "show_guides"}, true);
    c.setValue({layer_, "", "show_roots"}, true);
    driver->settle();
    const QImage guidesOnly = driver->window.view()->grabFramebuffer();
    QVERIFY(differs(guidesOnly, none) > 100);
    QVERIFY(differs(guidesOnly, all) > 500);
    c.setValue({layer_, "", "show_fill"}, true);
    c.setValue({layer_, "", "view_most"}, int64_t(50));
    driver->settle();
    QCOMPARE(strands()->size(), size_t(50));
    c.setValue({layer_, "", "view_most"}, int64_t(0));
    driver->settle();
    // A click on the strands chooses their layer.
    QTest::mouseClick(driver->window.view(), Qt::LeftButton, {}, pixel(V3f(0, 0, 0.5f)));
    driver->settle();
    QVERIFY(c.selection().id() == layer_ || c.selection().id() == "ball");
    c.edit("size", [&](const Document& d) {
        return withText(withText(withText(d, "render/width", "160"), "render/height", "90"), "render/samples",
                        "4");
    });
    driver->window.showRender(true);
    auto* pane = driver->window.renderPane();
    pane->setLive(true);
    QVERIFY(driver->waitFor([&] { return pane->last().pass >= 1 && pane->worker().film(); }, 60000));
    const auto film = pane->worker().film();
    size_t seen = 0;
    for (const FilmPixel& p : film->pixels()) seen += p.tangent != V3f(0.0f);
    QVERIFY2(seen > 50, qPrintable(QString::number(seen)));
    pane->stop();
}

void StrandsTest::combsNothingWhereThereIsNothing() {
    makeLayer();  // copies, no strands
    auto& c = driver->window.controller();
    const Document before = c.document();
    driver->window.view()->setTool(Tool::Comb);
    driver->settle();
    const QPoint middle = driver->window.view()->rect().center();
    drag(middle, middle + QPoint(60, 0));
    QVERIFY(c.document() == before);
    QVERIFY(driver->window.statusText().contains("strands"));
    c.selection().select("");
    drag(middle, middle + QPoint(60, 0));
    QVERIFY(c.document() == before);
}

void StrandsTest::takesStrandsFromFiles() {
    makeFur();
    auto& c = driver->window.controller();
    const QString file = path("guides.usda");
    exportLayer(c.document(), layer_, ExportAs::Elements, file.toStdString(), c.evaluator(),
                {1, Purpose::Render, true}, Progress::none());
    const Document before = c.document();
    c.selection().select("");
    driver->drop(file);
    QVERIFY(driver->waitFor([&] { return driver->window.statusText().contains("Choose the surface"); }));
    QVERIFY(c.document() == before);
    c.selection().select("ball");
    driver->drop(file);
    QVERIFY(driver->waitFor([&] { return c.document().nodes(Category::Layer).size() == 2; }));
    driver->settle();
    const auto& made = c.results().layers.at(c.selection().id());
    QVERIFY(made.ok);
    QCOMPARE(elementCount(made.geometry) > 1000, true);  // a tenth of 20,000
    c.undo();
    QVERIFY(c.document() == before);
}

void StrandsTest::startsFromAPose() {
    makeFur();
    auto& c = driver->window.controller();
    c.edit("Simulate", [&](const Document& d) {
        size_t fill = 0;
        while (d.get(layer_).steps[fill].type != "fill") ++fill;
        const Document out = withStep(d, layer_, fill, makeStep("simulate_strands", d.get(layer_)));
        return withText(out, in("scatter/count"), "60");
    });
    driver->settle();
    auto* card = driver->window.recipe()->card("simulate_strands");
    QVERIFY(card);
    auto* menu = card->findChild<QToolButton*>("cardMenu")->menu();
    const auto keep = [&] {
        Q_EMIT menu->aboutToShow();
        for (QAction* a : menu->actions())
            if (a->text() == "Start as it is now") return a->trigger();
        QFAIL("the menu keeps poses");
    };
    keep();
    QVERIFY(driver->window.statusText().contains("Save the scene first"));
    QVERIFY(c.files().saveScene(path("fur.ovrix")));
    c.clock().setFrame(12);
    driver->settle();
    const StrandsPtr hung = guides();
    keep();
    const std::string param = in("simulate_strands/starts_as");
    QVERIFY(driver->waitFor([&] { return !std::get<std::string>(driver->value(param)).empty(); }));
    QVERIFY(std::get<std::string>(driver->value(param)).starts_with("fur.poses/"));
    c.clock().setFrame(1);
    driver->settle();
    QVERIFY(result().ok);
    const auto now = guides()->points.find<V3f>("P"), then = hung->points.find<V3f>("P");
    QCOMPARE(now.size(), then.size());
    for (size_t i = 0; i < now.size(); ++i) QVERIFY((now[i] - then[i]).length() < 1e-4f);
    // A click lets the file go; undo takes it again.
    auto* none = driver->editor<QToolButton>(param);
    QVERIFY(none && none->isVisible());
    QTest::mouseClick(none, Qt::LeftButton);
    driver->settle();
    QCOMPARE(std::get<std::string>(driver->value(param)), std::string());
    QVERIFY(!none->isVisible());
    c.undo();
    driver->settle();
    QVERIFY(!std::get<std::string>(driver->value(param)).empty());
}

static const RegisteredTest<StrandsTest> registered;
#include "document/model/step_registry.h"
#include "strands_test.moc"
