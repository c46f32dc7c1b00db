// Single elements of a layer, chosen and changed in the view.
#pragma once
#include <QPainter>
#include <QWidget>

#include "app/session/controller.h"
#include "app/view/view_port.h"
#include "eval/manual_work.h"

namespace ovrix::app {

/// Click chooses, drag moves along the surface, with Shift turns, with Ctrl sizes; Delete takes out; a
/// double click places a new one; the menu replaces, makes real and gives back to the recipe.
class ElementTool : public QObject {
    Q_OBJECT
  public:
    ElementTool(Controller& controller, QWidget* view);
    void setActive(bool active);
    bool active() const { return active_; }
    bool press(const QPointF& at, Qt::KeyboardModifiers modifiers, const ViewPort& port);
    bool move(const QPointF& at, Qt::KeyboardModifiers modifiers, const ViewPort& port);
    bool release();
    bool doubleClick(const QPointF& at, const ViewPort& port);
    bool key(int key);
    bool menu(const QPointF& at, const QPoint& global, const ViewPort& port);
    void paint(QPainter& painter, const ViewPort& port) const;
    /// The chosen element; nothing when none is, or it is no longer there.
    std::optional<uint64_t> chosen() const;

  Q_SIGNALS:
    void changed();

  private:
    std::shared_ptr<const Copies> copies() const;
    std::vector<Box3f> boxes(const Copies& copies) const;
    SurfacePtr ground() const;
    bool chooseAt(const QPointF& at, const ViewPort& port);
    std::optional<size_t> indexOfChosen(const Copies& copies) const;
    void change(const QString& label, const std::function<void(ManualEdit&)>& edit, bool dragging = false);
    void removeChosen();
    void makeReal();
    void giveBack();

    Controller& controller_;
    bool active_ = false, dragging_ = false;
    std::string layer_;
    std::optional<uint64_t> id_;
    QPointF last_;
    ManualEdit start_;
    V3f startPlace_{0, 0, 0};
};

}  // namespace ovrix::app
