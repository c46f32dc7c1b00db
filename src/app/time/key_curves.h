// Keys as curves: several at once, with a list of them and what can be done with them.
#pragma once
#include "app/time/key_canvas.h"

class QComboBox;
class QHBoxLayout;
class QListWidget;

namespace ovrix::app {

class KeyCurves : public QWidget {
    Q_OBJECT
  public:
    explicit KeyCurves(Controller& controller, QWidget* parent = nullptr);
    KeyCanvas* canvas() { return canvas_; }
    QListWidget* list() { return list_; }

  private:
    void fillBar(QHBoxLayout& bar);
    void refresh();

    Controller& controller_;
    KeyCanvas* canvas_;
    QListWidget* list_;
    QComboBox* repeat_;
    std::string node_;
};

}  // namespace ovrix::app
