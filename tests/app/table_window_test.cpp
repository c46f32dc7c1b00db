// Drives the table of elements: it follows the layer, sorts, filters, and chooses with the view.
#include "app/window/table_window.h"
#include "app_test.h"

using namespace ovrix::deliver;
using namespace ovrix::app;

class TableWindowTest : public WindowFixture {
    Q_OBJECT
  private Q_SLOTS:
    void sortsFiltersAndSumsUp();
    void choosesBothWays();

  private:
    TableWindow* opened();
};

/// By its key, over the layer.
TableWindow* TableWindowTest::opened() {
    makeLayer();
    QTest::keyClick(&driver->window, Qt::Key_T, Qt::ControlModifier);
    driver->settle();
    TableWindow* table = driver->window.table();
    [&] {
        QVERIFY(table && driver->waitFor([&] { return table->settled() && table->rows()->rowCount() > 0; }));
    }();
    return table;
}

void TableWindowTest::sortsFiltersAndSumsUp() {
    TableWindow* table = opened();
    const int all = table->rows()->rowCount();
    QVERIFY(all > 10);
    const ElementTable& of = *table->rows()->table();
    int x = 0;
    while (x < int(of.columns()) && of.name(size_t(x)) != "P.x") ++x;
    QVERIFY(x < int(of.columns()));
    const auto number = [&](int row) { return table->rows()->index(row, x).data().toDouble(); };
    auto* head = table->view()->horizontalHeader();
    const auto click = [&] {
        table->view()->scrollTo(table->rows()->index(0, x));
        const QPoint at(head->sectionViewportPosition(x) + head->sectionSize(x) / 2, head->height() / 2);
        QTest::mouseClick(head->viewport(), Qt::LeftButton, {}, at);
        driver->settle();
        QVERIFY(driver->waitFor([&] { return table->settled(); }));
    };
    click();
    for (int i = 1; i < all; ++i) QVERIFY(number(i) >= number(i - 1));
    click();
    for (int i = 1; i < all; ++i) QVERIFY(number(i) <= number(i - 1));
    auto* filter = table->findChild<QLineEdit*>("filter");
    QTest::keyClicks(filter, "x > 0");
    QTest::keyClick(filter, Qt::Key_Return);
    driver->settle();
    QVERIFY(driver->waitFor([&] { return table->settled() && table->rows()->rowCount() < all; }));
    for (int i = 0; i < table->rows()->rowCount(); ++i) QVERIFY(number(i) > 0);
    auto* facts = table->findChild<QLabel*>("facts");
    QVERIFY(facts->text().contains(" of "));
    // What is wrong with a formula is said, and all rows are there.
    filter->clear();
    QTest::keyClicks(filter, "nothing >");
    QTest::keyClick(filter, Qt::Key_Return);
    driver->settle();
    QVERIFY(driver->waitFor([&] { return table->settled() && table->rows()->rowCount() == all; }));
    QVERIFY(facts->text().contains("nothing") || facts->text().contains("formula"));
    // It follows the layer.
    filter->clear();
    auto& c = driver->window.controller();
    const std::string layer = c.selection().id();
    c.setValue({layer, "scatter", "seed"}, int64_t(77));
    c.setValue({layer, "scatter", "count"}, std::get<int64_t>(driver->value(layer + "/scatter/count")) * 2);
    driver->settle();
    const auto made = [&] { return int(elementCount(c.results().layers.at(layer).geometry)); };
    QVERIFY(driver->waitFor(
        [&] { return made() > all && table->settled() && table->rows()->rowCount() == made(); }));
    c.selection().select("camera");
    driver->settle();
    QCOMPARE(table->rows()->rowCount(), 0);
}

void TableWindowTest::choosesBothWays() {
    TableWindow* table = opened();
    auto& c = driver->window.controller();
    driver->settle();
    const QImage before = driver->window.view()->grab().toImage();
    const QRect row = table->view()->visualRect(table->rows()->index(2, 0));
    QTest::mouseClick(table->view()->viewport(), Qt::LeftButton, {}, row.center());
    driver->settle();
    QCOMPARE(c.selection().elements().size(), size_t(1));
    QCOMPARE(*c.selection().elements().begin(), table->rows()->table()->id(table->rows()->rows()[2]));
    QVERIFY(driver->window.view()->grab().toImage() != before);  // a ring
    const uint64_t other = table->rows()->table()->id(table->rows()->rows()[5]);
    c.selection().setElements({other});
    const auto chosen = table->view()->selectionModel()->selectedRows();
    QCOMPARE(chosen.size(), 1);
    QCOMPARE(chosen[0].row(), 5);
    c.selection().select("camera");
    QVERIFY(c.selection().elements().empty());
}

static const RegisteredTest<TableWindowTest> registered;

#include "table_window_test.moc"
