#include "app/render/sequence_player.h"

#include <QHBoxLayout>
#include <QKeyEvent>
#include <QLabel>
#include <QMouseEvent>
#include <QPainter>
#include <QTimer>
#include <QToolButton>

#include "app/theme/theme.h"
#include "base/error.h"
#include "deliver/picture_setup.h"
#include "deliver/pictures/screen_file.h"

namespace ovrix::app {

namespace {

/// The frames: those in memory light, those that are missing red, and where it stands.
class Line : public QWidget {
  public:
    explicit Line(SequencePlayer& player) : player_(player) {
        setFixedHeight(px(22));
        setToolTip("Goes to that frame; Left and Right go by one, Space plays");
    }

  protected:
    void paintEvent(QPaintEvent*) override {
        QPainter p(this);
        const auto [first, last] = player_.range();
        const double each = double(width()) / (last - first + 1);
        for (int f = first; f <= last; ++f) {
            const QRectF box((f - first) * each, height() / 2.0 - px(2), std::max(1.0, each - 1), px(4));
            p.fillRect(box, player_.has(f)       ? tokens().muted
                            : player_.missing(f) ? tokens().red
                                                 : tokens().field);
        }
        p.fillRect(QRectF((player_.frame() - first) * each, px(2), std::max(double(px(2)), each - 1),
                          height() - px(4)),
                   tokens().seaGlass);
    }
    void mousePressEvent(QMouseEvent* e) override { go(e); }
    void mouseMoveEvent(QMouseEvent* e) override {
        if (e->buttons() & Qt::LeftButton) go(e);
    }

  private:
    void go(const QMouseEvent* e) {
        const auto [first, last] = player_.range();
        player_.setPlaying(false);
        player_.goTo(first + int(e->position().x() / width() * (last - first + 1)));
    }
    SequencePlayer& player_;
};

QToolButton* button(const char* name, const char* tip) {
    auto* b = new QToolButton;
    b->setProperty("flat", true);
    b->setIcon(icon(name));
    b->setFixedSize(px(26), px(26));
    b->setToolTip(tip);
    return b;
}

QImage imageOf(const ScreenPicture& picture) {
    return QImage(reinterpret_cast<const uchar*>(picture.pixels.data()), picture.width, picture.height,
                  QImage::Format_RGB32)
        .copy();
}

}  // namespace

SequencePlayer::SequencePlayer(Controller& controller, QWidget* parent)
    : QWidget(parent), controller_(controller), timer_(new QTimer(this)), reading_([this](const auto& e) {
          QMetaObject::invokeMethod(
              this, [this, text = QString::fromStdString(problemOf(e))] { controller_.say(text, true); });
      }) {
    setObjectName("player");
    setFocusPolicy(Qt::StrongFocus);
    auto* box = new QHBoxLayout(this);
    box->setContentsMargins(px(8), 0, px(6), 0);
    box->setSpacing(px(6));
    play_ = button("play", "Plays the pictures at the scene's rate (Space)");
    play_->setObjectName("playSequence");
    connect(play_, &QToolButton::clicked, this, [this] { setPlaying(!playing()); });
    line_ = new Line(*this);
    line_->setObjectName("sequenceLine");
    facts_ = new QLabel;
    facts_->setFont(figureFont(8.25));
    facts_->setProperty("muted", true);
    auto* close = button("close", "Back to the render");
    close->setObjectName("leaveSequence");
    connect(close, &QToolButton::clicked, this, &SequencePlayer::leave);
    box->addWidget(play_);
    box->addWidget(line_, 1);
    box->addWidget(facts_);
    box->addWidget(close);
    timer_->setTimerType(Qt::PreciseTimer);
    connect(timer_, &QTimer::timeout, this, &SequencePlayer::playOn);
    connect(&controller_, &Controller::sceneChanged, this, &SequencePlayer::leave);
    hide();
}

void SequencePlayer::open(std::map<int, std::filesystem::path> files) {
    setPlaying(false);
    reading_.clear();
    images_.clear();
    files_ = std::move(files);
    ++reading_number_;
    frame_ = files_.begin()->first;
    QWidget::show();
    setFocus();
    read();
    show();
}

void SequencePlayer::leave() {
    if (!isOpen()) return;
    setPlaying(false);
    reading_.clear();
    ++reading_number_;
    files_.clear(), images_.clear();
    hide();
    Q_EMIT left();
}

/// In order, as many as half of the memory limit holds.
void SequencePlayer::read() {
    std::vector<std::string> problems;
    const FinishOptions finish =
        finishOptions(controller_.scene(), frame_,
                      float(controller_.document().value(controller_.document().renderSetting(kRender.camera),
                                                         kCamera.exposure, frame_)),
                      problems);
    reading_.post([this, files = files_, finish, number = reading_number_,
                   most = controller_.document().memoryLimit() / 2](Progress& progress) {
        size_t bytes = 0;
        for (const auto& [frame, file] : files) {
            progress.check();
            const QImage image = imageOf(screenOfFile(file, most, finish));
            bytes += size_t(image.sizeInBytes());
            if (bytes > most)
                throw Error("the memory limit holds no more of the sequence", file.string(),
                            "Raise it, or play smaller pictures");
            QMetaObject::invokeMethod(this, [this, number, f = frame, image] { take(number, f, image); });
        }
    });
}

void SequencePlayer::take(uint64_t reading, int frame, const QImage& image) {
    if (reading != reading_number_) return;
    images_[frame] = image;
    if (frame == frame_)
        show();
    else
        line_->update();
}

std::pair<int, int> SequencePlayer::range() const {
    if (files_.empty()) return {1, 1};
    return {files_.begin()->first, files_.rbegin()->first};
}

void SequencePlayer::goTo(int frame) {
    const auto [first, last] = range();
    frame_ = std::clamp(frame, first, last);
    show();
}

/// Where one is missing, the one before it stays.
void SequencePlayer::show() {
    facts_->setText(QString("%1 of %2%3")
                        .arg(frame_)
                        .arg(range().second)
                        .arg(missing(frame_) ? ", missing"
                             : has(frame_)   ? ""
                                             : ", is read"));
    line_->update();
    if (const auto at = images_.find(frame_); at != images_.end()) Q_EMIT shown(at->second);
}

bool SequencePlayer::playing() const { return timer_->isActive(); }

void SequencePlayer::setPlaying(bool on) {
    if (on == playing()) return;
    play_->setIcon(icon(on ? "pause" : "play"));
    if (!on) return timer_->stop();
    playFrom_ = frame_;
    played_.start();
    timer_->start(std::max(1, int(500.0 / controller_.document().rate())));
}

void SequencePlayer::playOn() {
    const auto [first, last] = range();
    const auto gone = int64_t(double(played_.elapsed()) / 1000.0 * controller_.document().rate());
    const int frame = first + int((playFrom_ - first + gone) % (last - first + 1));
    if (frame != frame_) goTo(frame);
}

/// Its own keys come before those of the window, where Space plays the scene.
bool SequencePlayer::event(QEvent* e) {
    if (e->type() == QEvent::ShortcutOverride) {
        const int key = static_cast<QKeyEvent*>(e)->key();
        if (key == Qt::Key_Space || key == Qt::Key_Left || key == Qt::Key_Right || key == Qt::Key_Escape) {
            e->accept();
            return true;
        }
    }
    return QWidget::event(e);
}

void SequencePlayer::keyPressEvent(QKeyEvent* e) {
    switch (e->key()) {
        case Qt::Key_Space:
            return setPlaying(!playing());
        case Qt::Key_Left:
            return setPlaying(false), goTo(frame_ - 1);
        case Qt::Key_Right:
            return setPlaying(false), goTo(frame_ + 1);
        case Qt::Key_Escape:
            return leave();
        default:
            QWidget::keyPressEvent(e);
    }
}

}  // namespace ovrix::app
