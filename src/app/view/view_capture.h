// What the view shows, frame by frame, as a video or as pictures.
#pragma once
#include <QDialog>
#include <QImage>
#include <condition_variable>
#include <deque>
#include <filesystem>
#include <mutex>

#include "app/session/controller.h"

class QLabel;
class QProgressBar;
class QTimer;

namespace ovrix::app {

class ViewWidget;

/// Goes through the frames, waits for each until all of it is there and sharp, and writes it; the clock then
/// stands where it stood. Of a view through the scene's camera that camera's picture alone. A file is whole
/// or as it was; one that cannot be written says why.
class ViewCapture : public QDialog {
    Q_OBJECT
  public:
    /// @param file  NAME.mp4 or another video, or a picture with #### for the frame
    ViewCapture(Controller& controller, ViewWidget& view, std::filesystem::path file,
                std::pair<int, int> frames, QWidget* parent);
    ~ViewCapture() override;
    int frame() const { return frame_; }

  protected:
    void reject() override;

  private:
    void next();
    QImage grab() const;
    bool hasRoom();
    void give(QImage image);
    void write(Progress& progress);
    std::optional<QImage> taken(Progress& progress);
    void writeVideo(Progress& progress);
    void writePictures(Progress& progress);
    void end(const QString& problem);

    Controller& controller_;
    ViewWidget& view_;
    std::filesystem::path file_;
    std::pair<int, int> frames_;
    int frame_;
    double frameBefore_;
    QTimer* timer_;
    QLabel* facts_;
    QProgressBar* bar_;
    // What was seen and is not written yet.
    std::mutex mutex_;
    std::condition_variable seen_;
    std::deque<QImage> images_;
    bool all_ = false, ended_ = false;
    double rate_;
    JobThread writing_;  // last: it ends before what it uses
};

}  // namespace ovrix::app
