// Lights that are aimed by where they shall be seen.
#pragma once
#include <QPainter>
#include <QWidget>

#include "app/session/controller.h"
#include "app/view/view_port.h"

namespace ovrix::app {

/// A drag over things puts the chosen light's highlight under the mouse; with Shift the shadow of what was
/// pressed.
class LightTool : public QObject {
    Q_OBJECT
  public:
    LightTool(Controller& controller, QWidget* view);
    void setActive(bool active);
    bool press(const QPointF& at, Qt::KeyboardModifiers modifiers, const ViewPort& port);
    bool move(const QPointF& at, const ViewPort& port);
    bool release();
    void paint(QPainter& painter, const ViewPort& port) const;

  private:
    bool aim(const QPointF& at, const ViewPort& port);

    Controller& controller_;
    bool active_ = false, dragging_ = false;
    std::optional<V3f> shadowOf_, place_;
};

}  // namespace ovrix::app
