// The program with a window. `ovrix [FILE]` opens a scene; `--picture OUT.png` draws the window into a file
// once the scene is there and a first render is done, and ends.
#include <QCommandLineParser>
#include <QElapsedTimer>
#include <QTimer>
#include <clocale>
#include <cstdio>

#include "app/render/render_pane.h"
#include "app/session/application.h"
#include "app/window/main_window.h"
#include "document/file/session.h"

using namespace ovrix::app;

namespace {

/// Waits for results and some passes, then writes the window.
int drawPicture(QApplication& application, MainWindow& window, const QString& file) {
    window.setUnattended(true);
    window.showRender(true);
    window.renderPane()->setLive(true);
    QElapsedTimer clock;
    clock.start();
    while (clock.elapsed() < 120000 &&
           (window.controller().evaluating() || window.renderPane()->last().pass < 6))
        application.processEvents(QEventLoop::AllEvents, 20);
    window.renderPane()->stop();
    const bool ok = window.grab().save(file);
    if (!ok) std::fprintf(stderr, "ovrix: %s could not be written\n", qPrintable(file));
    return ok ? 0 : 1;
}

}  // namespace

int main(int argc, char** argv) {
    QCoreApplication::setOrganizationName("ovrix");
    QCoreApplication::setApplicationName("ovrix");
    QCoreApplication::setApplicationVersion(OVRIX_VERSION);
    Application application(argc, argv);
    std::setlocale(LC_NUMERIC, "C");  // files hold decimal points whatever the user's language
    QCommandLineParser parser;
    parser.setApplicationDescription(
        "Scatter, groom, simulate and render particles, strands and copies on surfaces.");
    parser.addHelpOption();
    parser.addVersionOption();
    parser.addPositionalArgument("FILE", "A scene (.ovrix) or a mesh to begin with");
    parser.addOption({"picture", "Draw the window into a PNG and end", "OUT.png"});
    parser.process(application);
    const Preferences preferences = Preferences::load();
    applyTheme(application, preferences.theme, preferences.scale);
    MainWindow window;
    application.tell = [&window](const QString& text) { window.controller().say(text, true); };
    window.show();
    const bool picture = parser.isSet("picture");
    window.setUnattended(picture);
    if (!picture) window.controller().files().setAutosaveFolder(ovrix::document::Autosave::userFolder());
    for (const QString& file : parser.positionalArguments()) {
        if (file.endsWith(".ovrix", Qt::CaseInsensitive))
            window.openScene(file);
        else
            window.controller().files().importFile(file);
    }
    if (picture) return drawPicture(application, window, parser.value("picture"));
    QTimer::singleShot(0, &window, &MainWindow::offerRecovery);
    return application.exec();
}
