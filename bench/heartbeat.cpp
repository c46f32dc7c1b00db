// How long the interface is away at most while it plays and bakes: the longest that one event takes. How long
// the program takes until it is seen, and until a scene is. How long an edit keeps the interface.
//
//     ovrix-heartbeat SCENE LAYER
//     ovrix-heartbeat start [SCENE]
//     ovrix-heartbeat edit SCENE NODE/PARAMETER
//     ovrix-heartbeat paint|comb|elements SCENE LAYER
//
// Painting in OpenGL on a software rasteriser is told apart; on the platform "offscreen" there is none.
#include <unistd.h>
#include <QApplication>
#include <QElapsedTimer>
#include <QStandardPaths>
#include <QTemporaryDir>
#include <QTimer>

#include <cstdio>
#include <fstream>
#include <sstream>

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
        if (dynamic_cast<QMouseEvent*>(event)) worstMouse = std::max(worstMouse, whole - gl);
        if (event->type() == QEvent::MetaCall) worstCall = std::max(worstCall, whole - gl);
        ++events;
        return done;
    }
    void reset() { worst = worstGl = worstMouse = worstCall = 0, events = 0, name.clear(); }
    void report(const char* what) const {
        std::printf("%-8s %6zu events, longest %.1f ms (limit 50; event %s), in OpenGL %.1f ms\n", what,
                    events, worst, qPrintable(name), worstGl);
    }
    ViewWidget* view = nullptr;
    double worst = 0, worstGl = 0;         ///< milliseconds
    double worstMouse = 0, worstCall = 0;  ///< of the mouse's events, and of what worker threads hand over
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

/// Milliseconds since the process began, to the system's hundredth of a second.
double sinceProcessBegan() {
    std::ifstream stat("/proc/self/stat");
    const std::string text((std::istreambuf_iterator<char>(stat)), {});
    std::istringstream fields(text.substr(text.rfind(')') + 2));
    std::string field;
    for (int i = 0; i < 20 && fields; ++i) fields >> field;  // the 22nd of all
    timespec now{};
    clock_gettime(CLOCK_BOOTTIME, &now);
    const double ticks = std::stod(field) / double(sysconf(_SC_CLK_TCK));
    return 1e3 * (double(now.tv_sec) + 1e-9 * double(now.tv_nsec) - ticks);
}

int start(Watched& application, const QString& scene) {
    MainWindow window;
    if (!window.view()) return std::fprintf(stderr, "There is no OpenGL here to draw with\n"), 1;
    application.view = window.view();
    window.setUnattended(true);
    window.resize(1280, 800);
    window.show();
    const auto drawn = [&] { return window.view()->drawSeconds() > 0; };
    while (!drawn()) during(5);
    std::printf("first frame  %6.0f ms (limit 400)\n", sinceProcessBegan());
    if (scene.isEmpty()) return 0;
    Controller& c = window.controller();
    c.files().openScene(scene);
    while (c.results().objects.empty() && c.evaluating()) during(5);
    std::printf("first object %6.0f ms (limit 1500)\n", sinceProcessBegan());
    while (c.evaluating()) during(5);
    during(5);
    std::printf("whole scene  %6.0f ms (limit 3000)\n", sinceProcessBegan());
    application.view = nullptr;
    return 0;
}

void open(MainWindow& window, const QString& scene) {
    window.setUnattended(true);
    window.resize(1280, 800);
    window.show();
    window.controller().files().openScene(scene);
    while (window.controller().evaluating()) during(20);
}

/// The longest and the mean that an edit's own event keeps the interface, and that of its results.
int edits(Watched& application, const QString& scene, const std::string& parameter) {
    MainWindow window;
    open(window, scene);
    Controller& c = window.controller();
    const ParamPath path = ParamPath::parse(c.document(), parameter);
    c.selection().select(path.node);
    during(500);
    application.view = window.view();
    application.reset();
    constexpr int kTimes = 30;
    const double value = std::get<double>(paramAt(c.document(), path).value);
    QElapsedTimer timer;
    double own = 0;
    for (int i = 0; i < kTimes; ++i) {
        timer.start();
        c.setValue(path, value * (1 + 1e-3 * i), true);
        own += double(timer.nsecsElapsed()) * 1e-6 / kTimes;
        while (c.evaluating()) during(5);
        during(20);
    }
    std::printf("edit: %.2f ms in the interface, mean of %d\n", own, kTimes);
    application.report("results");
    application.view = nullptr;
    return 0;
}

/// The first painted source among a layer's fields.
ParamPath paintedSource(const Document& document, const std::string& layer) {
    for (const Step& step : document.get(layer).steps)
        for (const auto& [id, param] : step.params)
            for (size_t i = 0; param.field && i < param.field->sources.size(); ++i)
                if (isPainted(param.field->sources[i])) return {layer, step.id, id, int(i), "map"};
    throw Error("has no painted mask", layer, "Name another layer");
}

/// Where in the view a tool meets what it works on: the middle one of those places that are seen.
QPointF target(MainWindow& window, const std::string& layer, const std::string& tool) {
    Controller& c = window.controller();
    std::vector<V3f> places;
    const auto& made = c.results().layers.at(layer).geometry;
    if (const auto* copies = std::get_if<std::shared_ptr<const Copies>>(&made);
        copies && tool == "elements") {
        const auto p = (*copies)->attributes.find<V3f>("P");
        places.assign(p.begin(), p.end());
    } else if (const auto& overlay = c.results().overlay; overlay && overlay->ground) {
        std::vector<Surface::Sample> samples(400);
        overlay->ground->sample(1, 0, samples.size(), samples.data());
        for (const auto& s : samples) places.push_back(s.position);
    }
    const QPointF middle = QRectF(window.view()->rect()).center();
    QPointF best = middle;
    double least = 1e9;
    for (const V3f& p : places)
        if (const auto at = window.view()->project(p))
            if (const double away = QLineF(*at, middle).length(); away < least) least = away, best = *at;
    return best;
}

void mouse(QWidget* to, QEvent::Type type, const QPointF& at, bool down) {
    QMouseEvent event(type, at, to->mapToGlobal(at),
                      type == QEvent::MouseMove ? Qt::NoButton : Qt::LeftButton,
                      down ? Qt::LeftButton : Qt::NoButton, Qt::NoModifier);
    QApplication::sendEvent(to, &event);
}

/// Strokes over the middle of the view, at the pace of a hand.
int tools(Watched& application, const QString& scene, const std::string& layer, const std::string& tool) {
    MainWindow window;
    open(window, scene);
    Controller& c = window.controller();
    c.selection().select(layer);
    if (tool == "paint")
        c.selection().setPainting(paintedSource(c.document(), layer));
    else
        window.view()->setTool(tool == "comb" ? Tool::Comb : Tool::Elements);
    window.view()->frameSelected();
    during(500);
    while (c.evaluating()) during(20);
    during(300);
    application.view = window.view();
    application.reset();
    const QPointF middle = target(window, layer, tool);
    size_t changes = 0;
    const auto counted =
        QObject::connect(&c, &Controller::documentChanged, [&changes](const DocumentChanges&) { ++changes; });
    constexpr int kMoves = 12;
    for (int stroke = 0; stroke < 2; ++stroke) {
        const auto at = [&](int k) { return middle + QPointF(9 * k, 25 * stroke); };
        mouse(window.view(), QEvent::MouseButtonPress, at(0), true);
        for (int k = 1; k <= kMoves; ++k) {
            mouse(window.view(), QEvent::MouseMove, at(k), true);
            during(10);
        }
        mouse(window.view(), QEvent::MouseButtonRelease, at(kMoves), false);
    }
    while (c.evaluating()) during(20);
    std::printf("%-8s longest of the mouse %.1f ms, of what threads hand over %.1f ms (limit 50)\n",
                tool.c_str(), application.worstMouse, application.worstCall);
    QObject::disconnect(counted);
    std::printf("         %zu changes of the document\n", changes);
    application.view = nullptr;
    return 0;
}

}  // namespace

int main(int argc, char** argv) {
    if (argc < 2) return std::fprintf(stderr, "ovrix-heartbeat SCENE LAYER\n"), 2;
    QStandardPaths::setTestModeEnabled(true);
    Watched application(argc, argv);
    applyTheme(application, ThemeKind::Dark, 1.0);
    const std::string what = argv[1];
    QTimer pulse;  // so that there is always an event to wait for
    pulse.start(5);
    if (what == "start") return start(application, argc > 2 ? argv[2] : "");
    if (what == "edit" && argc == 4) return edits(application, argv[2], argv[3]);
    if (argc == 4 && (what == "paint" || what == "comb" || what == "elements"))
        return tools(application, argv[2], argv[3], what);
    if (argc != 3) return std::fprintf(stderr, "ovrix-heartbeat SCENE LAYER\n"), 2;
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
    window.controller().files().openScene(scene);
    while (window.controller().evaluating()) during(50);
    window.controller().selection().select(argv[2]);
    during(1000);
    application.view = window.view();
    application.reset();
    window.controller().clock().setPlaying(true);
    during(6000);
    application.report("playing");
    window.controller().clock().setPlaying(false);
    during(300);
    application.reset();
    window.controller().bakeLayer(argv[2]);
    during(6000);
    application.report("baking");
    application.reset();
    window.controller().clock().setPlaying(true);
    during(6000);
    application.report("both");
    application.view = nullptr;
    window.controller().clock().setPlaying(false);
    window.controller().bakes().cancel();
    return 0;
}
