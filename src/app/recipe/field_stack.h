// The stack of sources of one field, under the number that it drives.
#pragma once
#include <QFrame>
#include <functional>
#include <optional>

#include "app/session/controller.h"

class QVBoxLayout;
class QMenu;
class QPushButton;
class QToolButton;

namespace ovrix::app {

class NumberBox;
class ParamRow;

/// A band that shows what a source gives along the surface.
class StripPreview : public QWidget {
    Q_OBJECT
  public:
    explicit StripPreview(QWidget* parent = nullptr);
    void setValues(const std::vector<float>& values);

  protected:
    void paintEvent(QPaintEvent*) override;

  private:
    std::vector<float> values_;
};

class FieldStack : public QFrame {
    Q_OBJECT
  public:
    FieldStack(Controller& controller, const ParamPath& path, QWidget* parent = nullptr);
    void refresh();
    /// Fills @p menu with the sources that can be added; @p add gets the chosen type.
    static void fillSourceMenu(QMenu& menu, const std::function<void(const std::string&)>& add);

  protected:
    void resizeEvent(QResizeEvent*) override;
    void paintEvent(QPaintEvent*) override;
    /// A source's name is what it is dragged by.
    bool eventFilter(QObject* watched, QEvent* event) override;

  private:
    bool dragSource(QWidget* title, QEvent* event);
    size_t placeAt(int y) const;
    void rebuild(const Field& field);
    QWidget* makeEnds();
    QWidget* makeRamp();
    QWidget* makeCurves();
    QToolButton* makeBlend(size_t index);
    QPushButton* makeTitle(size_t index, const FieldSource& source);
    NumberBox* makeStrength(const ParamPath& strengthPath);
    QWidget* makeRow(size_t index, const FieldSource& source);
    void fillRowMenu(QMenu& menu, size_t index);
    void change(const QString& label, const std::function<void(Field&)>& edit, bool dragging = false);
    void updateStrips();

    Controller& controller_;
    ParamPath path_;
    QVBoxLayout* layout_;
    std::string shape_;  // which sources there are: rebuilt when this changes
    std::vector<StripPreview*> strips_;
    std::vector<QWidget*> sourceRows_;
    std::optional<QPoint> pressed_;     // where a name was pressed, in the stack
    std::optional<size_t> dropBefore_;  // the row before which a dragged source would come
    std::vector<std::function<void(const FieldSource&)>> rowRefreshers_;
    std::vector<std::function<void()>> endRefreshers_;
    std::vector<ParamRow*> paramRows_;
    int openSource_ = -1;
};

}  // namespace ovrix::app
