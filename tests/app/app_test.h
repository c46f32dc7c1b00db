// A real window to drive with real events.
#pragma once
#include <QtTest>
#include <QtWidgets>
#include <memory>

#include "app/outline/outline.h"
#include "app/recipe/recipe_panel.h"
#include "app/render/render_pane.h"
#include "app/theme/theme.h"
#include "app/view/view_widget.h"
#include "app/widgets/curve_box.h"
#include "app/widgets/mix_bar.h"
#include "app/widgets/number_box.h"
#include "app/window/main_window.h"
#include "document/file/scene_file.h"
#include "geo/mesh/primitives.h"
#include "io/image/image_io.h"
#include "io/mesh/mesh_writer.h"

namespace ovrix::app {

class Driver {
  public:
    Driver() {
        window.setUnattended(true);
        window.resize(1280, 800);
        window.show();
        (void)QTest::qWaitForWindowExposed(&window);
        QApplication::setActiveWindow(&window);  // there is no window manager here: shortcuts need it
        settle();
    }
    ~Driver() { window.renderPane()->stop(); }

    /// Until nothing is being evaluated and the events are through.
    void settle() {
        for (int i = 0; i < 400; ++i) {
            QApplication::processEvents(QEventLoop::AllEvents, 5);
            if (!window.controller().evaluating() && i > 2) break;
            QTest::qWait(5);
        }
        QApplication::processEvents();
    }
    /// @param milliseconds  at most; more where every access is watched
    bool waitFor(const std::function<bool()>& condition, int milliseconds = 20000) {
#ifdef __SANITIZE_ADDRESS__
        milliseconds *= 10;
#endif
        return QTest::qWaitFor(condition, milliseconds);
    }

    const Document& document() { return window.controller().document(); }
    Value value(const std::string& path) {
        return paramAt(document(), ParamPath::parse(document(), path)).value;
    }
    /// The first widget of a type inside the row of a parameter.
    template <class W>
    W* editor(const std::string& path) {
        QWidget* row = window.recipe()->findChild<QWidget*>("param:" + QString::fromStdString(path));
        return row ? row->findChild<W*>() : nullptr;
    }
    /// Drops a file on the window.
    void drop(const QString& file) {
        QMimeData mime;
        mime.setUrls({QUrl::fromLocalFile(file)});
        dropAt(mime, {500, 300});
    }
    void dropAt(const QMimeData& mime, const QPoint& at) {
        QDragEnterEvent enter(at, Qt::CopyAction, &mime, Qt::LeftButton, Qt::NoModifier);
        QApplication::sendEvent(&window, &enter);
        QVERIFY2(enter.isAccepted(), "the window takes what is dragged");
        QDropEvent event(QPointF(at), Qt::CopyAction, &mime, Qt::LeftButton, Qt::NoModifier);
        QApplication::sendEvent(&window, &event);
        settle();
    }
    void dragBox(QWidget* box, int by, Qt::KeyboardModifiers modifiers = Qt::NoModifier) {
        const QPoint from = box->rect().center();
        QTest::mousePress(box, Qt::LeftButton, modifiers, from);
        for (int i = 1; i <= 10; ++i) {
            QMouseEvent move(QEvent::MouseMove, QPointF(from) + QPointF(by * i / 10.0, 0),
                             box->mapToGlobal(QPointF(from) + QPointF(by * i / 10.0, 0)), Qt::NoButton,
                             Qt::LeftButton, modifiers);
            QApplication::sendEvent(box, &move);
        }
        QTest::mouseRelease(box, Qt::LeftButton, modifiers, from + QPoint(by, 0));
        settle();
    }

    MainWindow window;
};

/// A window and a folder of its own for every test, and a layer of balls on a ground for those that ask.
class WindowFixture : public QObject {
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

  protected:
    QString path(const char* name) { return folder->filePath(name); }
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
        c.selection().select(kLayer);
        driver->settle();
    }
    static constexpr const char* kLayer = "ball_on_ground";
    std::string in(const char* rest) { return std::string(kLayer) + "/" + rest; }
    /// What @p act makes of the question that @p run asks; whether one was asked.
    bool answered(const std::function<void()>& run, const std::function<void(QDialog&)>& act) {
        bool seen = false;
        QTimer timer;
        timer.setInterval(20);
        connect(&timer, &QTimer::timeout, this, [&] {
            auto* dialog = qobject_cast<QDialog*>(QApplication::activeModalWidget());
            if (!dialog || dialog->objectName() != "ask") return;
            timer.stop();
            seen = true;
            act(*dialog);
        });
        timer.start();
        run();
        return seen;
    }
    static QPushButton* choice(QDialog& dialog, const QString& text) {
        for (QPushButton* b : dialog.findChildren<QPushButton*>())
            if (b->text() == text) return b;
        return nullptr;
    }
    size_t elements() {
        return elementCount(driver->window.controller().results().layers.at(kLayer).geometry);
    }

    std::unique_ptr<QTemporaryDir> folder;
    std::unique_ptr<Driver> driver;
};

/// The test classes of the program, each put in by its own file.
inline std::vector<std::function<std::unique_ptr<QObject>()>>& testClasses() {
    static std::vector<std::function<std::unique_ptr<QObject>()>> classes;
    return classes;
}

template <class Test>
struct RegisteredTest {
    RegisteredTest() {
        testClasses().push_back([] { return std::make_unique<Test>(); });
    }
};

}  // namespace ovrix::app
