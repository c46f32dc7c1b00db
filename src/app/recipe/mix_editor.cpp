#include "app/recipe/mix_editor.h"

#include <QHBoxLayout>
#include <QLabel>
#include <QMenu>
#include <QPushButton>
#include <QVBoxLayout>

#include "app/recipe/mesh_thumbnail.h"
#include "app/theme/theme.h"
#include "params/specs.h"

namespace ovrix::app {

/// Light on dark and on light ground: faces must be told apart.
static QColor pictureColor() {
    const QColor text = tokens().text;
    return text.lightnessF() > 0.5f ? text : tokens().muted.lighter(170);
}

MixEditor::MixEditor(Controller& controller, const ParamPath& path, QWidget* parent)
    : QWidget(parent), controller_(controller), path_(path), bar_(new MixBar), rowsLayout_(new QVBoxLayout) {
    auto* all = new QVBoxLayout(this);
    all->setContentsMargins(0, 0, 0, 0);
    all->setSpacing(px(6));
    all->addWidget(bar_);
    rowsLayout_->setSpacing(px(6));
    all->addLayout(rowsLayout_);
    auto* add = new QPushButton("Add a prototype");
    add->setObjectName("addPrototype");
    add->setProperty("link", true);
    auto* menu = new QMenu(add);
    add->setMenu(menu);
    connect(menu, &QMenu::aboutToShow, this, [this, menu] { fillMenu(*menu); });
    all->addWidget(add, 0, Qt::AlignLeft);
    connect(bar_, &MixBar::changed, this, &MixEditor::set);
    connect(bar_, &MixBar::finished, this, [this] { controller_.endDrag(); });
    connect(&controller_, &Controller::resultsChanged, this, [this] { refresh(now()); });
}

PrototypeMix MixEditor::now() const {
    const auto param = controller_.paramNow(path_);
    return param ? std::get<PrototypeMix>(param->value) : PrototypeMix();
}

void MixEditor::set(const PrototypeMix& mix, bool dragging) { controller_.setValue(path_, mix, dragging); }

void MixEditor::fillMenu(QMenu& menu) {
    menu.clear();
    for (const NodePtr& n : controller_.document().nodes(Category::Object))
        menu.addAction(QString::fromStdString(n->name), this, [this, id = n->id] {
            PrototypeMix mix = now();
            double mean = mix.empty() ? 1.0 : 0.0;
            for (const WeightedPrototype& s : mix) mean += s.weight / double(mix.size());
            mix.push_back({id, mean});
            set(mix, false);
        });
    if (menu.isEmpty()) menu.addAction("There is no object: drop a mesh on the window")->setEnabled(false);
}

MixEditor::Row MixEditor::makeRow(size_t index) {
    Row row;
    row.widget = new QWidget(this);
    auto* line = new QHBoxLayout(row.widget);
    line->setContentsMargins(0, 0, 0, 0);
    line->setSpacing(px(6));
    row.picture = new QLabel;
    row.picture->setFixedSize(px(40), px(40));
    line->addWidget(row.picture);
    auto* right = new QVBoxLayout;
    right->setSpacing(px(2));
    row.name = new QLabel;
    row.name->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Fixed);
    right->addWidget(row.name);
    auto* numbers = new QHBoxLayout;
    numbers->setSpacing(px(3));
    const auto pair = [&](const char* sign, const char* help, const ParamSpec& spec,
                          Range WeightedPrototype::*member, NumberBox* boxes[2]) {
        auto* label = new QLabel(sign);
        label->setProperty("muted", true);
        label->setToolTip(help);
        numbers->addWidget(label);
        for (int end = 0; end < 2; ++end) {
            boxes[end] = new NumberBox(spec);
            boxes[end]->setToolTip(help);
            boxes[end]->setMinimumWidth(px(30));
            connect(boxes[end], &NumberBox::changed, this,
                    [this, index, member, end](double x, bool dragging) {
                        PrototypeMix mix = now();
                        if (index >= mix.size()) return;
                        Range& r = mix[index].*member;
                        r = end ? Range{std::min(r.min, x), x} : Range{x, std::max(r.max, x)};
                        set(mix, dragging);
                    });
            connect(boxes[end], &NumberBox::finished, this, [this] { controller_.endDrag(); });
            numbers->addWidget(boxes[end], 1);
        }
    };
    pair("\u00d7", "Factors on the size of this prototype's copies, picked between the two",
         specs::number("size", "Size", 1, "", 0, 1e6, 0, 3, ""), &WeightedPrototype::size, row.size);
    pair("\u2220", "Degrees that this prototype's copies lean, picked between the two",
         specs::number("tilt", "Tilt", 0, "deg", -180, 180, 0, 90, ""), &WeightedPrototype::tilt, row.tilt);
    right->addLayout(numbers);
    line->addLayout(right, 1);
    rowsLayout_->addWidget(row.widget);
    return row;
}

void MixEditor::refresh(const PrototypeMix& mix) {
    QStringList names;
    for (const WeightedPrototype& s : mix) {
        const Node* n = controller_.document().find(s.ref);
        names << (n ? QString::fromStdString(n->name) : "missing");
    }
    bar_->setMix(mix, names);
    while (rows_.size() > mix.size()) {
        rows_.back().widget->hide();
        rows_.back().widget->deleteLater();
        rowsLayout_->removeWidget(rows_.back().widget);
        rows_.pop_back();
    }
    while (rows_.size() < mix.size()) rows_.push_back(makeRow(rows_.size()));
    for (size_t i = 0; i < rows_.size(); ++i) {
        const Row& row = rows_[i];
        row.name->setText(names[int(i)]);
        row.name->setToolTip(names[int(i)]);
        row.size[0]->setValue(mix[i].size.min), row.size[1]->setValue(mix[i].size.max);
        row.tilt[0]->setValue(mix[i].tilt.min), row.tilt[1]->setValue(mix[i].tilt.max);
        const auto object = controller_.results().objects.find(mix[i].ref);
        const int side = int(px(40) * devicePixelRatioF());
        QPixmap picture;
        if (object != controller_.results().objects.end())
            picture = meshThumbnail(object->second, pictureColor(), side);
        picture.setDevicePixelRatio(devicePixelRatioF());
        row.picture->setPixmap(picture);
    }
}

}  // namespace ovrix::app
