#include "app/time/key_curves.h"

#include <QComboBox>
#include <QHBoxLayout>
#include <QListWidget>
#include <QPushButton>
#include <QVBoxLayout>

#include "app/theme/theme.h"

namespace ovrix::app {

void KeyCurves::fillBar(QHBoxLayout& bar) {
    const auto button = [&](const char* name, const char* title, const char* tip,
                            const std::function<void()>& run) {
        auto* b = new QPushButton(title);
        b->setObjectName(name);
        b->setToolTip(tip);
        connect(b, &QPushButton::clicked, this, run);
        bar.addWidget(b);
    };
    const struct {
        const char *name, *title, *tip;
        KeyEase ease;
    } eases[] = {{"easeSmooth", "Smooth", "Through the chosen keys without a stop", KeyEase::Smooth},
                 {"easeStraight", "Straight", "In straight lines", KeyEase::Linear},
                 {"easeEased", "Eased", "Slow at both ends", KeyEase::Eased},
                 {"easeStepped", "Stepped", "Stays until the next key", KeyEase::Hold},
                 {"easeFree", "Handles", "By handles to drag; Alt bends one side alone", KeyEase::Free}};
    for (const auto& e : eases)
        button(e.name, e.title, e.tip, [this, ease = e.ease] { canvas_->easeChosen(ease); });
    bar.addSpacing(px(8));
    repeat_ = new QComboBox;
    repeat_->setObjectName("repeat");
    repeat_->addItems({"ends hold", "keys again", "again, going on"});
    repeat_->setToolTip("What comes before the first key and after the last");
    connect(repeat_, &QComboBox::activated, this, [this](int i) { canvas_->setRepeat(KeyRepeat(i)); });
    bar.addWidget(repeat_);
    bar.addSpacing(px(8));
    button("copyKeys", "Copy", "The chosen keys (Ctrl+C)", [this] { canvas_->copyChosen(); });
    button("pasteKeys", "Paste", "From this frame on, into the chosen parameters (Ctrl+V)",
           [this] { canvas_->paste(); });
    button("fitKeys", "Fit", "All of the curves", [this] { canvas_->fit(); });
}

KeyCurves::KeyCurves(Controller& controller, QWidget* parent) : QWidget(parent), controller_(controller) {
    setObjectName("dock");
    auto* rows = new QVBoxLayout(this);
    rows->setContentsMargins(px(10), px(6), px(10), px(4));
    rows->setSpacing(px(4));
    auto* bar = new QHBoxLayout;
    bar->setSpacing(px(4));
    canvas_ = new KeyCanvas(controller_);
    fillBar(*bar);
    bar->addStretch();
    rows->addLayout(bar);
    auto* columns = new QHBoxLayout;
    columns->setSpacing(px(6));
    list_ = new QListWidget;
    list_->setObjectName("keyTracks");
    list_->setFixedWidth(px(190));
    columns->addWidget(list_);
    columns->addWidget(canvas_, 1);
    rows->addLayout(columns, 1);
    connect(list_, &QListWidget::itemChanged, this, [this](QListWidgetItem* item) {
        std::vector<KeyTrack> tracks = canvas_->tracks();
        const size_t row = size_t(list_->row(item));
        if (row < tracks.size()) tracks[row].shown = item->checkState() == Qt::Checked;
        canvas_->setTracks(tracks);
    });
    connect(canvas_, &KeyCanvas::chosenChanged, this, [this] {
        const auto on = canvas_->workedOn();
        if (on.empty()) return;
        if (const auto p = controller_.paramNow(on.front())) repeat_->setCurrentIndex(int(p->repeat));
    });
    connect(&controller_, &Controller::documentChanged, this, [this](const DocumentChanges& changes) {
        if (changes.list || changes.has(node_) || changes.has(controller_.selection().id())) refresh();
    });
    connect(&controller_.selection(), &Selection::selectionChanged, this, &KeyCurves::refresh);
    refresh();
}

void KeyCurves::refresh() {
    const Document& d = controller_.document();
    std::vector<KeyTrack> tracks;
    for (const ParamPath& path : animatedParams(d, controller_.selection().id())) {
        const ParamSpec& spec = specAt(d, path);
        const int count = componentsOf(spec.initial);
        const char* axes[3][3] = {{"", "", ""}, {" from", " to", ""}, {" x", " y", " z"}};
        const char* colors[] = {" red", " green", " blue"};
        for (int c = 0; c < count; ++c) {
            const QString part = spec.type == ParamType::Color ? colors[c] : axes[count - 1][c];
            tracks.push_back({path, c, QString::fromStdString(spec.title) + part, true});
        }
    }
    const bool same = tracks == canvas_->tracks();
    if (same)
        for (size_t i = 0; i < tracks.size(); ++i) tracks[i].shown = canvas_->tracks()[i].shown;
    if (!same || node_ != controller_.selection().id()) {
        const QSignalBlocker quiet(list_);
        list_->clear();
        for (size_t i = 0; i < tracks.size(); ++i) {
            auto* item = new QListWidgetItem(tracks[i].name, list_);
            QPixmap swatch(px(10), px(10));
            swatch.fill(KeyCanvas::colorOf(i));
            item->setIcon(swatch);
            item->setFlags(item->flags() | Qt::ItemIsUserCheckable);
            item->setCheckState(Qt::Checked);
        }
        node_ = controller_.selection().id();
    }
    canvas_->setTracks(tracks);
}

}  // namespace ovrix::app
