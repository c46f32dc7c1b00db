#include "app/window/palette_window.h"

#include <QApplication>
#include <QComboBox>
#include <QDrag>
#include <QDragEnterEvent>
#include <QFileDialog>
#include <QFileInfo>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QMimeData>
#include <QPainter>
#include <QPushButton>
#include <QSpinBox>
#include <QStandardPaths>
#include <QVBoxLayout>

#include "app/theme/theme.h"
#include "app/widgets/color_button.h"
#include "app/window/picture_list.h"
#include "base/error.h"
#include "base/files.h"
#include "io/image/image_io.h"

namespace ovrix::app {

PaletteBar::PaletteBar(QWidget* parent) : QWidget(parent) {
    setObjectName("paletteBar");
    setFixedHeight(px(84));
    setCursor(Qt::OpenHandCursor);
    setToolTip("Drag a colour on any colour of the recipe or a material");
}

void PaletteBar::setPalette(const params::Palette& palette) {
    palette_ = palette;
    update();
}

QRect PaletteBar::rectOf(size_t index) const {
    float before = 0.0f, all = 0.0f;
    for (size_t i = 0; i < palette_.size(); ++i) {
        if (i < index) before += palette_[i].share;
        all += palette_[i].share;
    }
    if (index >= palette_.size() || !(all > 0.0f)) return {};
    const int left = int(before / all * float(width())),
              right = int((before + palette_[index].share) / all * float(width()));
    return {left, 0, std::max(1, right - left), height() - px(24)};
}

void PaletteBar::paintEvent(QPaintEvent*) {
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    const QRect whole(0, 0, width(), height() - px(24));
    p.setFont(textFont(8.75));
    if (palette_.empty()) {
        p.setPen(QPen(tokens().line, 1, Qt::DashLine));
        p.drawRoundedRect(QRectF(whole).adjusted(0.5, 0.5, -0.5, -0.5), px(4), px(4));
        p.setPen(tokens().muted);
        p.drawText(whole, Qt::AlignCenter, "Drop a picture here");
        return;
    }
    for (size_t i = 0; i < palette_.size(); ++i) {
        const QRect r = rectOf(i);
        p.fillRect(r, toScreenColor(palette_[i].color));
        const QString share = QString::number(std::lround(100.0f * palette_[i].share)) + "%";
        p.setPen(tokens().muted);
        const QRect under(r.left(), r.bottom() + 1, r.width(), px(22));
        if (p.fontMetrics().horizontalAdvance(share) <= under.width())
            p.drawText(under, Qt::AlignCenter, share);
    }
}

void PaletteBar::mousePressEvent(QMouseEvent* e) { pressed_ = e->pos(); }

void PaletteBar::mouseMoveEvent(QMouseEvent* e) {
    if (!(e->buttons() & Qt::LeftButton) ||
        (e->pos() - pressed_).manhattanLength() < QApplication::startDragDistance())
        return;
    for (size_t i = 0; i < palette_.size(); ++i) {
        if (!rectOf(i).contains(pressed_)) continue;
        auto* drag = new QDrag(this);
        auto* mime = new QMimeData;
        mime->setColorData(toScreenColor(palette_[i].color));
        QPixmap shown(px(26), px(26));
        shown.fill(toScreenColor(palette_[i].color));
        drag->setPixmap(shown);
        drag->setMimeData(mime);
        drag->exec(Qt::CopyAction);
        return;
    }
}

std::filesystem::path PaletteWindow::ownFolder() {
    return pathOf(QStandardPaths::writableLocation(QStandardPaths::AppDataLocation)) / "palettes";
}

PaletteWindow::PaletteWindow(Controller& controller, QWidget* parent)
    : QDialog(parent),
      controller_(controller),
      jobs_([this](const std::exception& e) { Q_EMIT failed(QString::fromStdString(problemOf(e))); }) {
    setObjectName("palette");
    setWindowTitle("Palette");
    setAcceptDrops(true);
    resize(px(460), px(250));
    build();
    follow();
    listSaved();
    refresh();
}

PaletteWindow::~PaletteWindow() { jobs_.clear(); }

void PaletteWindow::build() {
    auto* box = new QVBoxLayout(this);
    box->setContentsMargins(px(14), px(14), px(14), px(14));
    box->setSpacing(px(8));
    auto* top = new QHBoxLayout;
    choose_ = new QPushButton("Picture...");
    choose_->setObjectName("choosePicture");
    count_ = new QSpinBox;
    count_->setObjectName("paletteCount");
    count_->setRange(1, 16);
    count_->setValue(6);
    count_->setSuffix(" colours");
    saved_ = new QComboBox;
    saved_->setObjectName("savedPalettes");
    top->addWidget(choose_);
    top->addWidget(count_);
    top->addStretch(1);
    top->addWidget(saved_, 1);
    box->addLayout(top);
    bar_ = new PaletteBar;
    box->addWidget(bar_);
    about_ = new QLabel;
    about_->setProperty("muted", true);
    about_->setWordWrap(true);
    about_->setMinimumHeight(px(34));
    box->addWidget(about_);
    box->addStretch(1);
    auto* use = new QHBoxLayout;
    spread_ = new QPushButton;
    spread_->setObjectName("spreadPalette");
    spread_->setToolTip("Each element takes one of the colours at random, as often as its share says");
    remove_ = new QPushButton("Take out");
    remove_->setObjectName("removePalette");
    remove_->setToolTip("Deletes the palette that is chosen above");
    use->addWidget(spread_, 1);
    use->addWidget(remove_);
    box->addLayout(use);
    auto* own = new QHBoxLayout;
    name_ = new QLineEdit;
    name_->setObjectName("paletteName");
    name_->setPlaceholderText("A name to save it under");
    save_ = new QPushButton("Save");
    save_->setObjectName("savePalette");
    own->addWidget(name_, 1);
    own->addWidget(save_);
    box->addLayout(own);
    for (QPushButton* b : {choose_, spread_, save_, remove_}) b->setAutoDefault(false);
}

void PaletteWindow::follow() {
    connect(choose_, &QPushButton::clicked, this, &PaletteWindow::choosePicture);
    connect(count_, &QSpinBox::valueChanged, this, &PaletteWindow::again);
    connect(saved_, &QComboBox::activated, this, &PaletteWindow::takeSaved);
    connect(spread_, &QPushButton::clicked, this, &PaletteWindow::spread);
    connect(save_, &QPushButton::clicked, this, &PaletteWindow::save);
    connect(remove_, &QPushButton::clicked, this, &PaletteWindow::removeSaved);
    connect(name_, &QLineEdit::textChanged, this, &PaletteWindow::refresh);
    connect(&controller_.selection(), &Selection::selectionChanged, this, &PaletteWindow::refresh);
    connect(this, &PaletteWindow::found, this, &PaletteWindow::show);
    connect(this, &PaletteWindow::failed, this, [this](const QString& problem) {
        about_->setText(problem);
        controller_.say(problem, true);
    });
}

void PaletteWindow::choosePicture() {
    const QString file = QFileDialog::getOpenFileName(this, "Choose a picture");
    if (!file.isEmpty()) look(file);
}

void PaletteWindow::look(const QString& file) {
    file_ = file;
    name_->setText(QFileInfo(file).completeBaseName());
    again();
}

void PaletteWindow::again() {
    if (file_.isEmpty()) return;
    about_->setText("Looking at " + QFileInfo(file_).fileName());
    const size_t most = controller_.document().memoryLimit();
    jobs_.postNewest(
        [this, path = pathOf(file_), count = count_->value(), most](Progress& progress) {
            try {
                Q_EMIT found(params::paletteOf(*readImage(path, "sRGB", most), count, progress));
            } catch (const Cancelled&) {
            } catch (const std::exception& e) {
                Q_EMIT failed(QString::fromStdString(problemOf(e)));
            }
        },
        JobThread::Forerunner::Cancel);
}

void PaletteWindow::show(const params::Palette& palette) {
    bar_->setPalette(palette);
    about_->setText(palette.empty()
                        ? "Nothing is to be seen in that picture."
                        : "Drag a colour on any colour, or spread all of them over what is chosen.");
    refresh();
}

void PaletteWindow::refresh() {
    const Node* node = controller_.selection().node();
    const bool fits = node && (node->category() == Category::Object || node->category() == Category::Layer ||
                               node->category() == Category::Material);
    const bool any = !bar_->colors().empty();
    spread_->setText(fits ? "Spread over " + fontMetrics().elidedText(QString::fromStdString(node->name),
                                                                      Qt::ElideRight, px(180))
                          : "Choose what they shall be spread over");
    spread_->setEnabled(fits && any);
    save_->setEnabled(any && !name_->text().trimmed().isEmpty());
    remove_->setEnabled(saved_->currentIndex() > 0);
    if (about_->text().isEmpty())
        about_->setText("The main colours of a picture, by how much of it they cover.");
}

void PaletteWindow::listSaved() {
    saved_->clear();
    saved_->addItem("Saved palettes");
    std::error_code none;
    std::vector<std::filesystem::path> files;
    for (const auto& item : std::filesystem::directory_iterator(ownFolder(), none))
        if (item.path().extension() == ".palette") files.push_back(item.path());
    std::sort(files.begin(), files.end());
    for (const auto& file : files) saved_->addItem(textOf(file.stem()), textOf(file));
}

void PaletteWindow::takeSaved() {
    if (saved_->currentIndex() <= 0) return refresh();
    controller_.guarded([&] {
        const NamedPalette palette = loadPalette(pathOf(saved_->currentData().toString()));
        file_.clear();
        name_->setText(QString::fromStdString(palette.name));
        show(palette.colors);
    });
}

void PaletteWindow::spread() {
    controller_.edit("Spread a palette", [&](const Document& d) {
        return withPaletteSpread(d, controller_.selection().id(), bar_->colors());
    });
}

void PaletteWindow::save() {
    controller_.guarded([&] {
        const std::string name = name_->text().trimmed().toStdString();
        std::filesystem::create_directories(ownFolder());
        const auto file = freeFile(ownFolder(), name, ".palette");
        savePalette({name, bar_->colors()}, file);
        listSaved();
        saved_->setCurrentIndex(saved_->findData(textOf(file)));
        refresh();
        controller_.say("Saved as " + textOf(file));
    });
}

void PaletteWindow::removeSaved() {
    if (saved_->currentIndex() <= 0) return;
    controller_.guarded([&] { removeFile(pathOf(saved_->currentData().toString())); });
    listSaved();
    refresh();
}

void PaletteWindow::dragEnterEvent(QDragEnterEvent* e) {
    for (const QUrl& url : e->mimeData()->urls())
        if (url.isLocalFile()) return e->acceptProposedAction();
}

void PaletteWindow::dropEvent(QDropEvent* e) {
    for (const QUrl& url : e->mimeData()->urls())
        if (url.isLocalFile()) {
            look(url.toLocalFile());
            return e->acceptProposedAction();
        }
}

}  // namespace ovrix::app
