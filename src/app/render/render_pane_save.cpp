// Pins of the render pane, and its pictures as files.
#include <QFileDialog>
#include <QHBoxLayout>
#include <QMenu>
#include <QToolButton>

#include "app/render/history_window.h"
#include "app/render/render_pane.h"
#include "app/render/scope.h"
#include "app/render/sequence_player.h"
#include "app/theme/theme.h"
#include "base/error.h"
#include "base/file_sequence.h"
#include "deliver/pictures/render_file.h"

namespace ovrix::app {

HeatTable heatTable() {
    HeatTable heat;
    for (size_t i = 0; i < heat.size(); ++i) heat[i] = heatColor(float(i) / 255.0f).rgb();
    return heat;
}

void RenderPane::play(std::map<int, std::filesystem::path> files) {
    if (files.empty()) return controller_.say("None of the frames is there yet", true);
    setLive(false);
    player_->open(std::move(files));
}

void RenderPane::playFile(const std::filesystem::path& file) {
    const std::string pattern = isSequence(file.string()) ? file.string() : sequenceOf(file);
    std::map<int, std::filesystem::path> files;
    for (const int frame : framesOf(pattern)) files[frame] = fileOfFrame(pattern, frame);
    if (files.empty() && std::filesystem::exists(file)) files[1] = file;
    play(std::move(files));
}

/// What is played is looked at as a picture; then the render comes back.
void RenderPane::followPlayer() {
    connect(player_, &SequencePlayer::shown, this, [this](const QImage& image) {
        picture_->setImage(image, {0, 0, double(image.width()), double(image.height())}, image.size());
        scope_->setImage(image);
    });
    connect(player_, &SequencePlayer::left, this, [this] {
        picture_->setImage(pictured_.image, pictured_.window, pictured_.film);
        scope_->setImage(pictured_.image);
    });
    connect(this, &RenderPane::liveChanged, player_, [this](bool live) {
        if (live) player_->leave();
    });
}

void RenderPane::keepPicture() {
    history_->keep(picture_->image(),
                   {.passes = last_.pass, .seconds = last_.seconds, .frame = controller_.clock().frame()});
}

void RenderPane::pin() {
    const QImage image = picture_->image();
    if (image.isNull()) return controller_.say("There is no picture to pin yet", true);
    keepPicture();
    pinImage(image);
}

void RenderPane::pinImage(const QImage& image) {
    if (image.isNull()) return;
    auto* b = new QToolButton;
    b->setObjectName("pinned");
    b->setCheckable(true);
    b->setFixedSize(px(64), px(42));
    b->setIconSize({px(58), px(36)});
    b->setIcon(QIcon(QPixmap::fromImage(
        image.scaled(px(116), px(72), Qt::KeepAspectRatioByExpanding, Qt::SmoothTransformation))));
    b->setToolTip(
        "Compare with this pin; drag the line over the picture. Right-click for other ways, and to let it "
        "go.");
    b->setContextMenuPolicy(Qt::CustomContextMenu);
    connect(b, &QToolButton::clicked, this,
            [this, b, image](bool on) { comparePin(on ? b : nullptr, image); });
    connect(b, &QToolButton::customContextMenuRequested, this, [this, b, image](const QPoint& at) {
        QMenu menu(this);
        fillPinMenu(menu, b, image);
        menu.exec(b->mapToGlobal(at));
    });
    pins_->insertWidget(pins_->count() - 1, b);
    comparePin(b, image);
}

void RenderPane::fillPinMenu(QMenu& menu, QToolButton* pin, const QImage& image) {
    using Compare = PictureArea::Compare;
    for (const auto& [text, way] :
         {std::pair("Wipe", Compare::Wipe), std::pair("Side by side", Compare::Beside),
          std::pair("Difference", Compare::Difference)}) {
        QAction* a = menu.addAction(text, this, [this, pin, image, way = way] {
            picture_->setCompare(way);
            comparePin(pin, image);
        });
        a->setCheckable(true);
        a->setChecked(pin->isChecked() && picture_->compare() == way);
    }
    menu.addSeparator();
    menu.addAction("Let it go", this, [this, pin] {
        if (pin->isChecked()) comparePin(nullptr, {});
        pin->deleteLater();
    });
}

void RenderPane::comparePin(QToolButton* pin, const QImage& image) {
    for (QToolButton* b : findChildren<QToolButton*>("pinned")) b->setChecked(b == pin);
    picture_->setPinned(pin ? image : QImage());
}

void RenderPane::save(const QString& file, std::optional<PixelDepth> depth) {
    const RenderedFilm rendered = worker_.rendered();
    if (!rendered.film) return controller_.say("There is no picture to save yet: render first", true);
    std::filesystem::path path = file.toStdString();
    if (path.extension().empty()) path += ".exr";
    const SceneContext scene = controller_.scene();
    const double frame = controller_.clock().frame();
    const auto finishedFor = [scene, frame, this](const std::filesystem::path& to, const FilmView& view,
                                                  const RenderedFilm& r, const std::vector<V3f>* light,
                                                  Progress& progress) -> std::optional<FinishedPicture> {
        const bool picture = view.kind == FilmView::Kind::Light && view.group == kAllLights;
        if (endingOf(to) == ".exr" || !picture || !hasFinish(scene.document)) return {};
        const FilmPasses passes(*r.film, r.job->objectNames, r.job->layerNames, r.job->materialNames);
        return finishPicture(scene, toFinish(*r.film, light, passes, *r.job, frame), controller_.evaluator(),
                             false, progress);
    };
    const auto work = [rendered, scene, frame, finishedFor, path, depth,
                       memory = controller_.document().memoryLimit(), denoising = worker_.denoising(),
                       shown = worker_.shownView(*rendered.film), heat = heatTable()](Progress& progress) {
        WriteOptions options = defaultWriteOptions(path);
        const int group = endingOf(path) == ".exr" ? kAllLights : shown.group;
        if (depth) options.depth = *depth;
        auto clean = group == kAllLights ? rendered.clean : nullptr;
        if (denoising && !clean)  // passes have come since what is shown was made
            clean =
                std::make_shared<const std::vector<V3f>>(denoise(*rendered.film, memory, progress, group));
        const auto finished = finishedFor(path, shown, rendered, denoising ? clean.get() : nullptr, progress);
        std::optional<CleanParts> parts;
        if (denoising && clean && endingOf(path) == ".exr" && keepsParts(rendered.film->layout()))
            parts = denoisedParts(*rendered.film, *clean, memory, progress);
        PictureNotes notes = *rendered.job;
        std::vector<std::string> problems;
        notes.finish = finishOptions(scene, frame, notes.finish.exposure, problems);
        saveRender(path,
                   {*rendered.film, denoising ? clean.get() : nullptr, finished ? &*finished : nullptr, shown,
                    heat, parts ? &*parts : nullptr},
                   notes, options);
        return QString::fromStdString(path.filename().string());
    };
    controller_.runOnWorker(
        this, work, [this](const QString& name) { controller_.say("Saved " + name); }, "Nothing was saved");
}

void RenderPane::chooseFileAndSave() {
    const struct {
        QString title, ending;
        PixelDepth depth;
    } kinds[] = {{"EXR with all passes, half (*.exr)", ".exr", PixelDepth::Half},
                 {"EXR with all passes, float (*.exr)", ".exr", PixelDepth::Float},
                 {"TIFF, 16 bits (*.tif)", ".tif", PixelDepth::Bits16},
                 {"PNG, 8 bits (*.png)", ".png", PixelDepth::Bits8},
                 {"PNG, 16 bits (*.png)", ".png", PixelDepth::Bits16}};
    QStringList titles;
    for (const auto& k : kinds) titles << k.title;
    QString chosen = titles[0];
    QString file = QFileDialog::getSaveFileName(
        this, "Save the picture", QString::fromStdString(controller_.session().folder().string()),
        titles.join(";;"), &chosen);
    if (file.isEmpty()) return;
    const auto& kind = kinds[std::max<qsizetype>(0, titles.indexOf(chosen))];
    if (QFileInfo(file).suffix().isEmpty()) file += kind.ending;
    const bool fits =
        file.endsWith(kind.ending, Qt::CaseInsensitive);  // another ending was typed: it decides
    save(file, fits ? std::optional(kind.depth) : std::nullopt);
}

}  // namespace ovrix::app
