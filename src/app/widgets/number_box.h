// A number: drag to change, click or type for arithmetic and units, double-click for the default.
#pragma once
#include <QWidget>

#include "params/value.h"

class QLineEdit;

namespace ovrix::app {

class NumberBox : public QWidget {
    Q_OBJECT
  public:
    explicit NumberBox(const ParamSpec& spec, QWidget* parent = nullptr);
    double value() const { return value_; }
    /// Shows a value without telling anybody.
    void setValue(double value);
    void setDefault(double value) { default_ = value; }
    /// The formula that the number comes from; typing starts with it. Empty for none.
    void setFormula(const QString& text);
    /// Marks the number as driven by a field.
    void setMark(const QColor& color);
    /// Leaves the left edge to a notch: see KeyButton.
    void setNotched(bool notched);
    QSize sizeHint() const override;
    QSize minimumSizeHint() const override;

  Q_SIGNALS:
    /// @param dragging  more will follow; finished() ends it
    void changed(double value, bool dragging);
    void finished();
    void refused(const QString& why);
    /// A text over "frame" or "time" was typed.
    void formulaTyped(const QString& text);

  protected:
    void paintEvent(QPaintEvent*) override;
    void mousePressEvent(QMouseEvent*) override;
    void mouseMoveEvent(QMouseEvent*) override;
    void mouseReleaseEvent(QMouseEvent*) override;
    void mouseDoubleClickEvent(QMouseEvent*) override;
    void keyPressEvent(QKeyEvent*) override;
    bool eventFilter(QObject*, QEvent*) override;
    bool event(QEvent*) override;

  private:
    void beginTyping(const QString& text = {});
    void endTyping(bool take);
    void step(double by);
    double perPixel() const;
    QString shownText() const;
    QString typedText() const;

    ParamSpec spec_;
    double value_ = 0, default_ = 0, pressValue_ = 0;
    QPoint press_, last_;
    bool pressed_ = false, dragging_ = false;
    QColor mark_;
    bool notched_ = false;
    QString formula_;
    QLineEdit* edit_ = nullptr;
};

/// "2.5", "48 000", "0.0125": as many figures as are needed, four at least where there are decimals.
QString numberText(double value, bool whole);

}  // namespace ovrix::app
