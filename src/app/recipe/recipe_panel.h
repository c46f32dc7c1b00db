// What is selected: the cards of a layer with the stream beside them, or the parameters of a node.
#pragma once
#include <QWidget>
#include <map>
#include <set>

#include "app/recipe/step_card.h"

class QLabel;
class QPushButton;
class QVBoxLayout;

namespace ovrix::app {

class CloudReadout;
class MaterialSwatch;

/// A thin stream beside the cards, as wide as the share of elements still there.
class FlowStream : public QWidget {
    Q_OBJECT
  public:
    explicit FlowStream(QWidget* parent = nullptr);
    void setCards(const std::vector<StepCard*>& cards);

  protected:
    void paintEvent(QPaintEvent*) override;

  private:
    std::vector<StepCard*> cards_;
};

class RecipePanel : public QWidget {
    Q_OBJECT
  public:
    explicit RecipePanel(Controller& controller, QWidget* parent = nullptr);
    /// Opens the list of steps that can be added; @p above is a step's id, or empty for the end.
    void openAddStep(const std::string& above = {});
    StepCard* card(const std::string& step) const;
    /// From top to bottom.
    const std::vector<StepCard*>& cards() const { return cards_; }
    /// Opens the list of parts that a step may take, under a widget.
    void openAddPart(const std::string& step, QWidget* under);

  private:
    void rebuildIfNeeded();
    void showHint();
    void rebuild();
    std::map<std::string, StepCard*> takeCards(const Node* node);
    StepCard* newCard(const std::string& node, const std::string& step);
    void refresh();
    void followDocument(const DocumentChanges& changes);
    void followResults();
    void refreshHead();
    void refreshSwatch();
    void dropCard(const std::string& step, int y);
    void onStack(const ParamPath& path, bool open);
    struct Offer {
        const StepType* type;
        size_t index;
    };
    void offerSteps(const std::vector<Offer>& offers, QWidget* by, bool below,
                    const std::function<void(const Offer&)>& take);

    Controller& controller_;
    QLabel *name_, *facts_;
    MaterialSwatch* swatch_ = nullptr;  ///< made when the first material is chosen
    CloudReadout* cloud_ = nullptr;     ///< with it
    QWidget* list_;
    QVBoxLayout* cardsLayout_;
    FlowStream* flow_;
    QPushButton* add_ = nullptr;
    std::vector<StepCard*> cards_;
    std::string cardsOf_;  // the type of node that they are of
    std::string shape_ = "not built";
    ParamPath openStack_;
};

}  // namespace ovrix::app
