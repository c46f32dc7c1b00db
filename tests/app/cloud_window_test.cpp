// Drives clouds of points: a layer gets its material from a check, the scale tells how deep it is, and the
// view colours and cuts its points.
#include "app/recipe/cloud_readout.h"
#include "app_test.h"
#include "document/materials/cloud_material.h"

using namespace ovrix::deliver;
using namespace ovrix::app;

class CloudWindowTest : public WindowFixture {
    Q_OBJECT
  private Q_SLOTS:
    void fitsDensity();
    void coloursAndCutsPoints();

  private:
    std::string pointLayer();
};

/// The new layer without its copies.
std::string CloudWindowTest::pointLayer() {
    makeLayer();
    auto& c = driver->window.controller();
    const std::string layer = c.selection().id();
    c.edit("Points", [&](const Document& d) { return withoutStep(d, layer, "copies_of"); });
    driver->settle();
    return layer;
}

void CloudWindowTest::fitsDensity() {
    const std::string layer = pointLayer();
    auto& c = driver->window.controller();
    const auto offered = [&]() -> std::optional<Check> {
        for (const Check& check : c.checks())
            if (check.fixTitle == "Give it one") return check;
        return {};
    };
    QVERIFY(driver->waitFor([&] { return offered().has_value(); }));
    c.edit("Give it one", offered()->fix);
    driver->settle();
    const std::string material = c.document().value(layer, ovrix::document::kLayer.material);
    QVERIFY(!material.empty());
    c.selection().select(material);
    driver->settle();
    auto* scale = driver->window.findChild<DepthScale*>();
    QVERIFY(scale && driver->waitFor([&] { return scale->isVisible() && scale->depth() > 0.0; }));
    QVERIFY(std::abs(scale->depth() - 3.0) < 0.1);  // what was offered fits
    c.setValue({material, "", "density"}, 0.0001);
    driver->settle();
    QVERIFY(driver->waitFor([&] { return scale->depth() < 0.1; }));
    QVERIFY(driver->waitFor([&] {
        const auto all = c.checks();
        return std::any_of(all.begin(), all.end(),
                           [](const Check& k) { return k.fixTitle == "Fit density"; });
    }));
    auto* fit = driver->window.findChild<QPushButton*>("fitDensity");
    QTest::mouseClick(fit, Qt::LeftButton);
    driver->settle();
    QVERIFY(driver->waitFor([&] { return std::abs(scale->depth() - 3.0) < 0.1; }));
    QTest::keyClick(&driver->window, Qt::Key_Z, Qt::ControlModifier);
    driver->settle();
    QCOMPARE(std::get<double>(c.document().value(material, "density")), 0.0001);
    // Of another material nothing is told.
    std::string plain;
    c.edit("Add", [&](const Document& d) {
        Document out = d;
        Node made = makeNode(out, "surface", "Plain");
        plain = made.id;
        out.put(std::move(made));
        return out;
    });
    c.selection().select(plain);
    driver->settle();
    QVERIFY(!scale->isVisible());
}

void CloudWindowTest::coloursAndCutsPoints() {
    const std::string layer = pointLayer();
    auto& c = driver->window.controller();
    const auto picture = [&] {
        driver->settle();
        return driver->window.view()->grab().toImage();
    };
    const QImage plain = picture();
    c.setValue({layer, "", "points_by"}, std::string("P"));
    const QImage coloured = picture();
    QVERIFY(coloured != plain);
    c.setValue({layer, "", "points_cut"}, std::string("slice"));
    c.setValue({layer, "", "cut_at"}, 1e5);
    const QImage none = picture();
    QVERIFY(none != coloured);
    c.setValue({layer, "", "points_cut"}, std::string("all"));
    QCOMPARE(picture(), coloured);
    c.setValue({layer, "", "points_by"}, std::string("no such"));
    QCOMPARE(picture(), plain);
    c.setValue({layer, "", "points_as"}, std::string("sized"));
    QVERIFY(!picture().isNull());
}

static const RegisteredTest<CloudWindowTest> registered;

#include "cloud_window_test.moc"
