// A button with a menu of things of which any may be chosen; it stays open while they are.
#pragma once
#include <QToolButton>

#include "params/value.h"

namespace ovrix::app {

class ChoicesButton : public QToolButton {
    Q_OBJECT
  public:
    /// @param choices  as they are in the value; shown with spaces for underscores
    ChoicesButton(const std::vector<std::string>& choices, QWidget* parent = nullptr);
    void setChosen(const Refs& chosen);

  Q_SIGNALS:
    void changed(const Refs& chosen);

  private:
    void paintEvent(QPaintEvent*) override;
    bool eventFilter(QObject* watched, QEvent* event) override;
    void tell();
    QMenu* menu_;
};

}  // namespace ovrix::app
