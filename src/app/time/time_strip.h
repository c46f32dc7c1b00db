// The strip of time: transport, the ruler of frames, what is played, and bakes.
#pragma once
#include "app/time/frame_ruler.h"

class QPushButton;
class QToolButton;

namespace ovrix::app {

class NumberBox;

class TimeStrip : public QWidget {
    Q_OBJECT
  public:
    explicit TimeStrip(Controller& controller, QWidget* parent = nullptr);
    FrameRuler* ruler() { return ruler_; }
    QPushButton* bakeButton() { return bake_; }
    void step(int frames);

  Q_SIGNALS:
    void curvesToggled(bool shown);
    void queueToggled(bool shown);

  private:
    void refresh();
    void refreshBake();
    void fillBakeMenu(class QMenu& menu);
    void listen();
    void makeFrameBox();
    NumberBox* settingBox(const char* id, const QString& tip);

    Controller& controller_;
    FrameRuler* ruler_;
    NumberBox *frame_, *first_, *last_;
    QToolButton *play_, *curves_, *queue_;
    QPushButton* bake_;
};

}  // namespace ovrix::app
