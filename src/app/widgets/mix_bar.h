// Prototypes and their shares: one bar with borders to drag.
#pragma once
#include <QWidget>

#include "params/value.h"

namespace ovrix::app {

class MixBar : public QWidget {
    Q_OBJECT
  public:
    explicit MixBar(QWidget* parent = nullptr);
    /// @param names  one per share, as shown
    void setMix(const PrototypeMix& mix, const QStringList& names);
    const PrototypeMix& mix() const { return mix_; }
    QSize sizeHint() const override;

  Q_SIGNALS:
    void changed(const PrototypeMix& mix, bool dragging);
    void finished();

  protected:
    void paintEvent(QPaintEvent*) override;
    void mousePressEvent(QMouseEvent*) override;
    void mouseMoveEvent(QMouseEvent*) override;
    void mouseReleaseEvent(QMouseEvent*) override;
    void contextMenuEvent(QContextMenuEvent*) override;
    void keyPressEvent(QKeyEvent*) override;
    bool event(QEvent*) override;

  private:
    double total() const;
    double borderX(size_t i) const;  ///< right end of part i
    int borderAt(double x) const;
    int partAt(double x) const;
    void moveBorder(size_t i, double x);
    void remove(size_t i);
    PrototypeMix mix_;
    QStringList names_;
    int dragged_ = -1, chosen_ = 0;
};

}  // namespace ovrix::app
