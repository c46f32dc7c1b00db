// Painting where a step of the finish counts, on the rendered picture.
#pragma once
#include <QWidget>

#include "app/session/controller.h"

class QButtonGroup;

namespace ovrix::app {

class NumberBox;
class PictureArea;

/// The strip of modes and numbers over the picture, and the strokes that are made with it. It is there while
/// the selection says what is painted.
class MaskBrush : public QWidget {
    Q_OBJECT
  public:
    MaskBrush(Controller& controller, PictureArea* picture);

  private:
    void follow();
    /// Takes the mouse's way over the picture. @p begins a stroke, or goes on with one
    void touch(const QPointF& place, bool begins, Qt::KeyboardModifiers modifiers);
    void end();
    void key(int key);
    void showMask();
    void showNumbers();

    Controller& controller_;
    PictureArea* picture_;
    QButtonGroup* modes_;
    NumberBox *size_, *soft_;
    PictureStroke brush_;  ///< without points: what the next stroke is like
    PictureStrokes before_;
    PictureStroke stroke_;  ///< that is being made
    bool down_ = false;
};

}  // namespace ovrix::app
