// Where keys are drawn as curves: to select, move, scale, ease, repeat and copy.
#pragma once
#include <QWidget>
#include <set>

#include "app/session/controller.h"
#include "document/edits/keying.h"

namespace ovrix::app {

/// One component of a parameter with keys.
struct KeyTrack {
    ParamPath path;
    int component = 0;
    QString name;
    bool shown = true;
    bool operator==(const KeyTrack& o) const { return path == o.path && component == o.component; }
};

class KeyCanvas : public QWidget {
    Q_OBJECT
  public:
    explicit KeyCanvas(Controller& controller, QWidget* parent = nullptr);
    void setTracks(const std::vector<KeyTrack>& tracks);
    const std::vector<KeyTrack>& tracks() const { return tracks_; }
    /// A key: the number of its track, and of the key in it.
    using Chosen = std::set<std::pair<size_t, size_t>>;
    const Chosen& chosen() const { return chosen_; }
    /// All shown curves, from end to end.
    void fit();
    QPointF pointOf(double frame, double value) const;
    QPointF pointOf(size_t track, const Key& key) const;
    QPointF keyPoint(size_t track, size_t key) const;
    static QColor colorOf(size_t track);

    void easeChosen(KeyEase ease);
    void removeChosen();
    void setRepeat(KeyRepeat repeat);
    /// What was copied, and of how many parameters.
    size_t copyChosen();
    void paste();
    /// The parameters with a chosen key, or all shown where none is.
    std::vector<ParamPath> workedOn() const;

  Q_SIGNALS:
    void chosenChanged();

  protected:
    void paintEvent(QPaintEvent*) override;
    void mousePressEvent(QMouseEvent*) override;
    void mouseMoveEvent(QMouseEvent*) override;
    void mouseReleaseEvent(QMouseEvent*) override;
    void mouseDoubleClickEvent(QMouseEvent*) override;
    void wheelEvent(QWheelEvent*) override;
    void keyPressEvent(QKeyEvent*) override;

  private:
    enum class Drag { None, Keys, Box, Frame, Pan, ScaleFrames, ScaleValues, HandleBefore, HandleAfter };
    Param paramOf(size_t track) const;
    double valueAt(size_t track, double frame) const;
    double frameOf(double x) const;
    double valueOf(double y) const;
    std::optional<std::pair<size_t, size_t>> keyNear(const QPointF& at) const;
    QPointF handlePoint(size_t track, size_t key, bool before) const;
    bool handleNear(const QPointF& at);
    QRectF chosenBox() const;
    void beginChange();
    void panTo(const QPointF& at);
    void dragKeys(const QPointF& moved, double frames, double by, bool free);
    void scaleFrames(double frames);
    void scaleValues(double by);
    void bendKey(const QPointF& at, bool alone);
    void moveKeys(const std::function<void(Key&, int component)>& change, const QString& label);
    void paintGrid(QPainter& p);
    void paintTrack(QPainter& p, size_t track);

    Controller& controller_;
    std::vector<KeyTrack> tracks_;
    Chosen chosen_;
    double first_ = 1, last_ = 100, low_ = 0, high_ = 1;
    Drag drag_ = Drag::None;
    QPointF press_, last2_;
    QRectF box_, scaled_;
    std::pair<size_t, size_t> handle_{0, 0};
    std::map<std::string, std::vector<Key>> before_;  ///< keys at the beginning of a drag, by path
    Chosen chosenBefore_;
};

}  // namespace ovrix::app
