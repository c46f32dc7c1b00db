// Chooses pictures of an image that holds several blades.
#pragma once
#include <QImage>
#include <QWidget>

#include "app/session/controller.h"

class QLabel;

namespace ovrix::app {

/// The image with its pictures, those chosen told by a frame and their number. A click chooses or lets go, a
/// drag does so over several; arrows and Space do too.
class AtlasGrid : public QWidget {
    Q_OBJECT
  public:
    explicit AtlasGrid(QWidget* parent = nullptr);
    void set(const QImage& image, int columns, int rows, const std::vector<int>& chosen);
    QRectF cellRect(int cell) const;

  Q_SIGNALS:
    void changed(const std::vector<int>& chosen);

  protected:
    void paintEvent(QPaintEvent*) override;
    void mousePressEvent(QMouseEvent*) override;
    void mouseMoveEvent(QMouseEvent*) override;
    void mouseReleaseEvent(QMouseEvent*) override;
    void keyPressEvent(QKeyEvent*) override;
    bool hasHeightForWidth() const override { return true; }
    int heightForWidth(int width) const override;
    QSize sizeHint() const override;

  private:
    QRectF picture() const;
    int cellAt(const QPointF& at) const;
    bool isChosen(int cell) const;
    void choose(int cell, bool on);

    QImage image_;
    int columns_ = 1, rows_ = 1, current_ = 0;
    std::vector<int> chosen_, before_;
    bool choosing_ = true;  // what the drag does
};

class AtlasEditor : public QWidget {
    Q_OBJECT
  public:
    AtlasEditor(Controller& controller, std::string blade, QWidget* parent = nullptr);
    void refresh(const std::string& cells);
    AtlasGrid* grid() const { return grid_; }

  Q_SIGNALS:
    void changed(const QString& cells);

  private:
    void loadImage();

    Controller& controller_;
    std::string blade_, file_;
    AtlasGrid* grid_;
    QLabel* text_;
    QImage image_;
};

}  // namespace ovrix::app
