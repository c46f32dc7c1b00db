// Handles to move, turn and scale the selected node in the view.
#pragma once
#include <QPainter>
#include <functional>
#include <optional>

#include "app/session/controller.h"
#include "app/view/view_port.h"

namespace ovrix::app {

enum class Tool { Select, Move, Turn, Scale, Elements, Curves, Comb, Light };

class Handles {
  public:
    explicit Handles(Controller& controller) : controller_(controller) {}
    void setTool(Tool tool) { tool_ = tool; }
    Tool tool() const { return tool_; }
    /// @param unit  world length of some 80 pixels at the node
    void paint(QPainter& painter, const Projection& project, float unit) const;
    /// True when a handle is under the mouse; the drag begins.
    bool press(const QPointF& at, const Projection& project, float unit);
    bool drag(const QPointF& to, const Projection& project, bool fine);
    bool release();
    bool dragging() const { return axis_ >= 0; }
    /// Where the handles of a node stand; nothing when it has none.
    std::optional<V3f> origin() const;

  private:
    V3f axis(int i) const;
    bool usable() const;
    int axisAt(const QPointF& at, const Projection& project, float unit) const;
    std::vector<V3f> ring(int i, float unit) const;

    Controller& controller_;
    Tool tool_ = Tool::Select;
    int axis_ = -1;
    QPointF last_;
    float unit_ = 1;
};

}  // namespace ovrix::app
