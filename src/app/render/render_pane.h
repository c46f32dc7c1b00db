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

class HistoryWindow;
class SequencePlayer;
class Scope;
class ViewWidget;

/// The picture itself: shows it fitted or at any size, takes the region drag and the wipe.
class PictureArea : public QWidget {
    Q_OBJECT
  public:
    explicit PictureArea(QWidget* parent = nullptr);
    /// @param window  what of a film of that size the image shows; pixels below are the film's
    void setImage(const QImage& image, const PictureWindow& window, const QSize& film);
    const QImage& image() const { return image_; }
    QSize filmSize() const { return film_; }
    /// Screen pixels for each of the picture's; 0 fits it in.
    void setZoom(double zoom);
    double zoom() const { return zoom_; }
    void setPinned(const QImage& image);  ///< null to end comparing
    /// How a pin is compared: on both sides of a line, beside the picture, or by how far both differ.
    enum class Compare { Wipe, Beside, Difference };
    void setCompare(Compare compare);
    Compare compare() const { return compare_; }
    void setRegionMode(bool on);
    /// What a click picks.
    enum class Pick { Nothing, Focus, White, Brush };
    void setPick(Pick pick);
    /// The brush's radius, as a part of the film's height.
    void setBrush(double radius);
    /// What lies over the picture; null for nothing.
    void setMask(const QImage& mask);
    /// What of the film is seen.
    const PictureWindow& window() const { return window_; }
    /// Tells by colours how many stops light lies from middle grey.
    void setLegend(bool on);
    void setRegion(const std::optional<Rect>& region);
    /// Where the picture lies in the widget.
    QRectF pictureRect() const;

  Q_SIGNALS:
    void regionDragged(const Rect& region);
    void probed(int x, int y);
    /// @param follow  stays on what stands there, wherever it goes
    void focusPicked(int x, int y, bool follow);
    void whitePicked(int x, int y);
    /// A brush goes over a place: parts of the film's width and height. @param begins  it was put down there
    void brushed(const QPointF& place, bool begins, Qt::KeyboardModifiers modifiers);
    void brushLifted();
    void brushKey(int key);
    void pictureChanged();
    void zoomChanged(double zoom);
    void resized();

  protected:
    void paintEvent(QPaintEvent*) override;
    void mousePressEvent(QMouseEvent*) override;
    void mouseMoveEvent(QMouseEvent*) override;
    void mouseReleaseEvent(QMouseEvent*) override;
    void resizeEvent(QResizeEvent*) override;
    void keyPressEvent(QKeyEvent*) override;
    void wheelEvent(QWheelEvent*) override;

  private:
    QPoint toPixel(const QPointF& p) const;
    QPoint pixelAt(const QPointF& p) const;
    QPointF filmPlace(const QPointF& p) const;
    void drawBrush(QPainter& p, const QRectF& r) const;
    QRectF fittedRect() const;
    void drawLegend(QPainter& p) const;
    void drawPin(QPainter& p, const QRectF& r);
    QRectF placeOf(const QSizeF& picture, const QRectF& within) const;
    void zoomAbout(const QPointF& p, double zoom);
    QImage image_, pinned_, mask_;
    double brush_ = 0.06;
    bool brushing_ = false;
    PictureWindow window_;
    QSize film_;
    double zoom_ = 0;
    QPointF middle_{0.5, 0.5};  // of the widget, as a part of the picture
    bool panning_ = false;
    std::optional<Rect> region_;
    Pick pick_ = Pick::Nothing;
    Compare compare_ = Compare::Wipe;
    QImage difference_;  // of the picture and the pin, where that is shown
    bool regionMode_ = false, legend_ = false, dragging_ = false, wiping_ = false;
    QPointF from_, to_;
    double wipe_ = 0.5;
};

/// Colours from little to much, as fields have them.
HeatTable heatTable();

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
    HistoryWindow* history() const { return history_; }
    SequencePlayer* player() const { return player_; }
    /// In place of the render, until that is asked for again.
    void play(std::map<int, std::filesystem::path> files);
    /// The frames beside a picture, or those of NAME.####.png.
    void playFile(const std::filesystem::path& file);
    Scope* scope() const { return scope_; }
    const std::optional<Rect>& region() const { return region_; }

  Q_SIGNALS:
    void liveChanged(bool live);

  private:
    QWidget* makeHead();
    QWidget* makeBar();
    QWidget* makeZoom();
    void followScene();
    void followControls();
    void followPlayer();
    /// When rendering is on: once for several calls that come together.
    void restartSoon();
    void onUpdate(const RenderUpdate& update);
    /// Among the checks: what the firefly limit took of the light.
    void noteCut(double share);
    QSize renderSize() const;
    /// Offers the groups of lights that are kept apart, and hides where there are none.
    void listViews(const FilmLayout& layout);
    void showChosen();
    void probe(int x, int y);
    /// The scene's camera is sharp where that pixel's place is.
    void focusAt(int x, int y, bool follow);
    /// What is there becomes a neutral grey.
    void whiteAt(int x, int y);
    /// Whether the finish blurs by distance, and so has the focus; then it is set there.
    bool focusFinish(float distance, const std::string& node);
    QWidget* makeLook();
    void focusOn(const std::string& node, const std::string& element);
    void focusOnElement(const std::string& layer, const V3f& place);
    /// Takes the noise out where the denoiser is there, as it was left the last time.
    void beginDenoising();
    /// Compares with a pin, or with none (null).
    void comparePin(QToolButton* pin, const QImage& image);
    void pinImage(const QImage& image);
    void fillPinMenu(class QMenu& menu, QToolButton* pin, const QImage& image);
    /// Into the history, on the disk.
    void keepPicture();

    Controller& controller_;
    ViewWidget* view_;
    bool live_ = false;
    bool again_ = false;  ///< what is shown was done before, and is shown in another way
    RenderUpdate last_;
    RenderUpdate pictured_;  ///< the last that had a picture
    FilmLayout layout_;      // of the film that is shown
    std::optional<Rect> region_;
    QSize regionSize_;
    QLabel *title_, *state_, *probe_;
    QComboBox *camera_, *size_, *shown_;
    QToolButton *play_, *regionButton_, *focusButton_, *whiteButton_, *draft_, *denoise_;
    PictureLook look_;
    PictureArea* picture_;
    HistoryWindow* history_;
    SequencePlayer* player_;
    Scope* scope_;
    QHBoxLayout* pins_;
    QTimer* later_;
    RenderWorker worker_;  // last: it ends first
};

}  // namespace ovrix::app
