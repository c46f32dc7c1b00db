// Drives the stack of a field's sources, the rows of a mix, the pictures of a blade, and handing on.
#include "app/recipe/atlas_editor.h"
#include "app/widgets/ramp_bar.h"
#include "app_test.h"
#include "io/formats/elements_io.h"

using namespace ovrix::deliver;
using namespace ovrix::app;

class FieldsTest : public WindowFixture {
    Q_OBJECT
  private Q_SLOTS:
    void buildsAStack();
    void keysTheStrengthOfASource();
    void mixesByRows();
    void setsStopsOfARamp();
    void choosesPictures();
    void handsOn();

  private:
    QWidget* row(const std::string& param) {
        return driver->window.recipe()->findChild<QWidget*>("param:" + QString::fromStdString(param));
    }
    Field field() {
        const Param p = paramAt(driver->document(), ParamPath::parse(driver->document(), in("scatter/mask")));
        return p.field ? *p.field : Field();
    }
    /// Fills a menu as opening it does, and takes what begins so.
    void take(QMenu* menu, const char* text) {
        QVERIFY(menu);
        Q_EMIT menu->aboutToShow();
        for (QAction* a : menu->actions())
            if (a->text().contains(text)) {
                QVERIFY2(a->isEnabled(), text);
                a->trigger();
                driver->settle();
                return;
            }
        QFAIL(text);
    }
    std::vector<QToolButton*> buttons(QWidget* stack, const char* tip) {
        std::vector<QToolButton*> out;
        for (QToolButton* b : stack->findChildren<QToolButton*>())
            if (b->toolTip().startsWith(tip) && b->isVisible()) out.push_back(b);
        return out;
    }
};

void FieldsTest::buildsAStack() {
    makeLayer();
    auto& c = driver->window.controller();
    c.edit("mask", [&](const Document& d) {
        return withField(d, ParamPath::parse(d, in("scatter/mask")),
                         std::make_shared<Field>(Field{{makeSource("slope")}}));
    });
    driver->settle();
    QTest::mouseClick(row(in("scatter/mask"))->findChild<QToolButton*>("sources"), Qt::LeftButton);
    driver->settle();
    auto* stack = row(in("scatter/mask"))->findChild<QFrame*>("fieldStack");
    QVERIFY(stack && stack->isVisible());
    for (const char* source : {"Noise", "Curvature"})
        take(stack->findChild<QPushButton*>("addSource")->menu(), source);
    QCOMPARE(field().sources.size(), size_t(3));
    QVERIFY(driver->waitFor([&] { return c.results().overlay && c.results().overlay->strips.size() == 3; }));
    // Each row says how it is blended, and can be turned round, moved and taken out.
    take(buttons(stack, "How it is blended")[1]->menu(), "Replace");
    QVERIFY(field().sources[1].blend == Blend::Replace);
    take(buttons(stack, "Invert, move")[1]->menu(), "Invert");
    QVERIFY(field().sources[1].invert);
    take(buttons(stack, "Invert, move")[1]->menu(), "Move up");
    QCOMPARE(QString::fromStdString(field().sources[0].type), QString("noise"));
    // Dragging a name by the stack does the same.
    const auto titles = [&] { return stack->findChildren<QPushButton*>("sourceTitle"); };
    const auto titleOf = [&](const char* name) -> QPushButton* {
        for (QPushButton* b : titles())
            if (b->isVisible() && b->text().contains(name, Qt::CaseInsensitive)) return b;
        return nullptr;
    };
    QPushButton* last = titleOf("Curvature");
    QVERIFY(last);
    const QPoint grip = last->rect().center(), above = last->mapFrom(stack, QPoint(20, 1));
    QTest::mousePress(last, Qt::LeftButton, {}, grip);
    for (int i = 1; i <= 6; ++i) {
        const QPointF p = QPointF(grip) + QPointF(above - grip) * (i / 6.0);
        QMouseEvent move(QEvent::MouseMove, p, last->mapToGlobal(p), Qt::NoButton, Qt::LeftButton, {});
        QApplication::sendEvent(last, &move);
    }
    QTest::mouseRelease(last, Qt::LeftButton, {}, above);
    driver->settle();
    QCOMPARE(QString::fromStdString(field().sources[0].type), QString("curvature"));
    QCOMPARE(QString::fromStdString(field().sources[1].type), QString("noise"));
    c.undo();
    driver->settle();
    QCOMPARE(QString::fromStdString(field().sources[0].type), QString("noise"));
    take(buttons(stack, "Invert, move")[2]->menu(), "On");
    QVERIFY(!field().sources[2].on);
    QVERIFY(driver->waitFor([&] { return c.results().overlay && c.results().overlay->strips.size() == 2; }));
    // Its own numbers open under a row.
    QTest::mouseClick(stack->findChildren<QPushButton*>("sourceTitle")[0], Qt::LeftButton);
    driver->settle();
    auto* size = row(in("scatter/mask/field/0/size"));
    QVERIFY(size && size->isVisible());
    const size_t before = elements();
    driver->dragBox(size->findChild<NumberBox*>(), 40);
    QVERIFY(driver->waitFor([&] { return elements() != before; }));
    const Field bent = field();
    take(buttons(stack, "Invert, move")[1]->menu(), "Remove");
    QCOMPARE(field().sources.size(), size_t(2));
    c.undo();
    driver->settle();
    QVERIFY(field() == bent);
}

void FieldsTest::setsStopsOfARamp() {
    auto& c = driver->window.controller();
    std::string material;
    c.edit("material", [&](const Document& d) {
        Document out = d;
        Node node = makeNode(out, "surface", "Sunset");
        material = node.id;
        node.params["base_color"].value = Color(1.0f, 1.0f, 0.0f);
        node.params["base_color"].low = Color(0.0f, 0.0f, 1.0f);
        node.params["base_color"].field = std::make_shared<Field>(Field{{makeSource("noise")}});
        out.put(node);
        return out;
    });
    c.selection().select(material);
    driver->settle();
    const std::string path = material + "/base_color";
    QTest::mouseClick(row(path)->findChild<QToolButton*>("sources"), Qt::LeftButton);
    driver->settle();
    auto* bar = row(path)->findChild<RampBar*>();
    QVERIFY(bar && bar->isVisible());
    const auto ramp = [&]() -> Ramp {
        const Param p = paramAt(driver->document(), ParamPath::parse(driver->document(), path));
        return p.ramp ? *p.ramp : Ramp();
    };
    // Hues are turned by dragging the left end of their curve to the top, as one step of undo.
    auto* hue = row(path)->findChild<CurveBox*>("hueCurve");
    QVERIFY(hue && hue->isVisible());
    const auto curves = [&] {
        return paramAt(driver->document(), ParamPath::parse(driver->document(), path)).curves;
    };
    QTest::mouseClick(hue, Qt::LeftButton);
    QWidget* popup = QApplication::activePopupWidget();
    QVERIFY(popup);
    auto* editor = popup->findChild<CurveEditor*>();
    const QPoint end(px(8), editor->height() / 2), top(px(8), px(8));
    QTest::mousePress(editor, Qt::LeftButton, {}, end);
    for (int i = 1; i <= 4; ++i) {
        const QPointF at = QPointF(end) + QPointF(top - end) * (i / 4.0);
        QMouseEvent move(QEvent::MouseMove, at, editor->mapToGlobal(at), Qt::NoButton, Qt::LeftButton, {});
        QApplication::sendEvent(editor, &move);
    }
    QTest::mouseRelease(editor, Qt::LeftButton, {}, top);
    popup->close();
    driver->settle();
    QVERIFY(curves());
    QVERIFY(curves()->hue.points[0].y > 0.97f);
    QVERIFY(curves()->value == ColorCurves().value);
    c.undo();
    driver->settle();
    QVERIFY(!curves());
    QVERIFY(ramp() == Ramp());
    // A double click sets a stop of the colour that is there.
    QTest::mouseDClick(bar, Qt::LeftButton, {}, QPoint(bar->width() / 4, 10));
    driver->settle();
    QCOMPARE(ramp().stops.size(), size_t(1));
    const RampStop first = ramp().stops[0];
    QVERIFY(std::abs(first.at - 0.25f) < 0.03f);
    QVERIFY((V3f(first.color) - V3f(first.at, first.at, 1.0f - first.at)).length() < 1e-4f);
    QTest::mouseDClick(bar, Qt::LeftButton, {}, QPoint(bar->width() * 3 / 4, 10));
    driver->settle();
    QCOMPARE(ramp().stops.size(), size_t(2));
    // Dragging moves it, as one step of undo, and never past its neighbour.
    const auto drag = [&](size_t stop, QPoint to) {
        const QPoint from = bar->stopAt(stop);
        QTest::mousePress(bar, Qt::LeftButton, {}, from);
        for (int i = 1; i <= 5; ++i) {
            const QPointF p = QPointF(from) + QPointF(to - from) * (i / 5.0);
            QMouseEvent move(QEvent::MouseMove, p, bar->mapToGlobal(p), Qt::NoButton, Qt::LeftButton, {});
            QApplication::sendEvent(bar, &move);
        }
        QTest::mouseRelease(bar, Qt::LeftButton, {}, to);
        driver->settle();
    };
    const Ramp before = ramp();
    drag(0, QPoint(bar->width() / 2, bar->stopAt(0).y()));
    QVERIFY(std::abs(ramp().stops[0].at - 0.5f) < 0.03f);
    drag(0, QPoint(bar->width() - 1, bar->stopAt(0).y()));
    QVERIFY(ramp().stops[0].at <= ramp().stops[1].at);
    c.undo();
    c.undo();
    driver->settle();
    QVERIFY(ramp() == before);
    // Keys: the other one, a step to the left, gone.
    bar->setFocus();
    QTest::keyClick(bar, Qt::Key_Up);
    const float was = ramp().stops[1].at;
    QTest::keyClick(bar, Qt::Key_Right);
    driver->settle();
    QVERIFY(std::abs(ramp().stops[1].at - was - 0.01f) < 1e-4f);
    QTest::keyClick(bar, Qt::Key_Delete);
    driver->settle();
    QCOMPARE(ramp().stops.size(), size_t(1));
    // Far off the bar it is gone, and with the last one the colour is as it was.
    drag(0, QPoint(bar->stopAt(0).x(), bar->height() + 80));
    QVERIFY(ramp() == Ramp());
    QVERIFY(!paramAt(driver->document(), ParamPath::parse(driver->document(), path)).ramp);
}

void FieldsTest::keysTheStrengthOfASource() {
    makeLayer();
    auto& c = driver->window.controller();
    c.edit("mask", [&](const Document& d) {
        return withField(d, ParamPath::parse(d, in("scatter/mask")),
                         std::make_shared<Field>(Field{{makeSource("noise")}}));
    });
    driver->settle();
    QTest::mouseClick(row(in("scatter/mask"))->findChild<QToolButton*>("sources"), Qt::LeftButton);
    driver->settle();
    auto* stack = row(in("scatter/mask"))->findChild<QFrame*>("fieldStack");
    const auto key = [&] { return stack->findChild<QAbstractButton*>("strengthKey"); };
    QVERIFY(key() && key()->isVisible());
    QTest::mouseClick(key(), Qt::LeftButton);
    driver->settle();
    QCOMPARE(field().sources[0].strength.keys.size(), size_t(1));
    c.clock().setFrame(20);
    driver->settle();
    NumberBox* strength = nullptr;
    for (NumberBox* box : stack->findChildren<NumberBox*>())
        if (box->toolTip().startsWith("Strength")) strength = box;
    QVERIFY(strength);
    driver->dragBox(strength, -30);  // in a new key, as one is there already
    const auto keys = field().sources[0].strength.keys;
    QCOMPARE(keys.size(), size_t(2));
    QCOMPARE(keys[1].frame, 20.0);
    QVERIFY(std::get<double>(keys[1].value) < 1.0);
    const double last = strength->value();
    c.clock().setFrame(1);
    driver->settle();
    QVERIFY(strength->value() > last);
    c.undo();
    driver->settle();
    QCOMPARE(field().sources[0].strength.keys.size(), size_t(1));
}

void FieldsTest::mixesByRows() {
    makeLayer();
    auto& c = driver->window.controller();
    c.edit("ring", [&](const Document& d) {
        Document out = d;
        out.put(makeNode(out, "torus", "Ring"));
        return withText(out, "ring/shown", "false");
    });
    driver->settle();
    auto* mixRow = row(in("copies_of/prototypes"));
    QVERIFY(mixRow);
    take(mixRow->findChild<QPushButton*>("addPrototype")->menu(), "Ring");
    const auto mix = [&] { return std::get<PrototypeMix>(driver->value(in("copies_of/prototypes"))); };
    QCOMPARE(mix().size(), size_t(2));
    const auto count = [&](int32_t k) {
        const auto& copies = *std::get<std::shared_ptr<const Copies>>(c.results().layers.at(kLayer).geometry);
        const auto which = copies.attributes.find<int32_t>("prototype");
        return std::count(which.begin(), which.end(), k);
    };
    const auto half = count(1);
    QVERIFY(half > 0);
    // The border of the bar: fewer rings, more balls.
    auto* bar = mixRow->findChild<MixBar*>();
    QVERIFY(bar);
    const QPoint middle(bar->width() / 2, bar->height() / 2);
    QTest::mousePress(bar, Qt::LeftButton, {}, middle);
    for (int i = 1; i <= 8; ++i) {
        const QPointF p = QPointF(middle) + QPointF(bar->width() * 0.35 * i / 8.0, 0);
        QMouseEvent move(QEvent::MouseMove, p, bar->mapToGlobal(p), Qt::NoButton, Qt::LeftButton, {});
        QApplication::sendEvent(bar, &move);
    }
    QTest::mouseRelease(bar, Qt::LeftButton, {}, middle + QPoint(int(bar->width() * 0.35), 0));
    driver->settle();
    QVERIFY(mix()[0].weight > 3 * mix()[1].weight);
    QVERIFY(driver->waitFor([&] { return count(1) < half / 2; }));
    // Sizes of the second prototype alone.
    const auto boxes = mixRow->findChildren<NumberBox*>();
    QCOMPARE(boxes.size(), 8);
    driver->dragBox(boxes[5], 60);
    QVERIFY(mix()[1].size.max > 1.0);
    QVERIFY(mix()[0].size == Range({1, 1}));
    // Every row shows what it is.
    int pictures = 0;
    for (QLabel* label : mixRow->findChildren<QLabel*>())
        pictures += !label->pixmap(Qt::ReturnByValue).isNull();
    QCOMPARE(pictures, 2);
    c.undo();
    c.undo();
    c.undo();
    driver->settle();
    QCOMPARE(mix().size(), size_t(1));
}

void FieldsTest::choosesPictures() {
    auto& c = driver->window.controller();
    QImage image(64, 32, QImage::Format_RGB32);
    image.fill(Qt::darkGreen);
    QVERIFY(image.save(path("atlas.png")));
    c.edit("blade", [&](const Document& d) {
        Document out = d;
        Node look = makeNode(out, "surface", "Leaf"), blade = makeNode(out, "blade", "Blade");
        FieldSource source = makeSource("image");
        source.params["file"].value = path("atlas.png").toStdString();
        Param base = paramOr(*findSpec(specsOf(look), "base_color"), {});
        base.field = std::make_shared<Field>(Field{{source}});
        look.params["base_color"] = base;
        blade.params["material"].value = look.id;
        blade.params["columns"].value = int64_t(4);
        blade.params["rows"].value = int64_t(2);
        blade.params["blades"].value = int64_t(6);
        out.put(look);
        out.put(blade);
        return out;
    });
    c.selection().select("blade");
    driver->settle();
    auto* editor = row("blade/pictures")->findChild<AtlasEditor*>();
    QVERIFY(editor);
    AtlasGrid* grid = editor->grid();
    QVERIFY(grid->isVisible() && grid->width() > 100);
    const auto pictures = [&] { return std::get<std::string>(driver->value("blade/pictures")); };
    const auto columnsUsed = [&] {
        std::set<int> used;
        const Mesh& mesh = *c.results().objects.at("blade").mesh;
        for (size_t f = 0; f < mesh.faceCount(); ++f) {
            float u = 0;
            for (uint32_t k = mesh.faceStart[f]; k < mesh.faceStart[f + 1]; ++k) u += mesh.uvs()[k].x / 4;
            used.insert(int(u * 4));
        }
        return used;
    };
    QCOMPARE(columnsUsed(), (std::set<int>{0, 1, 2, 3}));  // none named: all in turn
    QTest::mouseClick(grid, Qt::LeftButton, {}, grid->cellRect(1).center().toPoint());
    driver->settle();
    QCOMPARE(QString::fromStdString(pictures()), QString("1"));
    QVERIFY(driver->waitFor([&] { return columnsUsed() == std::set<int>{1}; }));
    // A drag takes several, one more click lets go.
    QTest::mousePress(grid, Qt::LeftButton, {}, grid->cellRect(2).center().toPoint());
    for (const int cell : {2, 3, 7}) {
        const QPointF p = grid->cellRect(cell).center();
        QMouseEvent move(QEvent::MouseMove, p, grid->mapToGlobal(p), Qt::NoButton, Qt::LeftButton, {});
        QApplication::sendEvent(grid, &move);
    }
    QTest::mouseRelease(grid, Qt::LeftButton, {}, grid->cellRect(7).center().toPoint());
    driver->settle();
    QCOMPARE(QString::fromStdString(pictures()), QString("1-3, 7"));
    QTest::keyClick(grid, Qt::Key_Left);
    QTest::keyClick(grid, Qt::Key_Space);
    driver->settle();
    QCOMPARE(QString::fromStdString(pictures()), QString("2, 3, 7"));
    for (int i = 0; i < 3; ++i) c.undo();
    driver->settle();
    QCOMPARE(QString::fromStdString(pictures()), QString());
}

void FieldsTest::handsOn() {
    makeLayer();
    auto& c = driver->window.controller();
    const QString file = path("copies.usda");
    // The dialog is driven as a person would: a name, and Enter.
    QTimer::singleShot(300, [&] {
        auto* dialog = qobject_cast<QFileDialog*>(QApplication::activeModalWidget());
        QVERIFY(dialog);
        auto* name = dialog->findChild<QLineEdit*>("fileNameEdit");
        QVERIFY(name);
        name->setText(file);
        QTest::keyClick(name, Qt::Key_Return);
    });
    driver->window.run("export");
    QVERIFY(driver->waitFor([&] { return QFileInfo::exists(file); }));
    driver->settle();
    const PointSet written = readPoints(file.toStdString());
    const int64_t asked = std::get<int64_t>(driver->value(in("scatter/count")));
    QCOMPARE(int64_t(written.size()), asked);  // all of them, whatever share the view shows
    QVERIFY(int64_t(elements()) < asked);
    const Document before = c.document();
    QTimer::singleShot(300, [&] {
        auto* dialog = qobject_cast<QFileDialog*>(QApplication::activeModalWidget());
        QVERIFY(dialog);
        dialog->reject();
    });
    driver->window.run("exportMesh");
    driver->settle();
    QVERIFY(c.document() == before);
}

static const RegisteredTest<FieldsTest> registered;
#include "fields_test.moc"
