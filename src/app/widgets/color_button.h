// A colour: a swatch that opens a chooser.
#pragma once
#include <QAbstractButton>
#include <functional>

#include "base/vec.h"

namespace ovrix::app {

class ColorButton : public QAbstractButton {
    Q_OBJECT
  public:
    explicit ColorButton(QWidget* parent = nullptr);
    /// Linear light.
    Color color() const { return color_; }
    void setColor(const Color& color);
    QSize sizeHint() const override;

  Q_SIGNALS:
    void changed(const Color& color, bool dragging);
    void finished();

  protected:
    void paintEvent(QPaintEvent*) override;
    void dragEnterEvent(QDragEnterEvent* e) override;
    void dropEvent(QDropEvent* e) override;

  private:
    void choose();
    Color color_{0.5f};
};

/// Opens the colours until one is taken; @p changed is told each that is looked at, and at last the one
/// before where none was taken.
/// @param before  lives as long as this takes
void chooseColorOf(QWidget* parent, const Color& before, const std::function<void(const Color&)>& changed);

QColor toScreenColor(const Color& linear);
Color fromScreenColor(const QColor& color);

}  // namespace ovrix::app
