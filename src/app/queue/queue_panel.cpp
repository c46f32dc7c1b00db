#include "app/queue/queue_panel.h"

#include <QApplication>
#include <QDesktopServices>
#include <QHBoxLayout>
#include <QLabel>
#include <QListWidget>
#include <QProcess>
#include <QProgressBar>
#include <QPushButton>
#include <QStandardPaths>
#include <QTimer>
#include <QVBoxLayout>

#include "app/theme/theme.h"
#include "app/widgets/menu_button.h"
#include "base/error.h"
#include "base/files.h"
#include "base/hash.h"
#include "deliver/pictures/preflight.h"
#include "io/process/library.h"

namespace ovrix::app {

namespace {

constexpr int kTold = Qt::UserRole + 1;  // what a row of the list shows
constexpr int kWhole = 1000;             // of a job's bar

std::filesystem::path usersQueue() {
    const QString folder = QStandardPaths::writableLocation(QStandardPaths::AppDataLocation);
    return std::filesystem::path(folder.toStdString()) / ("renders" + std::string(kQueueEnding));
}

}  // namespace

QueuePanel::QueuePanel(Controller& controller, QWidget* parent)
    : QWidget(parent), controller_(controller), file_(usersQueue()), timer_(new QTimer(this)) {
    setObjectName("dock");
    setMinimumHeight(px(120));
    auto* box = new QVBoxLayout(this);
    box->setContentsMargins(px(12), px(6), px(10), px(8));
    box->setSpacing(px(4));
    auto* head = new QHBoxLayout;
    auto* title = new QLabel("Queue");
    title->setFont(textFont(9.75, true));
    facts_ = new QLabel;
    facts_->setProperty("muted", true);
    add_ = new QPushButton("Add this scene...");
    add_->setObjectName("queueAdd");
    connect(add_, &QPushButton::clicked, this, &QueuePanel::addScene);
    run_ = new QPushButton;
    run_->setObjectName("queueRun");
    connect(run_, &QPushButton::clicked, this, [this] { setRunning(!running_); });
    head->addWidget(title);
    head->addSpacing(px(10));
    head->addWidget(facts_, 1);
    head->addWidget(add_);
    head->addWidget(run_);
    box->addLayout(head);
    auto* middle = new QHBoxLayout;
    list_ = new QListWidget;
    list_->setObjectName("queueList");
    list_->setAccessibleName("Queue");
    list_->setContextMenuPolicy(Qt::CustomContextMenu);
    connect(list_, &QListWidget::customContextMenuRequested, this, [this](const QPoint& at) {
        const QListWidgetItem* item = list_->itemAt(at);
        if (!item) return;
        QMenu menu(this);
        fillMenu(menu, item->data(Qt::UserRole).toString().toStdString());
        menu.exec(list_->viewport()->mapToGlobal(at));
    });
    now_ = new QLabel;
    now_->setObjectName("queuePicture");
    now_->setFixedWidth(px(200));
    now_->setAlignment(Qt::AlignCenter);
    now_->setProperty("muted", true);
    now_->setWordWrap(true);
    middle->addWidget(list_, 1);
    middle->addWidget(now_);
    box->addLayout(middle, 1);
    timer_->setInterval(400);
    connect(timer_, &QTimer::timeout, this, &QueuePanel::look);
    timer_->start();
}

void QueuePanel::setFile(const std::filesystem::path& file) {
    file_ = file;
    stamp_ = 1;
    staleKey_ = 1, staleAt_ = {};
    look();
}

void QueuePanel::showEvent(QShowEvent*) {
    stamp_ = 1;
    staleKey_ = 1, staleAt_ = {};
    look();
}

/// What others changed is seen by looking: the queue belongs to whoever works on it.
void QueuePanel::look() {
    if (!isVisible()) return;
    const uint64_t stamp = fileStamp(file_);
    const bool ran = running_;
    running_ = queueRuns(file_);
    progress_ = running_ ? queueProgress(file_) : std::nullopt;
    if (stamp != stamp_) {
        stamp_ = stamp;
        controller_.guarded([this] { queue_ = readQueue(file_); });
    } else if (!running_ && !ran) {
        return findStale();
    }
    findStale();
    showJobs();
}

/// Another once a file came into a folder or went; 0 where there is none.
static uint64_t folderTime(const std::filesystem::path& folder) {
    std::error_code none;
    const auto time = std::filesystem::last_write_time(folder, none);
    return none ? 0 : uint64_t(time.time_since_epoch().count());
}

/// What of the queue and the scenes it goes by, as far as a look tells.
uint64_t QueuePanel::staleKey() const {
    Hasher h;
    for (const QueueJob& job : queue_.jobs)
        if (!job.done.empty())
            h.add(job.id)
                .add(job.done.size())
                .add(fileStamp(fromQueue(file_, job.scene)))
                .add(folderTime(fromQueue(file_, job.out).parent_path()));
    return h.value();
}

/// Reading scenes takes a moment: on another thread, when one of them changed, and now and then at most.
void QueuePanel::findStale() {
    constexpr auto kEach = std::chrono::seconds(3);
    const auto now = std::chrono::steady_clock::now();
    const uint64_t key = staleKey();
    if (key == staleKey_ || now - staleAt_ < kEach) return;
    staleKey_ = key, staleAt_ = now;
    controller_.runOnWorker(
        this,
        [file = file_, jobs = queue_.jobs](Progress& progress) {
            std::map<std::string, std::vector<int>> stale;
            for (const QueueJob& job : jobs) {
                progress.check();
                if (!job.done.empty()) stale[job.id] = staleFrames(file, job);
            }
            return stale;
        },
        [this](const std::map<std::string, std::vector<int>>& stale) {
            if (stale == stale_) return;
            stale_ = stale;
            showJobs();
        });
}

QString QueuePanel::stateOf(const QueueJob& job) const {
    const auto stale = stale_.find(job.id);
    const QString old = stale == stale_.end() || stale->second.empty()
                            ? QString()
                            : QString(" \u00b7 %1 stale: the scene changed since, or they are gone")
                                  .arg(stale->second.size());
    if (!job.failed.empty()) return "failed: " + QString::fromStdString(job.failed);
    if (job.complete()) return "done" + old;
    if (job.paused) return "paused" + old;
    if (!progress_ || progress_->job != job.id) return "waits" + old;
    QString text =
        QString("frame %1, pass %2 of %3").arg(progress_->frame).arg(progress_->pass).arg(progress_->passes);
    if (progress_->left >= 0)
        text += " \u00b7 " + QString::fromStdString(durationText(progress_->left)) + " to go";
    return text;
}

/// How much of a job is there.
int QueuePanel::partOf(const QueueJob& job) const {
    double part = double(job.done.size());
    if (progress_ && progress_->job == job.id && !job.complete())
        part += double(progress_->pass) / std::max(1, progress_->passes);
    return int(kWhole * part / std::max(1, job.count()));
}

QWidget* QueuePanel::rowOf(const QueueJob& job) {
    auto* row = new QWidget;
    auto* line = new QHBoxLayout(row);
    line->setContentsMargins(px(8), px(3), px(4), px(3));
    line->setSpacing(px(8));
    auto* name = new QLabel(QString::fromStdString(job.name));
    name->setFixedWidth(px(170));
    name->setToolTip(QString::fromStdString(job.scene + "\nto " + job.out));
    auto* bar = new QProgressBar;
    bar->setFixedWidth(px(110));
    bar->setFixedHeight(px(6));
    bar->setTextVisible(false);
    bar->setRange(0, kWhole);
    bar->setValue(partOf(job));
    auto* count = new QLabel(QString("%1 of %2").arg(job.done.size()).arg(job.count()));
    count->setFont(figureFont(8.25));
    count->setProperty("muted", true);
    count->setFixedWidth(px(72));
    auto* state = new QLabel(stateOf(job));
    state->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Preferred);
    state->setToolTip(state->text());
    if (!job.failed.empty()) state->setStyleSheet("color:" + tokens().red.name());
    auto* more = menuButton("queueMenu", "Pause, move, render again or take out",
                            [this, id = job.id](QMenu& menu) { fillMenu(menu, id); });
    more->setIcon(icon("more"));
    line->addWidget(name);
    line->addWidget(bar);
    line->addWidget(count);
    line->addWidget(state, 1);
    line->addWidget(more);
    return row;
}

void QueuePanel::showJobs() {
    size_t frames = 0, done = 0;
    for (const QueueJob& job : queue_.jobs) frames += size_t(job.count()), done += job.done.size();
    facts_->setText(queue_.jobs.empty()
                        ? QString("Renders that wait: they work in a program of their own, beside yours")
                        : QString("%1 of %2 frames").arg(done).arg(frames));
    run_->setText(running_ ? "Pause" : "Start");
    run_->setEnabled(running_ || queue_.next() != nullptr);
    if (!QApplication::activePopupWidget()) showRows();  // those under an open menu stay
    showNow();
}

/// Only those that tell something else than before are made anew.
void QueuePanel::showRows() {
    while (list_->count() > int(queue_.jobs.size())) delete list_->takeItem(list_->count() - 1);
    for (size_t i = 0; i < queue_.jobs.size(); ++i) {
        const QueueJob& job = queue_.jobs[i];
        QListWidgetItem* item = list_->item(int(i));
        if (!item) {
            item = new QListWidgetItem(list_);
            item->setSizeHint({0, px(30)});
        }
        const QStringList told{QString::fromStdString(job.id),    QString::fromStdString(job.name),
                               QString::fromStdString(job.scene), QString::fromStdString(job.out),
                               QString::number(job.done.size()),  QString::number(job.count()),
                               QString::number(partOf(job)),      stateOf(job)};
        if (item->data(kTold).toStringList() == told) continue;
        item->setData(kTold, told);
        item->setData(Qt::UserRole, told[0]);
        list_->setItemWidget(item, rowOf(job));
    }
}

/// The picture that is being made.
void QueuePanel::showNow() {
    if (!progress_) {
        now_->setText(queue_.jobs.empty() ? QString() : QString("Nothing is being rendered"));
        picture_ = 0;
    } else if (const uint64_t stamp = fileStamp(progress_->picture); stamp && stamp != picture_) {
        picture_ = stamp;
        const QPixmap picture(QString::fromStdString(progress_->picture.string()));
        if (!picture.isNull())
            now_->setPixmap(picture.scaled(now_->size(), Qt::KeepAspectRatio, Qt::SmoothTransformation));
    }
}

void QueuePanel::change(const std::function<void(Queue&)>& edit) {
    controller_.guarded([&] {
        makeOwnFolder(file_.parent_path());
        editQueue(file_, edit);
    });
    stamp_ = 1;
    look();
}

void QueuePanel::changeJob(const std::string& id, const std::function<void(QueueJob&)>& edit) {
    change([&](Queue& queue) {
        if (QueueJob* job = queue.find(id)) edit(*job);
    });
}

void QueuePanel::move(const std::string& id, int by) {
    change([&](Queue& queue) {
        for (size_t i = 0; i < queue.jobs.size(); ++i) {
            const auto to = std::ptrdiff_t(i) + by;
            if (queue.jobs[i].id != id || to < 0 || to >= std::ptrdiff_t(queue.jobs.size())) continue;
            return std::swap(queue.jobs[i], queue.jobs[size_t(to)]);
        }
    });
}

void QueuePanel::fillMenu(QMenu& menu, const std::string& id) {
    menu.clear();
    const QueueJob* job = queue_.find(id);
    if (!job) return;
    const auto known = stale_.find(id);
    const std::vector<int> old = known == stale_.end() ? std::vector<int>() : known->second;
    if (!job->failed.empty())
        menu.addAction("Try again", this,
                       [=, this] { changeJob(id, [](QueueJob& j) { j.failed.clear(); }); });
    menu.addAction(job->paused ? "Go on" : "Pause", this,
                   [=, this] { changeJob(id, [](QueueJob& j) { j.paused = !j.paused; }); })
        ->setEnabled(!job->complete());
    menu.addAction("Move up", this, [=, this] { move(id, -1); })->setEnabled(queue_.jobs.front().id != id);
    menu.addAction("Move down", this, [=, this] { move(id, 1); })->setEnabled(queue_.jobs.back().id != id);
    menu.addSeparator();
    menu.addAction(job->isVideo() && job->complete() ? "Open the video" : "Play what is there", this,
                   [this, job = *job] { playOrOpen(job); })
        ->setEnabled(!job->done.empty());
    menu.addAction("Render stale frames again", this,
                   [=, this] {
                       changeJob(id, [&](QueueJob& j) {
                           for (const int frame : old) j.done.erase(frame);
                       });
                   })
        ->setEnabled(!old.empty());
    menu.addAction("Render all again", this,
                   [=, this] { changeJob(id, [](QueueJob& j) { j.done.clear(), j.failed.clear(); }); })
        ->setEnabled(!job->done.empty());
    menu.addAction("Take out", this, [=, this] {
        change(
            [&](Queue& queue) { std::erase_if(queue.jobs, [&](const QueueJob& j) { return j.id == id; }); });
    });
}

/// In the pane; a video by the program that this desk opens videos with.
void QueuePanel::playOrOpen(const QueueJob& job) {
    if (job.isVideo() && job.complete()) {
        const auto file = QString::fromStdString(fromQueue(file_, job.out).string());
        if (!QDesktopServices::openUrl(QUrl::fromLocalFile(file)))
            controller_.say("No program here opens videos; it lies at " + file, true);
        return;
    }
    std::map<int, std::filesystem::path> files;
    for (const auto& [frame, made] : job.done)
        if (const auto file = frameFile(file_, job, frame); std::filesystem::exists(file))
            files[frame] = file;
    Q_EMIT playWanted(files);
}

void QueuePanel::addScene() {
    if (controller_.session().path().empty() || controller_.session().dirty())
        return controller_.say("Save the scene first: the queue renders its file", true);
    QueueDialog dialog(controller_, this);
    if (dialog.exec() == QDialog::Accepted) add(dialog.job());
}

void QueuePanel::add(const QueueJob& job) {
    controller_.guarded([&] {
        makeOwnFolder(file_.parent_path());
        addToQueue(file_, job);
        controller_.say("Added to the queue: " + QString::fromStdString(job.name));
    });
    stamp_ = 1;
    look();
}

void QueuePanel::setRunning(bool on) {
    if (!on) {
        change([](Queue& queue) { queue.paused = true; });
        return controller_.say("The queue ends after the pass that is under way; what there is is kept");
    }
    const auto program = io::programFolder() / "ovrix-cli";
    if (!QProcess::startDetached(QString::fromStdString(program.string()),
                                 {"queue", "run", QString::fromStdString(file_.string())}))
        controller_.say(
            "The queue cannot be started: " + QString::fromStdString(program.string()) + " is missing", true);
}

}  // namespace ovrix::app
