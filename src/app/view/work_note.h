// What is still worked on, in the view.
#pragma once
#include <QWidget>

#include "app/session/controller.h"

namespace ovrix::app {

/// A line at the top of the view, once work takes long enough to wonder: what, how far, and for how long. A
/// widget of its own, so that the scene behind need not be drawn again for it.
class WorkNote : public QWidget {
  public:
    WorkNote(const Controller& controller, QWidget* view);

  protected:
    void paintEvent(QPaintEvent*) override;

  private:
    void refresh();
    const Controller& controller_;
    QString text_;
};

}  // namespace ovrix::app
