// Drives the widgets that numbers, curves and shares are changed with, each by itself.
#include "app/session/application.h"
#include "app/widgets/color_button.h"
#include "app/widgets/flow_layout.h"
#include "app/widgets/key_button.h"
#include "app_test.h"
#include "base/error.h"
#include "params/specs.h"

using namespace ovrix::deliver;
using namespace ovrix::app;

namespace {

/// What a widget told, in order.
template <class T>
struct Told {
    std::vector<std::pair<T, bool>> values;  ///< and whether more would follow
    int finished = 0;
    const T& last() const { return values.back().first; }
};

template <class T, class W>
std::shared_ptr<Told<T>> listen(W* widget) {
    auto told = std::make_shared<Told<T>>();
    QObject::connect(widget, &W::changed, widget,
                     [told](const T& value, bool more) { told->values.emplace_back(value, more); });
    QObject::connect(widget, &W::finished, widget, [told] { ++told->finished; });
    return told;
}

void dragged(QWidget* w, const QPoint& from, const QPoint& to, Qt::KeyboardModifiers with = Qt::NoModifier) {
    QTest::mousePress(w, Qt::LeftButton, with, from);
    constexpr int kMoves = 10;
    for (int i = 1; i <= kMoves; ++i) {
        const QPointF p = QPointF(from) + QPointF(to - from) * (double(i) / kMoves);
        QMouseEvent move(QEvent::MouseMove, p, w->mapToGlobal(p), Qt::NoButton, Qt::LeftButton, with);
        QApplication::sendEvent(w, &move);
    }
    QTest::mouseRelease(w, Qt::LeftButton, with, to);
}

}  // namespace

class WidgetsTest : public QObject {
    Q_OBJECT
  private Q_SLOTS:
    void cleanup() { shown_.reset(); }

    void dragsNumbers() {
        auto* box = number(specs::number("n", "Number", 10, "m", 0, 100, 0, 48, ""));
        const auto told = listen<double>(box);
        const QPoint at(100, 12);
        dragged(box, at, at + QPoint(3, 0));  // a click with a shaky hand
        QCOMPARE(told->values.size(), size_t(0));
        QTest::keyClick(QApplication::focusWidget(), Qt::Key_Escape);
        dragged(box, at, at + QPoint(40, 0));  // 48 over 240 pixels: a fifth of a metre each
        QCOMPARE(box->value(), 18.0);
        QCOMPARE(told->finished, 1);
        for (const auto& [value, more] : told->values) QVERIFY(more);
        dragged(box, at, at - QPoint(40, 0), Qt::ControlModifier);
        QCOMPARE(box->value(), 17.2);
        dragged(box, at, at + QPoint(30, 0), Qt::ShiftModifier);
        QVERIFY(std::abs(box->value() - 77.2) < 1e-9);
        dragged(box, at, at + QPoint(60, 0), Qt::ShiftModifier);
        QCOMPARE(box->value(), 100.0);  // the hard end
        const int before = told->finished;
        QTest::mouseDClick(box, Qt::LeftButton, Qt::NoModifier, at);
        QCOMPARE(box->value(), 10.0);
        QCOMPARE(told->last(), 10.0);
        QVERIFY(told->finished > before);
    }

    void dragsWholeNumbersByWholeSteps() {
        auto* box = number(specs::whole("n", "Count", 5, 0, 1000000, 0, 12, ""));
        const auto told = listen<double>(box);
        dragged(box, QPoint(100, 12), QPoint(140, 12));
        QVERIFY(box->value() > 5);
        for (const auto& [value, more] : told->values) QCOMPARE(value, std::round(value));
        box->setValue(100000);  // large ones go in large steps
        dragged(box, QPoint(100, 12), QPoint(120, 12));
        QVERIFY(box->value() > 105000);
        QCOMPARE(box->value(), std::round(box->value()));
    }

    void typesArithmeticUnitsAndFormulas() {
        auto* box = number(specs::number("n", "Number", 1, "m", -5, 50, 0, 10, ""));
        const auto told = listen<double>(box);
        QStringList formulas, refusals;
        connect(box, &NumberBox::formulaTyped, box, [&](const QString& t) { formulas << t; });
        connect(box, &NumberBox::refused, box, [&](const QString& t) { refusals << t; });
        const auto type = [&](const char* text) {
            QTest::mouseClick(box, Qt::LeftButton, Qt::NoModifier, QPoint(50, 12));
            QCoreApplication::sendPostedEvents(nullptr, QEvent::DeferredDelete);  // those before
            auto* edit = box->findChild<QLineEdit*>("typing");
            QVERIFY(edit && edit->hasSelectedText());  // typing replaces what is there
            QTest::keyClicks(edit, text);
            QTest::keyClick(edit, Qt::Key_Return);
            QVERIFY(box->hasFocus());
        };
        type("2.5cm");
        QCOMPARE(box->value(), 0.025);
        type("1/24");
        QVERIFY(std::abs(box->value() - 1.0 / 24) < 1e-12);
        type("(1+2)*4");
        QCOMPARE(box->value(), 12.0);
        type("1e9");
        QCOMPARE(box->value(), 50.0);
        const size_t count = told->values.size();
        type("two");
        QCOMPARE(refusals.size(), qsizetype(1));
        QCOMPARE(box->value(), 50.0);
        QCOMPARE(told->values.size(), count);
        type("2*frame");
        QCOMPARE(formulas, QStringList{"2*frame"});
        QCOMPARE(told->values.size(), count);
        type("2*frame*");
        QCOMPARE(refusals.size(), qsizetype(2));
        // What a formula gives is shown, and typing starts with the formula.
        box->setFormula("2*frame");
        QTest::keyClick(box, Qt::Key_Return);
        auto* formula = box->findChildren<QLineEdit*>("typing").last();
        QCOMPARE(formula->text(), QString("2*frame"));
        QTest::keyClick(formula, Qt::Key_Return);
        QCOMPARE(formulas.size(), qsizetype(1));  // as it was
        // A figure begins typing with itself; Escape leaves all as it was.
        box->setFormula({});
        QTest::keyClick(box, Qt::Key_7);
        auto* edit = box->findChildren<QLineEdit*>("typing").last();
        QCOMPARE(edit->text(), QString("7"));
        QTest::keyClick(edit, Qt::Key_Escape);
        QCOMPARE(box->value(), 50.0);
    }

    void stepsNumbersByKeys() {
        auto* box = number(specs::number("n", "Number", 5, "", 0, 10, 0, 10, ""));
        const auto told = listen<double>(box);
        box->setFocus();
        QTest::keyClick(box, Qt::Key_Up);
        QCOMPARE(box->value(), 5.1);
        QTest::keyClick(box, Qt::Key_Down, Qt::ShiftModifier);
        QCOMPARE(box->value(), 4.1);
        QTest::keyClick(box, Qt::Key_Up, Qt::ControlModifier);
        QVERIFY(std::abs(box->value() - 4.11) < 1e-12);
        QCOMPARE(told->finished, 3);
        for (int i = 0; i < 20; ++i) QTest::keyClick(box, Qt::Key_Up, Qt::ShiftModifier);
        QCOMPARE(box->value(), 10.0);
    }

    void writesNumbersAsTheyAreRead() {
        const std::vector<std::tuple<double, bool, const char*>> all = {{0, false, "0"},
                                                                        {-0.0, false, "0"},
                                                                        {2.5, false, "2.5"},
                                                                        {48000, true, "48 000"},
                                                                        {0.0125, false, "0.0125"},
                                                                        {1e-9, false, "1e-09"},
                                                                        {1234.56, false, "1234.6"},
                                                                        {-3, true, "-3"},
                                                                        {100, false, "100"},
                                                                        {2.0004, false, "2"}};
        for (const auto& [value, whole, text] : all) QCOMPARE(numberText(value, whole), QString(text));
    }

    void bendsCurves() {
        auto* editor = show(new CurveEditor);
        editor->resize(260, 180);
        const auto told = listen<Curve>(editor);
        Curve line{{{0, 0}, {1, 1}}, false};
        editor->setCurve(line);
        const QRectF area = QRectF(editor->rect()).adjusted(8, 8, -8, -8);
        const auto pixel = [&](double x, double y) {
            return QPointF(area.left() + area.width() * x, area.bottom() - area.height() * y).toPoint();
        };
        // A press where there is no point makes one, and drags it.
        dragged(editor, pixel(0.5, 0.2), pixel(0.5, 0.8));
        QCOMPARE(editor->curve().points.size(), size_t(3));
        QVERIFY(std::abs(editor->curve().at(0.5f) - 0.8f) < 0.02f);
        QCOMPARE(told->finished, 1);
        // No point passes its neighbour, and none leaves the square.
        dragged(editor, pixel(0.5, 0.8), pixel(1.3, 1.6));
        const auto& p = editor->curve().points;
        QVERIFY(p[1].x < p[2].x);
        QCOMPARE(p[1].y, 1.0f);
        // Keys move the chosen one; Page Down chooses the next.
        QTest::keyClick(editor, Qt::Key_PageUp);
        QTest::keyClick(editor, Qt::Key_Up, Qt::ShiftModifier);
        QVERIFY(std::abs(editor->curve().points[0].y - 0.1f) < 1e-5f);
        QTest::keyClick(editor, Qt::Key_Down);
        QVERIFY(std::abs(editor->curve().points[0].y - 0.09f) < 1e-5f);
        QTest::keyClick(editor, Qt::Key_Delete);
        QCOMPARE(editor->curve().points.size(), size_t(2));
        QTest::mouseClick(editor, Qt::RightButton, Qt::NoModifier, pixel(1, 1));
        QCOMPARE(editor->curve().points.size(), size_t(1));
        QTest::keyClick(editor, Qt::Key_PageDown);
        QTest::keyClick(editor, Qt::Key_Delete);
        QCOMPARE(editor->curve().points.size(), size_t(1));  // one stays
        QVERIFY(told->last() == editor->curve());
    }

    void opensCurvesLarge() {
        auto* box = show(new CurveBox);
        const auto told = listen<Curve>(box);
        box->setCurve(Curve{{{0, 0}, {0.3f, 0.9f}, {1, 1}}, true});
        QTest::mouseClick(box, Qt::LeftButton);
        auto* popup = box->findChild<QFrame*>("card");
        QVERIFY(popup && popup->isVisible());
        QTest::mouseClick(popup->findChild<QCheckBox*>(), Qt::LeftButton, Qt::NoModifier, QPoint(8, 8));
        QCOMPARE(told->last().smooth, false);
        QCOMPARE(told->last().points.size(), size_t(3));
        QTest::mouseClick(popup->findChild<QPushButton*>(), Qt::LeftButton);
        QCOMPARE(told->last().points.size(), Curve().points.size());
        QCOMPARE(told->finished, 2);
        popup->close();
    }

    void dragsBordersOfShares() {
        auto* bar = show(new MixBar);
        bar->resize(400, bar->height());
        const auto told = listen<PrototypeMix>(bar);
        bar->setMix({{"a", 1}, {"b", 1}, {"c", 2}}, {"A", "B", "C"});
        dragged(bar, QPoint(100, 20), QPoint(150, 20));  // between the first and the second
        QCOMPARE(bar->mix()[0].weight, 1.5);
        QCOMPARE(bar->mix()[1].weight, 0.5);
        QCOMPARE(bar->mix()[2].weight, 2.0);
        QCOMPARE(told->finished, 1);
        dragged(bar, QPoint(150, 20), QPoint(390, 20));  // not past the next border
        QVERIFY(bar->mix()[1].weight > 0);
        QCOMPARE(bar->mix()[0].weight + bar->mix()[1].weight, 2.0);
        dragged(bar, QPoint(300, 20), QPoint(350, 20));  // no border there
        QCOMPARE(bar->mix()[2].weight, 2.0);
        bar->setFocus();
        QTest::mouseClick(bar, Qt::LeftButton, Qt::NoModifier, QPoint(300, 20));
        QTest::keyClick(bar, Qt::Key_Up);
        QVERIFY(std::abs(bar->mix()[2].weight - 2.2) < 1e-12);
        QTest::keyClick(bar, Qt::Key_Right);  // round to the first
        QTest::keyClick(bar, Qt::Key_Delete);
        QCOMPARE(bar->mix().size(), size_t(2));
        QCOMPARE(bar->mix()[0].ref, std::string("b"));
        QTest::keyClick(bar, Qt::Key_Delete);
        QTest::keyClick(bar, Qt::Key_Delete);
        QVERIFY(bar->mix().empty());
        QTest::keyClick(bar, Qt::Key_Delete);  // nothing left, nothing happens
        QTest::mouseClick(bar, Qt::LeftButton);
        bar->grab();
    }

    void showsHowAParameterStands() {
        auto* key = show(new KeyButton);
        Param p;
        p.value = 1.0;
        key->showParam(p, 5);
        QVERIFY(key->state() == KeyButton::State::None);
        const QImage none = key->grab().toImage();
        p.keys = {{3, 1.0, KeyEase::Linear}, {5, 2.0, KeyEase::Linear}};
        key->showParam(p, 5);
        QVERIFY(key->state() == KeyButton::State::Here);
        const QImage here = key->grab().toImage();
        key->showParam(p, 4);
        QVERIFY(key->state() == KeyButton::State::Keyed);
        const QImage keyed = key->grab().toImage();
        QVERIFY(none != here && here != keyed && keyed != none);  // by shape, and not by a tool tip alone
        int clicks = 0;
        connect(key, &KeyButton::clicked, key, [&] { ++clicks; });
        QTest::keyClick(key, Qt::Key_Space);
        QTest::mouseClick(key, Qt::LeftButton);
        QCOMPARE(clicks, 2);
    }

    void colorsGoThereAndBack() {
        for (const Color& c : {Color(0.0f), Color(1.0f), Color(0.18f, 0.5f, 0.02f)}) {
            const Color back = fromScreenColor(toScreenColor(c));
            for (int k = 0; k < 3; ++k) QVERIFY(std::abs(back[k] - c[k]) < 1e-4f);  // sixteen bits a channel
        }
        QCOMPARE(toScreenColor(Color(7.0f, -1.0f, 0.0f)), QColor(255, 0, 0));
    }

    void choosesColors() {
        auto* button = show(new ColorButton);
        button->setColor(Color(0.5f));
        const auto told = listen<Color>(button);
        const auto answer = [](bool take) {
            QTimer::singleShot(0, [take] {
                auto* dialog = qobject_cast<QColorDialog*>(QApplication::activeModalWidget());
                QVERIFY(dialog);
                dialog->setCurrentColor(QColor(255, 0, 0));
                take ? dialog->accept() : dialog->reject();
            });
        };
        answer(false);
        QTest::mouseClick(button, Qt::LeftButton);
        QCOMPARE(button->color(), Color(0.5f));  // let go: as it was
        QCOMPARE(told->last(), Color(0.5f));
        answer(true);
        QTest::mouseClick(button, Qt::LeftButton);
        QCOMPARE(button->color(), Color(1, 0, 0));
        QCOMPARE(told->last(), Color(1, 0, 0));
        QCOMPARE(told->finished, 2);
    }

    void breaksLinesWhereTheyAreFull() {
        auto* row = show(new QWidget);
        auto* flow = new FlowLayout(row, 4);
        flow->setContentsMargins(0, 0, 0, 0);
        std::vector<QWidget*> all;
        for (int i = 0; i < 6; ++i) {
            auto* w = new QWidget;
            w->setFixedSize(60, 20);
            flow->addWidget(w);
            all.push_back(w);
        }
        row->setMinimumSize(0, 0);
        row->resize(200, 200);
        QApplication::processEvents();  // they are shown a moment after they come in
        flow->activate();
        QCOMPARE(all[2]->y(), all[0]->y());  // three to a line
        QVERIFY(all[3]->y() > all[0]->y());
        QCOMPARE(all[3]->x(), all[0]->x());
        QVERIFY(flow->heightForWidth(1000) < flow->heightForWidth(200));
        QVERIFY(flow->heightForWidth(200) < flow->heightForWidth(70));
        delete flow->takeAt(0);
        QCOMPARE(flow->count(), 5);
        QCOMPARE(flow->itemAt(5), nullptr);
        QCOMPARE(flow->takeAt(-1), nullptr);
        delete all[0];
    }

    void tellsErrorsThatEscape() {
        auto& application = dynamic_cast<Application&>(*qApp);
        QStringList told;
        application.tell = [&](const QString& text) { told << text; };
        auto* button = show(new QPushButton("Do it"));
        QObject::connect(button, &QPushButton::clicked, [] { throw Error("there is no such cove"); });
        QTest::mouseClick(button, Qt::LeftButton);
        QTimer::singleShot(0, button, [] { throw std::bad_alloc(); });
        QTRY_COMPARE(told.size(), 2);
        application.tell = nullptr;
        QVERIFY(told[0].contains("no such cove"));
        QVERIFY2(!told[1].contains("bad_alloc"), qPrintable(told[1]));
        QVERIFY(button->isVisible());
    }

  private:
    std::unique_ptr<QWidget> shown_;

    template <class W>
    W* show(W* widget) {
        shown_.reset(widget);
        widget->show();
        (void)QTest::qWaitForWindowExposed(widget);
        QApplication::setActiveWindow(widget);
        widget->setFocus();
        return widget;
    }
    NumberBox* number(const ParamSpec& spec) {
        auto* box = show(new NumberBox(spec));
        box->resize(200, box->height());
        const auto* whole = std::get_if<int64_t>(&spec.initial);
        const double value = whole ? double(*whole) : std::get<double>(spec.initial);
        box->setValue(value);
        box->setDefault(value);
        return box;
    }
};

static const RegisteredTest<WidgetsTest> registered;
#include "widgets_test.moc"
