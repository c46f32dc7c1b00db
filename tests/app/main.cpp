// Runs every class of window tests, or the functions that are named.
#include "app/session/application.h"
#include "app_test.h"

using namespace ovrix::app;

namespace {

bool hasAny(const QObject& test, const QStringList& names) {
    for (const QString& name : names)
        if (test.metaObject()->indexOfMethod(qPrintable(name + "()")) >= 0) return true;
    return false;
}

}  // namespace

int main(int argc, char** argv) {
    QStandardPaths::setTestModeEnabled(true);
    QCoreApplication::setOrganizationName("ovrix-test");
    QCoreApplication::setApplicationName("ovrix-test");
    QSettings().clear();
    Application application(argc, argv);
    applyTheme(application, ThemeKind::Dark, 1.0);

    QStringList options, names;
    for (const QString& argument : application.arguments().mid(1))
        (argument.startsWith('-') ? options : names) << argument;
    int failures = 0, classes = 0;
    for (const auto& make : testClasses()) {
        const auto test = make();
        if (!names.isEmpty() && !hasAny(*test, names)) continue;
        QStringList run{application.arguments()[0]};
        run << options;
        for (const QString& name : names)
            if (test->metaObject()->indexOfMethod(qPrintable(name + "()")) >= 0) run << name;
        failures += QTest::qExec(test.get(), run);
        ++classes;
    }
    if (!classes) qWarning("no test is called %s", qPrintable(names.join(", ")));
    return failures || !classes;
}
