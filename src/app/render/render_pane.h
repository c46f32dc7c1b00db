// The render beside the view: refining picture, region, pins and wipe, probe, saving.
#pragma once
#include <QWidget>

#include "app/session/controller.h"
#include "app/session/render_worker.h"

class QLabel;
class QComboBox;
class QToolButton;
class QTimer;
class QHBoxLayout;

namespace ovrix::app {

class ViewWidget;

/// The picture itself: shows it fitted, takes the region drag and the wipe.
class PictureArea : public QWidget {
    Q_OBJECT
  public:
    explicit PictureArea(QWidget* parent = nullptr);
    void setImage(const QImage& image);
    const QImage& image() const { return image_; }
    void setPinned(const QImage& image);  ///< null to end the wipe
    void setRegionMode(bool on);
    /// Takes clicks as what to focus on.
    void setFocusMode(bool on);
    void setRegion(const std::optional<Rect>& region);
    /// Where the picture lies in the widget.
    QRectF pictureRect() const;

  Q_SIGNALS:
    void regionDragged(const Rect& region);
    void probed(int x, int y);
    /// @param follow  stays on what stands there, wherever it goes
    void focusPicked(int x, int y, bool follow);
    void resized();

  protected:
    void paintEvent(QPaintEvent*) override;
    void mousePressEvent(QMouseEvent*) override;
    void mouseMoveEvent(QMouseEvent*) override;
    void mouseReleaseEvent(QMouseEvent*) override;
    void resizeEvent(QResizeEvent*) override;
    void keyPressEvent(QKeyEvent*) override;

  private:
    QPoint toPixel(const QPointF& p) const;
    QImage image_, pinned_;
    std::optional<Rect> region_;
    bool regionMode_ = false, focusMode_ = false, dragging_ = false, wiping_ = false;
    QPointF from_, to_;
    double wipe_ = 0.5;
};

class RenderPane : public QWidget {
    Q_OBJECT
  public:
    RenderPane(Controller& controller, ViewWidget* view, QWidget* parent = nullptr);
    /// Renders on every change while on.
    void setLive(bool live);
    bool live() const { return live_; }
    void restart();
    void stop();
    void pin();
    /// @param depth  of the file's numbers; the ending's usual one when nothing is said
    void save(const QString& file, std::optional<PixelDepth> depth = {});
    void chooseFileAndSave();
    RenderWorker& worker() { return worker_; }
    const RenderUpdate& last() const { return last_; }
    PictureArea* picture() const { return picture_; }
    const std::optional<Rect>& region() const { return region_; }

  Q_SIGNALS:
    void liveChanged(bool live);

  private:
    QWidget* makeHead();
    QWidget* makeBar();
    void followScene();
    void followControls();
    /// When rendering is on: once for several calls that come together.
    void restartSoon();
    void onUpdate(const RenderUpdate& update);
    QSize renderSize() const;
    /// Offers the groups of lights that are kept apart, and hides where there are none.
    void listViews(const FilmLayout& layout);
    void showChosen();
    void probe(int x, int y);
    /// The scene's camera is sharp where that pixel's place is.
    void focusAt(int x, int y, bool follow);
    void focusOn(const std::string& node, const std::string& element);
    void focusOnElement(const std::string& layer, const V3f& place);
    /// Takes the noise out where the denoiser is there, as it was left the last time.
    void beginDenoising();
    /// Compares with a pin, or with none (null).
    void comparePin(QToolButton* pin, const QImage& image);

    Controller& controller_;
    ViewWidget* view_;
    bool live_ = false;
    RenderUpdate last_;
    FilmLayout layout_;  // of the film that is shown
    std::optional<Rect> region_;
    QSize regionSize_;
    QLabel *title_, *state_, *probe_;
    QComboBox *camera_, *size_, *shown_;
    QToolButton *play_, *regionButton_, *focusButton_, *draft_, *denoise_;
    PictureArea* picture_;
    QHBoxLayout* pins_;
    QTimer* later_;
    RenderWorker worker_;  // last: it ends first
};

}  // namespace ovrix::app
