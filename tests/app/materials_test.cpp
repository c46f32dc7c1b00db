// Drives the library of materials: wearing, adding, saving, taking out, dragging.
#include "app/window/materials_window.h"

#include "app/recipe/material_swatch.h"
#include "app_test.h"

using namespace ovrix::deliver;
using namespace ovrix::app;

class MaterialsTest : public WindowFixture {
    Q_OBJECT
  private Q_SLOTS:
    void wearsAMaterial();
    void savesAndTakesOut();
    void dropsOnThings();
    void showsASwatch();

  private:
    MaterialsWindow* open() {
        driver->window.run("materials");
        driver->settle();
        return driver->window.materials();
    }
    QPushButton* button(const char* name) {
        return driver->window.materials()->findChild<QPushButton*>(name);
    }
    void choose(const QString& name) {
        PictureList* list = driver->window.materials()->list();
        for (int i = 0; i < list->count(); ++i)
            if (list->item(i)->text() == name) return list->setCurrentRow(i);
        QFAIL("there is no such material");
    }
    const Node* worn(const std::string& wearer) {
        return driver->document().find(std::get<std::string>(driver->value(wearer + "/material")));
    }
    size_t materials() { return driver->document().nodes(Category::Material).size(); }
};

void MaterialsTest::wearsAMaterial() {
    makeLayer();
    auto& c = driver->window.controller();
    MaterialsWindow* window = open();
    QVERIFY(window && window->isVisible());
    QVERIFY(window->list()->count() >= 20);
    for (const LibraryEntry& entry : window->list()->entries()) QCOMPARE(entry.error, std::string());
    auto* search = window->findChild<QLineEdit*>("searchMaterials");
    search->setFocus();
    QTest::keyClicks(search, "verdigris");
    int shown = 0;
    for (int i = 0; i < window->list()->count(); ++i) shown += !window->list()->item(i)->isHidden();
    QCOMPARE(shown, 1);
    search->clear();
    choose("Brass");
    c.selection().select("");
    QVERIFY(!button("wearMaterial")->isEnabled());
    c.selection().select("ground");
    const Document before = c.document();
    QTest::mouseClick(button("wearMaterial"), Qt::LeftButton);
    driver->settle();
    QVERIFY(worn("ground"));
    QCOMPARE(worn("ground")->name, std::string("Brass"));
    const std::string over = std::get<std::string>(driver->value(worn("ground")->id + "/over"));
    QCOMPARE(c.document().get(over).name, std::string("Verdigris"));
    // A second thing wears the same one.
    const size_t count = materials();
    c.selection().select(kLayer);
    QTest::mouseClick(button("wearMaterial"), Qt::LeftButton);
    driver->settle();
    QCOMPARE(materials(), count);
    QCOMPARE(worn(kLayer), worn("ground"));
    c.undo();
    c.undo();
    QVERIFY(c.document() == before);
    // By itself: it is chosen then.
    choose("Wax");
    QTest::mouseClick(button("addMaterial"), Qt::LeftButton);
    driver->settle();
    QCOMPARE(c.selection().node()->name, std::string("Wax"));
    // A picture that is not there comes by itself.
    const std::filesystem::path picture = window->list()->entries()[0].picture;
    std::filesystem::remove(picture);
    window->refresh();
    QVERIFY(driver->waitFor([&] { return std::filesystem::exists(picture); }, 60000));
}

void MaterialsTest::savesAndTakesOut() {
    makeLayer();
    auto& c = driver->window.controller();
    MaterialsWindow* window = open();
    const int count = window->list()->count();
    choose("Sand");
    QTest::mouseClick(button("addMaterial"), Qt::LeftButton);
    driver->settle();
    c.edit("Colour",
           [&](const Document& d) { return withText(d, c.selection().id() + "/specular_ior", "1.7"); });
    auto* name = window->findChild<QLineEdit*>("materialName");
    QCOMPARE(name->text(), QString("Sand"));
    name->selectAll();
    QTest::keyClicks(name, "Dark sand");
    QTest::mouseClick(button("saveMaterial"), Qt::LeftButton);
    driver->settle();
    QCOMPARE(window->list()->count(), count + 1);
    QCOMPARE(window->list()->currentItem()->text(), QString("Dark sand"));
    QVERIFY(std::filesystem::exists(foldersOf(kMaterials).own / "dark_sand.material"));
    c.selection().select("ground");
    QTest::mouseClick(button("wearMaterial"), Qt::LeftButton);
    driver->settle();
    QCOMPARE(std::get<double>(driver->value(worn("ground")->id + "/specular_ior")), 1.7);
    QTest::mouseClick(button("removeMaterial"), Qt::LeftButton);
    driver->settle();
    QCOMPARE(window->list()->count(), count);
    QVERIFY(!std::filesystem::exists(foldersOf(kMaterials).own / "dark_sand.material"));
    choose("Sand");
    QVERIFY(!button("removeMaterial")->isEnabled());  // one that comes with the program
}

void MaterialsTest::dropsOnThings() {
    makeLayer();
    auto& c = driver->window.controller();
    MaterialsWindow* window = open();
    choose("Chalk");
    QMimeData mime;
    mime.setData(kMaterialMime, window->list()->currentItem()->data(Qt::UserRole).toString().toUtf8());
    auto* outline = driver->window.outline();
    const auto rowOf = [&](const std::string& id) {
        return outline->viewport()->mapTo(&driver->window,
                                          outline->visualItemRect(outline->itemOf(id)).center());
    };
    driver->dropAt(mime, rowOf(kLayer));
    QCOMPARE(worn(kLayer)->name, std::string("Chalk"));
    auto* view = driver->window.view();
    view->frameAll();
    driver->settle();
    const QPoint ground = view->mapTo(&driver->window, view->project(V3f(0, 0, 0))->toPoint());
    const std::string chalk = worn(kLayer)->id;
    c.edit("Undress", [&](const Document& d) { return withText(d, std::string(kLayer) + "/material", ""); });
    // A material of the scene, dragged from its row into the view.
    QMimeData own;
    own.setData(kNodeMime, QByteArray::fromStdString(chalk));
    driver->dropAt(own, ground);
    QVERIFY(worn("ground") || worn(kLayer));
    // On nothing: said, and nothing is done.
    const Document before = c.document();
    driver->dropAt(mime, view->mapTo(&driver->window, QPoint(view->width() - 4, 4)));
    QVERIFY(c.document() == before);
}

void MaterialsTest::showsASwatch() {
    auto& c = driver->window.controller();
    std::string red, coat;
    c.edit("materials", [&](const Document& d) {
        Document out = d;
        Node n = makeNode(out, "surface", "Red");
        red = n.id;
        out.put(n);
        out = withText(out, red + "/base_color", "0.8,0.02,0.02");
        n = makeNode(out, "fibre", "Coat");
        coat = n.id;
        out.put(n);
        return out;
    });
    QVERIFY(!driver->window.recipe()->findChild<MaterialSwatch*>());
    c.selection().select(red);
    driver->settle();
    auto* swatch = driver->window.recipe()->findChild<MaterialSwatch*>();
    QVERIFY(swatch && swatch->isVisible());
    const auto middle = [&] {
        return swatch->image().isNull()
                   ? QColor()
                   : swatch->image().pixelColor(swatch->image().width() / 2, swatch->image().height() / 2);
    };
    const auto finished = [&] {
        return driver->waitFor([&] { return !swatch->busy(); }, 60000) && (driver->settle(), true);
    };
    QVERIFY(finished());
    QVERIFY(middle().red() > 3 * middle().green());
    // It follows an edit, not one of something else, and what is chosen.
    c.setValue({red, "", "base_color"}, Color(0.02f, 0.02f, 0.8f));
    QVERIFY(driver->waitFor([&] { return middle().blue() > 3 * middle().green(); }));
    QVERIFY(finished());
    c.setValue({coat, "", "roughness"}, 0.6);
    QVERIFY(!swatch->busy());
    const QImage ball = swatch->image();
    c.selection().select(coat);
    driver->settle();
    QVERIFY(finished());
    QVERIFY(!swatch->image().isNull() && swatch->image() != ball);
    c.selection().select("camera");
    driver->settle();
    QVERIFY(!swatch->isVisible());
    c.undo();
    c.undo();
    c.selection().select(red);
    QVERIFY(driver->waitFor([&] { return middle().red() > 3 * middle().green(); }));
    // Where nobody sees it, it is not worked on; images are found beside the scene.
    QImage blue(4, 4, QImage::Format_RGB32);
    blue.fill(QColor(0, 0, 255));
    QVERIFY(blue.save(path("blue.png")));
    QVERIFY(c.files().saveScene(path("blue.ovrix")));
    c.setValue({red, "", "base_color"}, Color(0.5f));
    c.selection().select("camera");
    QVERIFY(driver->waitFor([&] { return !swatch->busy(); }, 3000));
    c.edit("image", [&](const Document& d) {
        FieldSource image = makeSource("image");
        image.params["file"].value = std::string("blue.png");
        image.params["projection"].value = std::string("box");
        return withField(withText(d, red + "/base_color", "1,1,1"), {red, "", "base_color"},
                         std::make_shared<Field>(Field{{image}}));
    });
    QVERIFY(!swatch->busy());
    c.selection().select(red);
    QVERIFY(driver->waitFor([&] { return middle().blue() > 3 * middle().red(); }));
    // One that goes away takes it along.
    c.edit("remove", [&](const Document& d) {
        Document out = d;
        out.remove(red);
        return out;
    });
    driver->settle();
    QVERIFY(!swatch->isVisible());
}

static const RegisteredTest<MaterialsTest> registered;
#include "materials_test.moc"
