#include "app/view/view_capture.h"

#include <QLabel>
#include <QProgressBar>
#include <QPushButton>
#include <QTimer>
#include <QVBoxLayout>

#include "app/theme/theme.h"
#include "app/view/view_widget.h"
#include "base/error.h"
#include "base/file_sequence.h"
#include "base/files.h"
#include "io/formats/format.h"
#include "io/video/video_writer.h"

namespace ovrix::app {

ViewCapture::ViewCapture(Controller& controller, ViewWidget& view, std::filesystem::path file,
                         std::pair<int, int> frames, QWidget* parent)
    : QDialog(parent),
      controller_(controller),
      view_(view),
      file_(std::move(file)),
      frames_(frames),
      frame_(frames.first),
      frameBefore_(controller.clock().frame()),
      timer_(new QTimer(this)),
      rate_(controller.document().rate()),
      writing_([](const std::exception&) {}) {
    setObjectName("viewCapture");
    setWindowTitle("Capture the view");
    setWindowModality(Qt::WindowModal);
    setAttribute(Qt::WA_DeleteOnClose);
    auto* box = new QVBoxLayout(this);
    box->setContentsMargins(px(16), px(12), px(16), px(12));
    box->setSpacing(px(8));
    facts_ = new QLabel;
    bar_ = new QProgressBar;
    bar_->setTextVisible(false);
    bar_->setFixedHeight(px(6));
    bar_->setRange(0, frames_.second - frames_.first + 1);
    auto* stop = new QPushButton("Stop");
    stop->setObjectName("stopCapture");
    connect(stop, &QPushButton::clicked, this, &ViewCapture::reject);
    box->addWidget(facts_);
    box->addWidget(bar_);
    box->addWidget(stop, 0, Qt::AlignRight);
    setMinimumWidth(px(320));
    controller_.clock().setPlaying(false);
    controller_.clock().setFrame(frame_);
    writing_.post([this](Progress& progress) { write(progress); });
    connect(timer_, &QTimer::timeout, this, &ViewCapture::next);
    timer_->start(15);
}

ViewCapture::~ViewCapture() {
    writing_.clear();
    std::lock_guard lock(mutex_);
    ended_ = true;
    seen_.notify_all();
}

/// The view as it is now, or what of it is the camera's picture.
QImage ViewCapture::grab() const {
    QImage all = view_.grabFramebuffer().convertToFormat(QImage::Format_RGB32);
    if (!view_.throughCamera()) return all;
    const QRectF r = view_.pictureRect();
    const double scale = double(all.width()) / std::max(1, view_.width());
    return all.copy(QRectF(r.topLeft() * scale, r.size() * scale).toAlignedRect() & all.rect());
}

bool ViewCapture::hasRoom() {
    constexpr size_t kMost = 8;
    std::lock_guard lock(mutex_);
    return images_.size() < kMost;
}

void ViewCapture::give(QImage image) {
    std::lock_guard lock(mutex_);
    images_.push_back(std::move(image));
    seen_.notify_all();
}

void ViewCapture::next() {
    facts_->setText(QString("Frame %1 of %2 to %3").arg(frame_).arg(frames_.first).arg(frames_.second));
    if (controller_.evaluating() || !view_.sharpened()) return view_.update();
    if (!hasRoom()) return;  // it is written slower than it is seen
    give(grab());
    bar_->setValue(frame_ - frames_.first + 1);
    if (frame_ < frames_.second) return controller_.clock().setFrame(++frame_);
    timer_->stop();
    facts_->setText("Writing the rest");
    std::lock_guard lock(mutex_);
    all_ = true;
    seen_.notify_all();
}

void ViewCapture::reject() {
    writing_.cancel();
    end(canUse(file_, Use::WriteVideo) ? "Stopped: no video is written"
                                       : "Stopped: the pictures so far are there");
}

void ViewCapture::end(const QString& problem) {
    if (std::exchange(ended_, true)) return;
    timer_->stop();
    controller_.clock().setFrame(frameBefore_);
    if (problem.isEmpty())
        controller_.say("Captured: " + QString::fromStdString(file_.string()));
    else
        controller_.say(problem, true);
    QDialog::reject();
}

void ViewCapture::write(Progress& progress) {
    QString problem;
    try {
        canUse(file_, Use::WriteVideo) ? writeVideo(progress) : writePictures(progress);
    } catch (const Cancelled&) {
        return;  // who asked for it ends it
    } catch (const std::exception& e) {
        problem = QString::fromStdString(problemOf(e));
    }
    QMetaObject::invokeMethod(this, [this, problem] { end(problem); });
}

/// The next one; nothing after the last.
std::optional<QImage> ViewCapture::taken(Progress& progress) {
    std::unique_lock lock(mutex_);
    while (images_.empty() && !all_) {
        seen_.wait_for(lock, std::chrono::milliseconds(50));
        progress.check();
    }
    progress.check();
    if (images_.empty()) return std::nullopt;
    QImage image = std::move(images_.front());
    images_.pop_front();
    return image;
}

void ViewCapture::writeVideo(Progress& progress) {
    writeAtomically(file_, [&](const std::filesystem::path& temporary) {
        std::unique_ptr<io::VideoWriter> video;
        QSize size;
        std::vector<uint32_t> pixels;
        while (std::optional<QImage> image = taken(progress)) {
            if (!video) {
                size = image->size();
                video = io::openVideo(temporary, file_.string(),
                                      {size.width(), size.height(), rate_, io::usualCodec(file_)});
            }
            if (image->size() != size)  // the window was changed meanwhile
                *image = image->scaled(size, Qt::IgnoreAspectRatio, Qt::SmoothTransformation);
            pixels.clear();
            for (int y = 0; y < size.height(); ++y) {
                const auto* row = reinterpret_cast<const uint32_t*>(image->constScanLine(y));
                pixels.insert(pixels.end(), row, row + size.width());
            }
            video->add(pixels);
        }
        if (!video) throw Error("nothing was seen", file_.string(), "Open the view first");
        video->finish();
    });
}

void ViewCapture::writePictures(Progress& progress) {
    for (int frame = frames_.first; const std::optional<QImage> image = taken(progress); ++frame)
        writeAtomically(fileOfFrame(file_.string(), frame), [&](const std::filesystem::path& temporary) {
            if (!image->save(QString::fromStdString(temporary.string())))
                throw Error("cannot be written as a picture", file_.string(),
                            "Name it .png or .jpg, with #### for the frame, or .mp4");
        });
}

}  // namespace ovrix::app
