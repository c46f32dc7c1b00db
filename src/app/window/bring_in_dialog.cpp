#include "app/window/bring_in_dialog.h"

#include <QComboBox>
#include <QDialogButtonBox>
#include <QFormLayout>
#include <QHeaderView>
#include <QLabel>
#include <QPushButton>
#include <QScrollArea>
#include <QTreeWidget>
#include <QVBoxLayout>

#include "app/theme/theme.h"
#include "app/window/dialogs.h"

namespace ovrix::app {

namespace {

constexpr int kId = Qt::UserRole;

QString text(const std::string& s) { return QString::fromStdString(s); }

QString listed(const std::vector<std::string>& names) {
    QStringList list;
    for (const std::string& n : names) list << text(n);
    return list.join(", ");
}

}  // namespace

BringInDialog::BringInDialog(const Document& here, Document other, const QString& name, QWidget* parent)
    : QDialog(parent), here_(here), other_(std::move(other)) {
    setWindowTitle("Bring in from " + name);
    auto* box = new QVBoxLayout(this);
    box->setContentsMargins(px(18), px(16), px(18), px(14));
    box->setSpacing(px(8));
    auto* what = new QLabel("What comes along");
    what->setFont(textFont(9.75, true));
    box->addWidget(what);
    tree_ = new QTreeWidget;
    tree_->setObjectName("bringTree");
    tree_->setColumnCount(2);
    tree_->setHeaderHidden(true);
    tree_->header()->setStretchLastSection(false);
    tree_->header()->setSectionResizeMode(0, QHeaderView::Stretch);
    tree_->header()->setSectionResizeMode(1, QHeaderView::ResizeToContents);
    box->addWidget(tree_, 3);
    head_ = new QLabel("In place of what stays there");
    head_->setFont(textFont(9.75, true));
    box->addWidget(head_);
    empty_ = new QLabel("Nothing: all that it names comes along.");
    empty_->setProperty("muted", true);
    empty_->setWordWrap(true);
    box->addWidget(empty_);
    loose_ = new QWidget;
    rows_ = new QFormLayout(loose_);
    rows_->setContentsMargins(0, 0, 0, 0);
    rows_->setHorizontalSpacing(px(18));
    rows_->setVerticalSpacing(px(6));
    auto* scroll = new QScrollArea;
    scroll->setWidgetResizable(true);
    scroll->setFrameShape(QFrame::NoFrame);
    scroll->setWidget(loose_);
    scroll->setMinimumHeight(px(76));
    box->addWidget(scroll, 1);
    auto* buttons = new QDialogButtonBox(QDialogButtonBox::Cancel);
    take_ = buttons->addButton("Bring in", QDialogButtonBox::AcceptRole);
    take_->setObjectName("bringTake");
    for (QAbstractButton* b : buttons->buttons()) b->setIcon({});
    connect(buttons, &QDialogButtonBox::accepted, this, &QDialog::accept);
    connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::reject);
    box->addWidget(buttons);
    fillTree();
    connect(tree_, &QTreeWidget::itemChanged, this, &BringInDialog::onChecked);
    showLoose();
    resize(withinWindow(parent, QSize(px(520), px(560))));
}

QTreeWidgetItem* BringInDialog::itemOf(const NodePtr& node, QTreeWidgetItem* under) {
    auto* item = new QTreeWidgetItem({text(node->name), text(categoryName(node->category()))});
    item->setData(0, kId, text(node->id));
    item->setFlags(Qt::ItemIsEnabled | Qt::ItemIsSelectable | Qt::ItemIsUserCheckable);
    item->setCheckState(0, Qt::Unchecked);
    item->setForeground(1, tokens().muted);
    item->setSizeHint(0, QSize(0, px(24)));
    under ? under->addChild(item) : tree_->addTopLevelItem(item);
    items_[node->id] = item;
    return item;
}

/// As the outline has them: layers under what they lie on.
void BringInDialog::fillTree() {
    for (const NodePtr& node : other_.nodes())
        if (mayComeAlong(*node) && node->category() != Category::Layer) itemOf(node, nullptr);
    for (const NodePtr& node : other_.nodes(Category::Layer)) {
        const auto on = items_.find(other_.value(node->id, kLayer.surface));
        itemOf(node, on == items_.end() ? nullptr : on->second);
    }
    tree_->expandAll();
    if (tree_->topLevelItemCount()) tree_->setCurrentItem(tree_->topLevelItem(0));
}

std::set<std::string> BringInDialog::chosen() const {
    std::set<std::string> out;
    for (const auto& [id, item] : items_)
        if (item->checkState(0) == Qt::Checked) out.insert(id);
    return out;
}

void BringInDialog::showChosen(const std::set<std::string>& ids) {
    filling_ = true;
    for (const auto& [id, item] : items_) item->setCheckState(0, ids.count(id) ? Qt::Checked : Qt::Unchecked);
    filling_ = false;
}

/// What is chosen brings what it needs; that may be taken out again, and bound to something here.
void BringInDialog::onChecked(QTreeWidgetItem* item) {
    if (filling_) return;
    std::set<std::string> now = chosen();
    if (item->checkState(0) == Qt::Checked) {
        now.merge(withNeeds(other_, {item->data(0, kId).toString().toStdString()}));
        showChosen(now);
    }
    showLoose();
}

void BringInDialog::showLoose() {
    while (rows_->rowCount()) rows_->removeRow(0);
    const auto ends = looseEnds(other_, chosen());
    for (const LooseEnd& end : ends) {
        auto* to = new QComboBox;
        to->setObjectName("bind_" + text(end.id));
        to->addItem("nothing", QString());
        for (const Node* node : bindable(here_, end)) to->addItem(text(node->name), text(node->id));
        if (!bind_.count(end.id)) bind_[end.id] = likelyBinding(here_, end);
        to->setCurrentIndex(std::max(0, to->findData(text(bind_[end.id]))));
        connect(to, &QComboBox::currentIndexChanged, this,
                [this, to, id = end.id] { bind_[id] = to->currentData().toString().toStdString(); });
        auto* label = new QLabel(text(end.name) + (end.missing ? " (missing there)" : ""));
        label->setToolTip("Named by " + listed(end.named));
        to->setToolTip("What stands here in its place for " + listed(end.named));
        rows_->addRow(label, to);
    }
    const bool some = !chosen().empty();
    head_->setVisible(some);
    empty_->setVisible(some && ends.empty());
    take_->setEnabled(some);
}

ImportOptions BringInDialog::choice() const {
    ImportOptions out{chosen(), {}};
    for (const LooseEnd& end : looseEnds(other_, out.chosen))
        if (const auto it = bind_.find(end.id); it != bind_.end()) out.bind[end.id] = it->second;
    return out;
}

}  // namespace ovrix::app
