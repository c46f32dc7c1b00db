// One step of a recipe as a card.
#pragma once
#include <QFrame>

#include "app/recipe/param_row.h"

class QLabel;
class QMenu;
class QToolButton;

namespace ovrix::app {

class StepCard : public QFrame {
    Q_OBJECT
  public:
    /// @param step  empty for a card of the node's own parameters
    StepCard(Controller& controller, const std::string& node, const std::string& step,
             QWidget* parent = nullptr);
    /// Shows what the document holds, and the results.
    void refresh();
    /// Shows the results alone: figures, notes and errors of the step.
    void followResults();
    const std::string& node() const { return node_; }
    const std::string& step() const { return step_; }
    /// Of the step; empty on the card of a node.
    const std::string& type() const { return type_; }
    /// The step that this one is a part of; empty for none.
    const std::string& in() const { return in_; }
    const std::vector<ParamRow*>& rows() const { return rows_; }
    QColor edge() const;
    /// In and out of the last evaluation; null when there was none.
    const StepReport* report() const;
    /// The node whose steps this card is of: of a linked layer, the one that it follows.
    const Node* recipe() const;

  Q_SIGNALS:
    /// The card's head was dropped at this height of its parent.
    void droppedAt(const std::string& step, int y);
    void addAbove(const std::string& step);
    /// A part is to be added to this step; the list opens under the button.
    void addPart(const std::string& step, QWidget* under);
    void stackToggled(const ParamPath& path, bool open);

  protected:
    void paintEvent(QPaintEvent*) override;
    void resizeEvent(QResizeEvent*) override;
    bool eventFilter(QObject*, QEvent*) override;
    void contextMenuEvent(QContextMenuEvent*) override;

  private:
    void makeHead();
    QWidget* makeUsual(const StepType& type);
    void fitFigures();
    void showProblem(const QColor& color, const std::string& text, const std::string& remedy = {});
    void dim(bool on);
    void fillMenu(QMenu& menu);
    const std::vector<ParamSpec>& specs() const;
    bool shown(const ParamSpec& spec) const;

    Controller& controller_;
    std::string node_, step_, in_, type_;
    QWidget* head_ = nullptr;
    QWidget* body_ = nullptr;
    QLabel *title_ = nullptr, *figures_ = nullptr, *problem_ = nullptr;
    QString figuresText_;
    QToolButton* fold_ = nullptr;
    std::vector<ParamRow*> rows_;
    QPoint press_;
    bool pressed_ = false, dragging_ = false;
};

}  // namespace ovrix::app
