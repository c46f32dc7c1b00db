// The small windows: command search, preferences, shortcuts, checks.
#pragma once
#include <QDialog>
#include <QFrame>

#include "app/session/command.h"
#include "app/session/controller.h"
#include "app/theme/theme.h"

namespace ovrix::app {

/// A dialog's size, but no larger than the window that it belongs to: at large scales its lists scroll.
QSize withinWindow(const QWidget* parent, const QSize& wanted);

/// Asks by a dialog of ours; the place of the answer among the choices. The last changes nothing: it is what
/// closing the dialog means. @p offered  which Enter takes
int ask(QWidget* parent, const QString& title, const QString& text, const QStringList& choices,
        int offered = 0);

/// Type to find a command, Enter runs it.
class CommandSearch : public QFrame {
    Q_OBJECT
  public:
    CommandSearch(const std::vector<Command>& commands, QWidget* parent);
};

struct Preferences {
    ThemeKind theme = ThemeKind::Dark;
    double scale = 1.0;
    double memoryGb = 8.0;  ///< for new scenes, and offered for the open one
    int threads = 0;        ///< 0 for all
    static Preferences load();
    void save() const;
};

class PreferencesDialog : public QDialog {
    Q_OBJECT
  public:
    PreferencesDialog(const Preferences& now, QWidget* parent);

  Q_SIGNALS:
    /// While choosing, so that the effect is seen.
    void changed(const Preferences& preferences);

  private:
    Preferences now_;
};

class ShortcutsPage : public QDialog {
    Q_OBJECT
  public:
    ShortcutsPage(const std::vector<Command>& commands, QWidget* parent);
};

/// The list of checks, each with Show and, where it can, Fix.
class ChecksPopup : public QFrame {
    Q_OBJECT
  public:
    ChecksPopup(Controller& controller, QWidget* parent);

  private:
    void rebuild();
    Controller& controller_;
};

}  // namespace ovrix::app
