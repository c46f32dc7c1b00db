// The frames of the scene as a ruler: keys, how many are alive, what is kept and baked.
#pragma once
#include <QWidget>
#include <set>

#include "app/session/controller.h"

namespace ovrix::app {

/// The frames: a press or a drag goes there; keys of what is chosen are dragged along; the ends of the loop
/// too.
class FrameRuler : public QWidget {
    Q_OBJECT
  public:
    explicit FrameRuler(Controller& controller, QWidget* parent = nullptr);
    QSize sizeHint() const override;
    /// Where a frame is drawn, in the widget's pixels.
    double xOf(double frame) const;
    /// The middle of the row in which keys are drawn.
    double keyRow() const;

  protected:
    void paintEvent(QPaintEvent*) override;
    void mousePressEvent(QMouseEvent*) override;
    void mouseMoveEvent(QMouseEvent*) override;
    void mouseReleaseEvent(QMouseEvent*) override;
    void contextMenuEvent(QContextMenuEvent*) override;
    void keyPressEvent(QKeyEvent*) override;
    bool event(QEvent*) override;

  private:
    double frameAt(double x) const;
    std::pair<int, int> range() const;
    std::set<double> keyFrames() const;
    std::optional<double> keyNear(const QPointF& at) const;
    const SimulationStatus* simulation() const;
    void paintAlive(QPainter& p, const QRectF& box);
    void paintCache(QPainter& p, const QRectF& box);
    void paintLoop(QPainter& p);
    void paintFrames(QPainter& p, double top);
    void moveKeys(double from, double to);

    Controller& controller_;
    enum class Drag { None, Frame, Key, LoopFrom, LoopTo } drag_ = Drag::None;
    double dragged_ = 0;
};

}  // namespace ovrix::app
