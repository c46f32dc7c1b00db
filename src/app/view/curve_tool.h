// Curves drawn and changed in the view.
#pragma once
#include <QPainter>
#include <QWidget>

#include "app/session/controller.h"
#include "app/view/view_port.h"

namespace ovrix::app {

/// A click adds a point to the chosen curve, or begins a new one; a stroke adds points along it; a drag of a
/// point moves it over the surfaces; a press on the line puts a point there. Delete takes the chosen point
/// out, Enter ends the curve. A stroke is one undo.
class CurveTool : public QObject {
    Q_OBJECT
  public:
    CurveTool(Controller& controller, QWidget* view);
    void setActive(bool active);
    bool active() const { return active_; }
    bool press(const QPointF& at, const ViewPort& port);
    bool move(const QPointF& at, const ViewPort& port);
    bool release();
    bool key(int key);
    /// All curves that are shown, and the points of the chosen one while the tool is active.
    void paint(QPainter& painter, const ViewPort& port) const;
    /// The shown curve under a pixel; empty for none.
    std::string curveAt(const QPointF& at, const ViewPort& port) const;

  Q_SIGNALS:
    void changed();

  private:
    const Node* chosenCurve() const;
    std::vector<V3f> points() const;
    std::optional<size_t> pointAt(const QPointF& at, const ViewPort& port) const;
    std::optional<size_t> spanAt(const QPointF& at, const ViewPort& port) const;
    void begin(const V3f& first);
    void change(const QString& label, const std::function<void(std::vector<V3f>&)>& edit);

    Controller& controller_;
    bool active_ = false;
    enum { Nothing, Moving, Drawing } doing_ = Nothing;
    std::optional<size_t> point_;
    QPointF last_;
    int strokes_ = 0;
};

}  // namespace ovrix::app
