// How long the interface is away at most while it plays and bakes: the longest that one event takes.
//
//     ovrix-heartbeat SCENE LAYER
//
// Painting in OpenGL on a software rasteriser is told apart; on the platform "offscreen" there is none.
#include <QApplication>
#include <QElapsedTimer>
#include <QStandardPaths>
#include <QTemporaryDir>
#include <QTimer>
#include <cstdio>

#include "app/view/view_widget.h"
#include "app/window/main_window.h"
#include "document/file/scene_file.h"

using namespace ovrix::deliver;
using namespace ovrix::app;

namespace {

/// Tells how long each event took, those within it apart.
class Watched : public QApplication {
  public:
    using QApplication::QApplication;
    bool notify(QObject* to, QEvent* event) override {
        if (depth_++ > 0) {
            const bool done = QApplication::notify(to, event);
            --depth_;
            return done;
        }
        const double painted = view ? view->drawSeconds() : 0;
        QElapsedTimer timer;
        timer.start();
        const bool done = QApplication::notify(to, event);
        const double whole = double(timer.nsecsElapsed()) * 1e-6;
        const double gl = view ? (view->drawSeconds() - painted) * 1e3 : 0;
        --depth_;
        if (whole - gl > worst) {
            worst = whole - gl;
            name = QString("%1 of %2").arg(int(event->type())).arg(to->metaObject()->className());
        }
        worstGl = std::max(worstGl, gl);
        ++events;
        return done;
    }
    void reset() { worst = worstGl = 0, events = 0, name.clear(); }
    void report(const char* what) const {
        std::printf("%-8s %6zu events, longest %.1f ms (limit 50; event %s), in OpenGL %.1f ms\n", what,
                    events, worst, qPrintable(name), worstGl);
    }
    ViewWidget* view = nullptr;
    double worst = 0, worstGl = 0;  ///< milliseconds
    size_t events = 0;
    QString name;

  private:
    int depth_ = 0;
};

void during(int milliseconds) {
    QElapsedTimer timer;
    timer.start();
    while (timer.elapsed() < milliseconds) QApplication::processEvents(QEventLoop::WaitForMoreEvents, 5);
}

}  // namespace

int main(int argc, char** argv) {
    if (argc < 3) return std::fprintf(stderr, "ovrix-heartbeat SCENE LAYER\n"), 2;
    QStandardPaths::setTestModeEnabled(true);
    Watched application(argc, argv);
    applyTheme(application, ThemeKind::Dark, 1.0);
    MainWindow window;
    window.setUnattended(true);
    window.resize(1280, 800);
    window.show();
    // A copy, so that what is baked here lies nowhere else.
    QTemporaryDir folder;
    const QString scene = folder.filePath("scene.ovrix");
    const std::filesystem::path from = argv[1];
    saveScene(rebasePaths(loadScene(from), std::filesystem::absolute(from).parent_path(),
                          folder.path().toStdString()),
              scene.toStdString());
    QTimer beat;  // so that there is always an event to wait for
    beat.start(5);
    window.controller().openScene(scene);
    while (window.controller().evaluating()) during(50);
    window.controller().select(argv[2]);
    during(1000);
    application.view = window.view();
    application.reset();
    window.controller().setPlaying(true);
    during(6000);
    application.report("playing");
    window.controller().setPlaying(false);
    during(300);
    application.reset();
    window.controller().bakeLayer(argv[2]);
    during(6000);
    application.report("baking");
    application.reset();
    window.controller().setPlaying(true);
    during(6000);
    application.report("both");
    application.view = nullptr;
    window.controller().setPlaying(false);
    window.controller().bakes().cancel();
    return 0;
}
