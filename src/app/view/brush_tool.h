// Painting the mask of a layer on its surface.
#pragma once
#include <QPainter>
#include <QWidget>

#include "app/session/controller.h"
#include "app/view/brush_look.h"
#include "app/view/stroke_queue.h"
#include "field/paint.h"

class QButtonGroup;

namespace ovrix::app {

/// The strip of modes and numbers over the view while a mask is painted.
class BrushStrip : public QWidget {
    Q_OBJECT
  public:
    BrushStrip(Brush& brush, QWidget* parent);
    /// Shows what the brush is now.
    void refresh();

  Q_SIGNALS:
    void changed();
    void flood();
    void done();

  private:
    Brush& brush_;
    QButtonGroup* modes_;
    BrushNumbers numbers_;
    QCheckBox* mirror_;
};

class BrushTool : public QObject {
    Q_OBJECT
  public:
    BrushTool(Controller& controller, QWidget* view);
    /// A painted source is being worked on.
    bool active() const { return !controller_.selection().painting().node.empty(); }
    /// Each true when the tool took the event.
    bool press(const QPointF& at, Qt::KeyboardModifiers modifiers, float pressure, const ViewPort& port);
    bool move(const QPointF& at, Qt::KeyboardModifiers modifiers, float pressure, bool down,
              const ViewPort& port);
    bool release();
    bool key(int key);
    void leave() { hover_.reset(); }
    void paint(QPainter& painter, const ViewPort& port) const;
    const Brush& brush() const { return brush_; }
    void layOut(const QSize& view);

  Q_SIGNALS:
    void changed();

  private:
    /// One touch, with the brush as it was then.
    struct Touch {
        Brush brush;
        Dab dab;
    };
    SurfacePtr ground() const;
    void beginStroke(const QString& label, bool merges);
    std::optional<Dab> dabAt(const QPointF& at, float pressure, const ViewPort& port) const;
    void touch(const Dab& dab, Qt::KeyboardModifiers modifiers);
    void sizeBy(const QPointF& delta);

    Controller& controller_;
    StrokeQueue<Touch, MapValue> queue_;
    // Of the stroke that the queue is at.
    ParamPath source_;
    QString label_;
    bool merges_ = true;
    Brush brush_;
    BrushStrip* strip_;
    std::optional<Dab> hover_, last_;
    bool down_ = false, sizing_ = false;
    QPointF at_;
};

}  // namespace ovrix::app
