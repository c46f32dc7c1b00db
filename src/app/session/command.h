// Everything that can be done, in one list: menus, shortcuts, the search and the page of shortcuts read it.
#pragma once
#include <QKeySequence>
#include <QString>
#include <functional>
#include <vector>

namespace ovrix::app {

struct Command {
    QString id, title, help;
    QKeySequence keys;
    std::function<void()> run;
    std::function<bool()> enabled = [] { return true; };
};

}  // namespace ovrix::app
