#include "app/session/application.h"

#include <cstdio>

#include "base/error.h"

namespace ovrix::app {

bool Application::notify(QObject* receiver, QEvent* event) {
    QString text;
    try {
        return QApplication::notify(receiver, event);
    } catch (const Cancelled&) {
        return false;
    } catch (const std::exception& e) {
        text = QString::fromStdString(problemOf(e));
    }
    if (tell)
        tell(text);
    else
        std::fprintf(stderr, "ovrix: %s\n", qPrintable(text));
    return false;
}

}  // namespace ovrix::app
