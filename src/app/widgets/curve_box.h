// A remap curve: small in its row; a click opens it large, with points to drag.
#pragma once
#include <QWidget>

#include "params/curve.h"

namespace ovrix::app {

/// The large curve. Drag points; click the line for a new one; Delete or a click with the right button
/// removes one; arrow keys move the chosen one.
class CurveEditor : public QWidget {
    Q_OBJECT
  public:
    explicit CurveEditor(QWidget* parent = nullptr);
    const Curve& curve() const { return curve_; }
    void setCurve(const Curve& curve);
    /// Whether what goes from left to right are hues, which are shown then.
    void setOfHues(bool on) { ofHues_ = on; }
    QSize sizeHint() const override;

  Q_SIGNALS:
    void changed(const Curve& curve, bool dragging);
    void finished();

  protected:
    void paintEvent(QPaintEvent*) override;
    void mousePressEvent(QMouseEvent*) override;
    void mouseMoveEvent(QMouseEvent*) override;
    void mouseReleaseEvent(QMouseEvent*) override;
    void keyPressEvent(QKeyEvent*) override;

  private:
    void paintHues(QPainter& p) const;
    QRectF area() const;
    QPointF toScreen(const V2f& p) const;
    V2f fromScreen(const QPointF& p) const;
    int pointAt(const QPointF& p) const;
    void moveChosen(const V2f& to, bool dragging);
    void removeChosen();
    Curve curve_;
    int chosen_ = -1;
    bool dragging_ = false, ofHues_ = false;
};

class CurveBox : public QWidget {
    Q_OBJECT
  public:
    explicit CurveBox(QWidget* parent = nullptr);
    void setCurve(const Curve& curve);
    /// @param usual  the curve that changes nothing  @param ofHues  see CurveEditor
    void setUsual(const Curve& usual, bool ofHues) { usual_ = usual, ofHues_ = ofHues; }
    QSize sizeHint() const override;

  Q_SIGNALS:
    void changed(const Curve& curve, bool dragging);
    void finished();

  protected:
    void paintEvent(QPaintEvent*) override;
    void mousePressEvent(QMouseEvent*) override;
    void keyPressEvent(QKeyEvent*) override;

  private:
    void open();
    Curve curve_, usual_;
    bool ofHues_ = false;
};

}  // namespace ovrix::app
