// A sheet of small renders over what one parameter could be, or two, to pick from.
#pragma once
#include <QDialog>

#include "app/session/controller.h"
#include "app/session/render_worker.h"
#include "deliver/variations.h"

class QComboBox;
class QGridLayout;
class QLabel;
class QPushButton;
class QTimer;
class QToolButton;

namespace ovrix::app {

class NumberBox;

/// Open while the artist works on; pictures come one after another.
class VariationsWindow : public QDialog {
    Q_OBJECT
  public:
    /// @param view  what the pictures are seen through; null where there is none: then the scene's camera
    VariationsWindow(Controller& controller, std::function<std::optional<CameraOptions>()> eye,
                     QWidget* parent = nullptr);
    /// Begins a sheet over a parameter; with another one there already and @p second, over both.
    void vary(const ParamPath& path, bool second = false);
    /// The same over all seeds of a node: a whole recipe, or a material.
    void varySeeds(const std::string& node);
    /// As many as are there; null images are to come.
    size_t count() const { return cells_.size(); }
    QToolButton* cell(size_t i) const { return cells_[i].button; }
    bool done() const { return next_ >= cells_.size(); }
    /// Numbers: about the one that was taken last, over half of the range. Seeds and colours: others.
    void refine();

  protected:
    void hideEvent(QHideEvent*) override;

  private:
    struct Axis {
        std::vector<ParamPath> paths;  ///< one, or seeds that go together
        ParamSpec spec;
        Range range;
        NumberBox *from = nullptr, *to = nullptr;
        QWidget* row = nullptr;
    };
    struct Cell {
        Variation values;
        QString name = {};
        QToolButton* button = nullptr;
        QImage image = {};
        QString problem = {};  ///< why there is no picture
        bool kept = false, done = false;
    };
    void makeAxis(const std::vector<ParamPath>& paths, const QString& title);
    void startOver();
    Variation valuesOf(const Axis& axis, const Value& value, size_t i) const;
    void addCells();
    void begin();
    void layOut();
    void renderNext();
    void onUpdate(const RenderUpdate& update);
    void take(size_t i);
    void keep(size_t i);
    void showCell(size_t i);

    Controller& controller_;
    std::function<std::optional<CameraOptions>()> eye_;
    std::vector<Axis> axes_;
    std::vector<Cell> cells_;  ///< those that are kept first
    SceneContext scene_;
    uint64_t asked_ = 0;  ///< the request that is under way
    size_t next_ = 0;
    uint64_t round_ = 0;
    std::optional<size_t> taken_;
    QWidget *numbers_, *sheet_;
    QGridLayout* grid_;
    QLabel* state_;
    QPushButton* refine_;
    QTimer* later_;
    RenderWorker worker_;  // last: it ends first
};

}  // namespace ovrix::app
