// The chosen material as it looks, above its parameters.
#pragma once
#include <QWidget>

#include "app/session/controller.h"
#include "app/session/render_worker.h"

namespace ovrix::app {

/// A picture of a material on a ball or as strands, made beside the work and again whenever it changes. It is
/// dragged on what shall wear it.
class MaterialSwatch : public QWidget {
    Q_OBJECT
  public:
    explicit MaterialSwatch(Controller& controller, QWidget* parent = nullptr);
    /// The material of the document as it is now; what has not changed is not made again.
    void follow(const Node& material);
    /// What is seen; null before there is anything.
    const QImage& image() const { return image_; }
    bool busy() const { return worker_.busy(); }

  protected:
    void paintEvent(QPaintEvent*) override;
    void resizeEvent(QResizeEvent*) override;
    void showEvent(QShowEvent*) override;
    void hideEvent(QHideEvent*) override;
    void mousePressEvent(QMouseEvent*) override;
    void mouseMoveEvent(QMouseEvent*) override;

  private:
    void make();
    void onUpdate(const RenderUpdate& update);

    Controller& controller_;
    std::string material_;
    Document parts_;   ///< the material of which the picture is, with what it refers to
    ParamMap screen_;  // of the finish, as it was made
    QSize size_;
    double frame_ = 0;
    QImage image_;
    QString state_;
    QPoint pressed_;
    Evaluator evaluator_;
    RenderWorker worker_;  // last: it ends first
};

}  // namespace ovrix::app
