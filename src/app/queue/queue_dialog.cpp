#include <QCheckBox>
#include <QComboBox>
#include <QDialogButtonBox>
#include <QDoubleSpinBox>
#include <QFileDialog>
#include <QFormLayout>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QPlainTextEdit>
#include <QPushButton>
#include <QSpinBox>
#include <QTimer>
#include <QToolButton>

#include "app/queue/queue_panel.h"
#include "app/theme/theme.h"
#include "base/error.h"
#include "base/files.h"
#include "deliver/pictures/frame_render.h"
#include "deliver/pictures/preflight.h"
#include "io/denoiser/denoiser.h"
#include "io/formats/format.h"
#include "io/video/video_writer.h"

namespace ovrix::app {

namespace {

QSpinBox* number(int low, int high, int value) {
    auto* box = new QSpinBox;
    box->setRange(low, high);
    box->setValue(value);
    box->setButtonSymbols(QAbstractSpinBox::NoButtons);
    return box;
}

/// What a look ahead found, in words.
struct Ahead {
    uint64_t number = 0;
    QString text;
    bool bad = false;
};

QString textOf(const Preflight& found, const QueueJob& job) {
    QStringList lines;
    for (const std::string& problem : found.problems) {
        QString text = QString::fromStdString(problem);
        lines << text.at(0).toUpper() + text.mid(1);
    }
    lines << QString::fromStdString(aheadText(found, job.count()));
    return lines.join("\n");
}

QWidget* sideBySide(std::initializer_list<QWidget*> widgets) {
    auto* row = new QWidget;
    auto* line = new QHBoxLayout(row);
    line->setContentsMargins(0, 0, 0, 0);
    line->setSpacing(px(6));
    for (QWidget* w : widgets)
        line->addWidget(w, qobject_cast<QSpinBox*>(w) || qobject_cast<QLineEdit*>(w) ? 1 : 0);
    return row;
}

constexpr int kThisFrame = 0, kAllFrames = 1, kSomeFrames = 2;  // places in the list

}  // namespace

QueueDialog::QueueDialog(Controller& controller, QWidget* parent) : QDialog(parent), controller_(controller) {
    setObjectName("queueDialog");
    setWindowTitle("Add to the queue");
    auto* box = new QVBoxLayout(this);
    box->setContentsMargins(px(18), px(16), px(18), px(14));
    box->setSpacing(px(14));
    makeWhat();
    makeHow();
    makeWhere();
    box->addLayout(makeForm());
    ahead_ = new QLabel;
    ahead_->setObjectName("ahead");
    ahead_->setWordWrap(true);
    ahead_->setTextFormat(Qt::PlainText);
    ahead_->setProperty("muted", true);
    ahead_->setMinimumHeight(2 * fontMetrics().lineSpacing());
    box->addWidget(ahead_);
    connect(frames_, &QComboBox::currentIndexChanged, this, &QueueDialog::showFrames);
    connect(denoise_, &QCheckBox::toggled, this, &QueueDialog::showFrames);
    connect(out_, &QLineEdit::textChanged, this, &QueueDialog::showOut);
    box->addWidget(makeButtons());
    showFrames();
    showOut();
    lookAheadSoon();
}

/// What is rendered of the scene.
void QueueDialog::makeWhat() {
    const Document& d = controller_.document();
    const auto file = controller_.session().path();
    name_ = new QLineEdit(QString::fromStdString(file.stem().string()));
    name_->setObjectName("name");
    frames_ = new QComboBox;
    frames_->addItems({"This frame", "All frames", "From ... to"});
    first_ = number(-1000000, 1000000, d.frames().first);
    last_ = number(-1000000, 1000000, d.frames().second);
    camera_ = new QComboBox;
    camera_->addItem("As the render settings say", QString());
    for (const NodePtr& n : d.nodes(Category::Camera))
        camera_->addItem(QString::fromStdString(n->name), QString::fromStdString(n->id));
    width_ = number(1, 32768, int(d.renderSetting(kRender.width)));
    height_ = number(1, 32768, int(d.renderSetting(kRender.height)));
    samples_ = number(1, 1048576, int(d.renderSetting(kRender.samples)));
    samples_->setObjectName("samples");
}

/// How clean it gets, and what is made of it.
void QueueDialog::makeHow() {
    const Document& d = controller_.document();
    denoise_ = new QCheckBox("Take the noise out");
    denoise_->setChecked(hasDenoiser());
    denoise_->setEnabled(hasDenoiser());
    noise_ = new QDoubleSpinBox;
    noise_->setObjectName("noise");
    noise_->setRange(0, 1);
    noise_->setDecimals(4);
    noise_->setButtonSymbols(QAbstractSpinBox::NoButtons);
    noise_->setValue(double(d.renderSetting(kRender.noise)));
    noise_->setToolTip("Where the picture has less noise, it is worked on no further; 0 for all samples");
    steady_ = new QCheckBox("Steady from frame to frame");
    steady_->setObjectName("steady");
    steady_->setChecked(true);
    steady_->setToolTip(
        "Goes by the three frames before, too, along what moves: what noise is left flickers less");
    finish_ = new QCheckBox("Finish it as the scene says");
    finish_->setObjectName("finish");
    finish_->setChecked(true);
}

/// The file, and what is other in the scene.
void QueueDialog::makeWhere() {
    const auto file = controller_.session().path();
    codec_ = new QComboBox;
    codec_->setObjectName("codec");
    codec_->addItem("As the ending usually has it", QString());
    for (const std::string& name : videoCodecNames())
        codec_->addItem(QString::fromStdString(name), QString::fromStdString(name));
    out_ = new QLineEdit(
        QString::fromStdString((file.parent_path() / (file.stem().string() + ".png")).string()));
    out_->setObjectName("out");
    out_->setMinimumWidth(px(300));
    out_->setToolTip(
        "NAME.png, .tif or .exr, with #### for the frame where there are several; or a video: NAME.mp4, "
        ".mov, .mkv");
    changes_ = new QPlainTextEdit;
    changes_->setObjectName("changes");
    changes_->setFixedHeight(px(58));
    changes_->setPlaceholderText("sun/elevation=10");
    changes_->setToolTip("What is other than in the scene, a line each: node/parameter=value");
}

QFormLayout* QueueDialog::makeForm() {
    auto* form = new QFormLayout;
    form->setHorizontalSpacing(px(18));
    form->setVerticalSpacing(px(8));
    auto* choose = new QToolButton;
    choose->setText("...");
    connect(choose, &QToolButton::clicked, this, [this] {
        const QString chosen = QFileDialog::getSaveFileName(this, "Where to", out_->text());
        if (!chosen.isEmpty()) out_->setText(chosen);
    });
    form->addRow("Name", name_);
    form->addRow("Frames", frames_);
    form->addRow("", sideBySide({first_, last_}));
    form->addRow("Camera", camera_);
    form->addRow("Size", sideBySide({width_, height_}));
    form->addRow("Samples", samples_);
    form->addRow("Noise", noise_);
    form->addRow("", denoise_);
    form->addRow("", steady_);
    form->addRow("", finish_);
    form->addRow("Variant", changes_);
    form->addRow("File", sideBySide({out_, choose}));
    form->addRow("Codec", codec_);
    return form;
}

QDialogButtonBox* QueueDialog::makeButtons() {
    auto* buttons = new QDialogButtonBox;
    buttons->addButton("Cancel", QDialogButtonBox::RejectRole);
    auto* add = buttons->addButton("Add", QDialogButtonBox::AcceptRole);
    add->setObjectName("addToQueue");
    add->setDefault(true);
    for (QAbstractButton* b : buttons->buttons()) b->setIcon({});  // no style's own
    connect(buttons, &QDialogButtonBox::accepted, this, &QDialog::accept);
    connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::reject);
    return buttons;
}

/// Once nothing was changed for a moment.
void QueueDialog::lookAheadSoon() {
    later_ = new QTimer(this);
    later_->setSingleShot(true);
    later_->setInterval(400);
    connect(later_, &QTimer::timeout, this, &QueueDialog::look);
    const auto again = [this] { later_->start(); };
    for (QComboBox* b : {frames_, camera_}) connect(b, &QComboBox::currentIndexChanged, this, again);
    for (QSpinBox* b : {first_, last_, width_, height_, samples_})
        connect(b, &QSpinBox::valueChanged, this, again);
    connect(out_, &QLineEdit::textChanged, this, again);
    connect(changes_, &QPlainTextEdit::textChanged, this, again);
    again();
}

/// Renders it tiny, beside, and tells how long it takes, what for, and what would spoil it.
void QueueDialog::look() {
    ahead_->setText("A tiny picture is rendered to tell how long it takes...");
    controller_.runOnWorker(
        this,
        [job = job(), folder = controller_.session().folder(), number = ++looks_,
         &evaluator = controller_.evaluator()](Progress& progress) {
            Ahead out{number, {}, false};
            try {
                FrameRenderer renderer(sceneOf(folder / "look.queue", job), evaluator);
                const FrameOptions options{.frame = job.first,
                                           .camera = job.camera,
                                           .width = job.width,
                                           .height = job.height,
                                           .samples = job.samples};
                const Preflight found =
                    lookAhead(renderer.jobFor(options, progress), job.out, job.count(), progress);
                out.text = textOf(found, job);
                out.bad = !found.problems.empty();
            } catch (const Error& e) {
                out.text = QString::fromStdString(problemOf(e)), out.bad = true;
            }
            return out;
        },
        [this](const Ahead& ahead) {
            if (ahead.number != looks_) return;  // something else is asked for by now
            ahead_->setText(ahead.text);
            ahead_->setStyleSheet(ahead.bad ? "color:" + tokens().red.name() : QString());
        });
}

/// Codecs are of videos, and what light is in EXR stays as it was rendered.
void QueueDialog::showOut() {
    const std::string out = out_->text().toStdString();
    codec_->setEnabled(canUse(out, Use::WriteVideo));
    finish_->setEnabled(endingOf(out) != ".exr");
}

/// Several frames take a name that tells them apart.
void QueueDialog::showFrames() {
    const int which = frames_->currentIndex();
    for (QSpinBox* b : {first_, last_}) b->setEnabled(which == kSomeFrames);
    steady_->setEnabled(which != kThisFrame && denoise_->isChecked());
    if (which == kThisFrame)
        first_->setValue(int(controller_.clock().frame())), last_->setValue(first_->value());
    if (which == kAllFrames) {
        first_->setValue(controller_.document().frames().first);
        last_->setValue(controller_.document().frames().second);
    }
    const QFileInfo out(out_->text());
    const bool picture = QStringList{"png", "tif", "exr"}.contains(out.suffix());
    const bool sequence = out.fileName().contains('#');
    if (which != kThisFrame && picture && !sequence)
        out_->setText(out.path() + "/" + out.completeBaseName() + ".####." + out.suffix());
    if (which == kThisFrame && sequence) out_->setText(out_->text().remove(".####"));
}

QueueJob QueueDialog::job() const {
    QueueJob job;
    job.name = name_->text().toStdString();
    job.scene = std::filesystem::absolute(controller_.session().path()).string();
    job.first = first_->value(), job.last = last_->value();
    job.camera = camera_->currentData().toString().toStdString();
    job.width = width_->value(), job.height = height_->value(), job.samples = samples_->value();
    job.noise = noise_->value();
    job.denoise = denoise_->isChecked(), job.finish = finish_->isChecked();
    job.steady = steady_->isChecked();
    for (const QString& line : changes_->toPlainText().split('\n', Qt::SkipEmptyParts))
        if (!line.trimmed().isEmpty()) job.changes.push_back(line.trimmed().toStdString());
    job.out = std::filesystem::absolute(out_->text().toStdString()).string();
    if (codec_->isEnabled()) job.codec = codec_->currentData().toString().toStdString();
    return job;
}

}  // namespace ovrix::app
