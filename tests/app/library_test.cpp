// Drives the library of recipes: choosing, laying, using, saving, taking out, dragging.
#include "app/window/finishings_window.h"
#include "app/window/library_window.h"
#include "app_test.h"
#include "document/library/recipe_file.h"

using namespace ovrix::deliver;
using namespace ovrix::app;

class LibraryTest : public WindowFixture {
    Q_OBJECT
  private Q_SLOTS:
    void laysARecipe();
    void savesAndTakesOut();
    void dropsOnASurface();
    void asksAboutARecipeFromElsewhere();
    void usesAndSavesFinishes();

  private:
    LibraryWindow* open() {
        driver->window.run("library");
        driver->settle();
        return driver->window.library();
    }
    QPushButton* button(LibraryWindow* w, const char* name) { return w->findChild<QPushButton*>(name); }
    size_t layers() { return driver->document().nodes(Category::Layer).size(); }
};

void LibraryTest::laysARecipe() {
    makeLayer();
    auto& c = driver->window.controller();
    LibraryWindow* library = open();
    QVERIFY(library && library->isVisible());
    QListWidget* list = library->list();
    QVERIFY(list->count() >= 6);
    // Searching hides the others.
    auto* search = library->findChild<QLineEdit*>("searchRecipes");
    search->setFocus();
    QTest::keyClicks(search, "cobble");
    int shown = 0;
    for (int i = 0; i < list->count(); ++i)
        if (!list->item(i)->isHidden()) ++shown, list->setCurrentRow(i);
    QCOMPARE(shown, 1);
    c.selection().select("");
    QVERIFY(!button(library, "layRecipe")->isEnabled());
    c.selection().select("ground");
    QVERIFY(button(library, "layRecipe")->isEnabled());
    QVERIFY(!button(library, "useRecipe")->isEnabled());
    const Document before = c.document();
    QTest::mouseClick(button(library, "layRecipe"), Qt::LeftButton);
    driver->settle();
    QCOMPARE(layers(), size_t(2));
    const std::string made = c.selection().id();
    QVERIFY(driver->waitFor([&] {
        const auto it = c.results().layers.find(made);
        return it != c.results().layers.end() && it->second.ok && elementCount(it->second.geometry) > 10;
    }));
    c.undo();
    QVERIFY(c.document() == before);
    c.selection().select(kLayer);
    QTest::mouseClick(button(library, "useRecipe"), Qt::LeftButton);
    driver->settle();
    QCOMPARE(layers(), size_t(1));
    QVERIFY(c.document().get(kLayer).step("spread"));
    // A picture that is not there comes by itself.
    const std::filesystem::path picture = libraryOf(kRecipes, foldersOf(kRecipes).builtIn,
                                                    foldersOf(kRecipes).own, foldersOf(kRecipes).pictures)[0]
                                              .picture;
    std::filesystem::remove(picture);
    library->refresh();
    QVERIFY(driver->waitFor([&] { return std::filesystem::exists(picture); }));
}

void LibraryTest::savesAndTakesOut() {
    makeLayer();
    auto& c = driver->window.controller();
    LibraryWindow* library = open();
    const int count = library->list()->count();
    auto* name = library->findChild<QLineEdit*>("recipeName");
    QCOMPARE(name->text(), QString::fromStdString(c.document().get(kLayer).name));
    name->selectAll();
    QTest::keyClicks(name, "Marbles");
    QTest::mouseClick(button(library, "saveRecipe"), Qt::LeftButton);
    driver->settle();
    QCOMPARE(library->list()->count(), count + 1);
    QCOMPARE(library->list()->currentItem()->text(), QString("Marbles"));
    QVERIFY(std::filesystem::exists(foldersOf(kRecipes).own / "marbles.recipe"));
    c.selection().select("ground");
    QTest::mouseClick(button(library, "layRecipe"), Qt::LeftButton);
    driver->settle();
    QCOMPARE(layers(), size_t(2));
    QCOMPARE(QString::fromStdString(c.selection().node()->name), QString("Marbles"));
    QVERIFY(button(library, "removeRecipe")->isEnabled());
    QTest::mouseClick(button(library, "removeRecipe"), Qt::LeftButton);
    driver->settle();
    QCOMPARE(library->list()->count(), count);
    QVERIFY(!std::filesystem::exists(foldersOf(kRecipes).own / "marbles.recipe"));
    library->list()->setCurrentRow(0);
    QVERIFY(!button(library, "removeRecipe")->isEnabled());  // one that comes with the program
}

void LibraryTest::dropsOnASurface() {
    makeLayer();
    auto& c = driver->window.controller();
    LibraryWindow* library = open();
    QMimeData mime;
    mime.setData(kRecipeMime, library->list()->item(0)->data(Qt::UserRole).toString().toUtf8());
    auto* outline = driver->window.outline();
    const QRect row = outline->visualItemRect(outline->itemOf("ground"));
    driver->dropAt(mime, outline->viewport()->mapTo(&driver->window, row.center()));
    QCOMPARE(layers(), size_t(2));
    auto* view = driver->window.view();
    view->frameAll();
    driver->settle();
    driver->dropAt(mime, view->mapTo(&driver->window, view->project(V3f(0, 0, 0))->toPoint()));
    QCOMPARE(layers(), size_t(3));
    const Document before = c.document();
    driver->dropAt(mime, view->mapTo(&driver->window,
                                     QPoint(view->width() - 4, 4)));  // the sky: said, and nothing is done
    QVERIFY(c.document() == before);
}

void LibraryTest::asksAboutARecipeFromElsewhere() {
    makeLayer();
    RecipeFile recipe = recipeOfLayer(driver->document(), kLayer, path("").toStdString());
    recipe.name = "Stranger";
    Node stranger = recipe.first();
    auto field = std::make_shared<Field>();
    field->sources.push_back(makeSource("image"));
    field->sources[0].params["file"].value = std::string("/etc/passwd");
    stranger.steps[0].params["mask"].field = field;
    recipe.parts.put(stranger);
    QVERIFY(QDir(path("")).mkpath("away"));
    saveRecipe(recipe, path("away/stranger.recipe").toStdString());
    QSettings().remove("trustedFolders");
    driver->window.setUnattended(false);
    auto* outline = driver->window.outline();
    const QRect row = outline->visualItemRect(outline->itemOf("ground"));
    const QPoint at = outline->viewport()->mapTo(&driver->window, row.center());
    QMimeData mime;
    mime.setUrls({QUrl::fromLocalFile(path("away/stranger.recipe"))});
    const auto drop = [&] {
        QDragEnterEvent enter(at, Qt::CopyAction, &mime, Qt::LeftButton, Qt::NoModifier);
        QApplication::sendEvent(&driver->window, &enter);
        QDropEvent dropped(QPointF(at), Qt::CopyAction, &mime, Qt::LeftButton, Qt::NoModifier);
        QApplication::sendEvent(&driver->window, &dropped);
    };
    QVERIFY(answered(drop, [](QDialog& question) {
        QVERIFY(question.findChild<QLabel*>()->text().contains("/etc/passwd"));
        QTest::keyClick(&question, Qt::Key_Escape);
    }));
    QCOMPARE(layers(), size_t(1));
    QVERIFY(answered(drop, [](QDialog& question) {
        QTest::mouseClick(choice(question, "Trust this folder"), Qt::LeftButton);
    }));
    QCOMPARE(layers(), size_t(2));
    QVERIFY(!answered(drop, [](QDialog& question) { question.close(); }));
    QCOMPARE(layers(), size_t(3));
    QSettings().remove("trustedFolders");
    driver->window.setUnattended(true);
}

void LibraryTest::usesAndSavesFinishes() {
    auto& c = driver->window.controller();
    driver->window.run("finishings");
    driver->settle();
    FinishingsWindow* library = driver->window.finishings();
    QVERIFY(library && library->isVisible());
    QListWidget* list = library->list();
    QCOMPARE(list->count(), 5);
    const Document before = c.document();
    list->setCurrentRow(0);
    QTest::mouseClick(library->findChild<QPushButton*>("useFinish"), Qt::LeftButton);
    driver->settle();
    QVERIFY(c.document().get("finish").steps.size() >= 2);
    QCOMPARE(c.selection().id(), "finish");
    const auto used = c.document().get("finish").steps;
    c.undo();
    QVERIFY(c.document() == before);
    c.redo();
    // Saved under a name, it is there, and is another's finish too.
    c.selection().select("finish");
    auto* name = library->findChild<QLineEdit*>("finishingName");
    QVERIFY(name && name->isEnabled());
    name->setFocus();
    name->selectAll();
    QTest::keyClicks(name, "My own");
    QTest::mouseClick(library->findChild<QPushButton*>("saveFinishing"), Qt::LeftButton);
    driver->settle();
    QCOMPARE(list->count(), 6);
    const auto file = list->item(5) ? library->list()->entries().back().file : std::filesystem::path();
    QVERIFY(std::filesystem::exists(file));
    c.undo();
    QMimeData mime;
    mime.setUrls({QUrl::fromLocalFile(QString::fromStdString(file.string()))});
    driver->dropAt(mime, {500, 300});
    QVERIFY(c.document().get("finish").steps.size() == used.size());
    list->setCurrentRow(5);
    QTest::mouseClick(library->findChild<QPushButton*>("removeFinishing"), Qt::LeftButton);
    driver->settle();
    QCOMPARE(list->count(), 5);
    QVERIFY(!std::filesystem::exists(file));
}

static const RegisteredTest<LibraryTest> registered;
#include "library_test.moc"
