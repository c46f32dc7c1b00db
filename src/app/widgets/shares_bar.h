// Prototypes and their shares: one bar with borders to drag.
#pragma once
#include <QWidget>

#include "params/value.h"

namespace ovrix::app {

class SharesBar : public QWidget {
    Q_OBJECT
  public:
    explicit SharesBar(QWidget* parent = nullptr);
    /// @param names  one per share, as shown
    void setShares(const Shares& shares, const QStringList& names);
    const Shares& shares() const { return shares_; }
    QSize sizeHint() const override;

  Q_SIGNALS:
    void changed(const Shares& shares, bool dragging);
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
    Shares shares_;
    QStringList names_;
    int dragged_ = -1, chosen_ = 0;
};

}  // namespace ovrix::app
