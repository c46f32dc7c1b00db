// Combing the strands of the chosen layer.
#pragma once
#include <QPainter>
#include <QWidget>
#include <unordered_set>

#include "app/session/controller.h"
#include "app/view/brush_look.h"
#include "app/view/stroke_queue.h"
#include "geo/strands/packed_strands.h"
#include "ops/groom/comb_brush.h"

class QButtonGroup;
class QCheckBox;
class QComboBox;
class QLabel;

namespace ovrix::app {

/// The strip of brushes and numbers over the view while strands are combed.
class CombStrip : public QWidget {
    Q_OBJECT
  public:
    CombStrip(CombBrush& brush, QWidget* parent);
    /// Shows what the brush is now, and how many strands there are and are chosen.
    void refresh(size_t strands, size_t chosen);
    /// Brushes in a list instead of beside each other, where the view is narrow.
    void setCompact(bool compact);
    /// The brush that chooses strands and changes none.
    bool choosing() const;

  Q_SIGNALS:
    void changed();
    void chooseAll();
    void done();

  private:
    CombBrush& brush_;
    QButtonGroup* modes_;
    QComboBox* short_;
    BrushNumbers numbers_;
    QCheckBox *mirror_, *depth_;
    QPushButton* all_;
    QLabel* count_;
};

class CombTool : public QObject {
    Q_OBJECT
  public:
    CombTool(Controller& controller, QWidget* view);
    void setActive(bool active);
    bool active() const { return active_; }
    /// The layer whose strands are combed; empty when the chosen one has none.
    std::string layer() const;
    /// Each true when the tool took the event.
    bool press(const QPointF& at, Qt::KeyboardModifiers modifiers, float pressure, const ViewPort& port);
    bool move(const QPointF& at, float pressure, bool down, const ViewPort& port);
    bool release();
    bool key(int key);
    void leave() { hover_.reset(); }
    void paint(QPainter& painter, const ViewPort& port) const;
    void layOut(const QSize& view);
    CombBrush& brush() { return brush_; }
    const std::unordered_set<uint64_t>& chosen() const { return chosen_; }
    /// Strands as they are under the stroke, until the evaluation has caught up; null else.
    std::shared_ptr<const PackedStrands> preview() const { return preview_; }

  Q_SIGNALS:
    void changed();
    void ended();

  private:
    struct Spot {
        V3f at, normal;
        float distance;
    };
    /// One touch, with the brush as it was then.
    struct Touch {
        CombBrush brush;
        CombDab dab;
        bool chooses, adds;
    };
    /// What touches made of the strands, and which they chose or took back.
    struct Made {
        StrandsPtr strands;
        std::shared_ptr<const PackedStrands> packed;
        std::vector<StrandEdit> edits;
        std::vector<std::pair<uint64_t, bool>> chosen;
    };
    using Queue = StrokeQueue<Touch, Made>;
    StrandsPtr strands() const;
    SurfacePtr skin() const;
    bool skinReady() const;
    Queue::Work strokeOf(const std::string& layer, const SurfacePtr& skin, bool choosing);
    void take(const Made& made);
    void endStroke(bool choosing);
    std::optional<Spot> spotAt(const QPointF& at, const ViewPort& port) const;
    void dab(const Spot& spot, const V3f& eye, float pressure);
    void fitBrush();
    void refreshStrip();
    void onResults();
    void sizeBy(const QPointF& delta);

    Controller& controller_;
    Queue queue_;
    CombBrush brush_, strokeBrush_;  // as it is set; as the stroke at work uses it
    CombStrip* strip_;
    bool active_ = false, down_ = false, sizing_ = false, choosing_ = false, adds_ = true;
    // Of the stroke that the queue is at.
    std::string strokeLayer_;
    uint64_t strokeTopology_ = 0;
    StrandsPtr strokeStrands_;
    std::optional<Spot> hover_;
    float depth_ = 1.0f;  // metres from the eye at which the brush works where it is over no skin
    V3f last_;
    QPointF at_;
    std::unordered_set<uint64_t> chosen_;
    std::string chosenLayer_;
    StrandsPtr after_;  // what the last stroke left, until it has been evaluated
    StrandEdits afterEdits_;
    std::shared_ptr<const PackedStrands> preview_;
};

}  // namespace ovrix::app
