// The colours that a field walks through: a bar with stops to drag.
#pragma once
#include <QWidget>

#include "params/ramp.h"

namespace ovrix::app {

/// A double click sets a stop, or opens the colours of one; a stop that is dragged far off the bar, or
/// deleted, is gone. Arrows move the chosen one, Tab leaves.
class RampBar : public QWidget {
    Q_OBJECT
  public:
    explicit RampBar(QWidget* parent = nullptr);
    /// @param low, high  the colours at its ends, which are set elsewhere
    void setRamp(const Ramp& ramp, const Color& low, const Color& high);
    const Ramp& ramp() const { return ramp_; }
    /// Where a stop stands in the widget.
    QPoint stopAt(size_t index) const;
    QSize sizeHint() const override;

  Q_SIGNALS:
    void changed(const Ramp& ramp, bool dragging);
    void finished();

  protected:
    void paintEvent(QPaintEvent*) override;
    void mousePressEvent(QMouseEvent*) override;
    void mouseMoveEvent(QMouseEvent*) override;
    void mouseReleaseEvent(QMouseEvent*) override;
    void mouseDoubleClickEvent(QMouseEvent*) override;
    void contextMenuEvent(QContextMenuEvent*) override;
    void keyPressEvent(QKeyEvent*) override;

  private:
    QRect bar() const;
    float placeAt(double x) const;
    int indexAt(const QPointF& p) const;
    void move(float to);
    void remove();
    void add(float at);
    void chooseColor();
    void put(const Ramp& ramp, bool dragging);

    Ramp ramp_;
    Color low_{0.0f}, high_{1.0f};
    int chosen_ = -1;
    bool dragging_ = false, off_ = false;
};

}  // namespace ovrix::app
