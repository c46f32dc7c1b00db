// How deep the clouds that wear a material are, from what cannot be seen to a wall.
#pragma once
#include <QWidget>

#include "app/session/controller.h"

class QLabel;
class QPushButton;

namespace ovrix::app {

/// A scale of optical depth.
class DepthScale : public QWidget {
    Q_OBJECT
  public:
    explicit DepthScale(QWidget* parent = nullptr);
    /// @param depth  0 for unknown
    void setDepth(double depth);
    double depth() const { return depth_; }

  protected:
    void paintEvent(QPaintEvent*) override;

  private:
    double at(double depth) const;
    double depth_ = 0.0;
};

/// Follows the checks of the scene. Hidden where no layer wears the material.
class CloudReadout : public QWidget {
    Q_OBJECT
  public:
    explicit CloudReadout(Controller& controller, QWidget* parent = nullptr);
    void follow(const std::string& material);

  private:
    void refresh();
    void fit();
    Controller& controller_;
    std::string material_;
    double thickness_ = 0.0;
    QLabel* text_;
    DepthScale* scale_;
    QPushButton* fit_;
};

}  // namespace ovrix::app
