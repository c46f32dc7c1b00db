#include "app/window/table_window.h"

#include <QHBoxLayout>
#include <QHeaderView>
#include <QLabel>
#include <QLineEdit>
#include <QTableView>
#include <QVBoxLayout>

#include "app/theme/theme.h"

namespace ovrix::app {

void ElementRows::show(std::shared_ptr<const ElementTable> table, std::vector<uint32_t> rows) {
    beginResetModel();
    table_ = std::move(table), rows_ = std::move(rows);
    endResetModel();
}

QVariant ElementRows::data(const QModelIndex& index, int role) const {
    if (!table_ || !index.isValid()) return {};
    if (role == Qt::TextAlignmentRole) return int(Qt::AlignRight | Qt::AlignVCenter);
    if (role != Qt::DisplayRole) return {};
    return QString::fromStdString(table_->text(rows_[size_t(index.row())], size_t(index.column())));
}

QVariant ElementRows::headerData(int section, Qt::Orientation orientation, int role) const {
    if (role != Qt::DisplayRole || !table_) return {};
    if (orientation == Qt::Vertical) return QVariant();
    return QString::fromStdString(table_->name(size_t(section)));
}

TableWindow::TableWindow(Controller& controller, QWidget* parent)
    : QDialog(parent), controller_(controller), rows_(new ElementRows(this)) {
    setWindowTitle("Elements");
    setObjectName("elements");
    build();
    follow();
    resize(px(620), px(420));
}

void TableWindow::build() {
    auto* box = new QVBoxLayout(this);
    box->setContentsMargins(px(12), px(10), px(12), px(10));
    box->setSpacing(px(8));
    about_ = new QLabel;
    about_->setObjectName("about");
    about_->setFont(textFont(9.75, true));
    filter_ = new QLineEdit;
    filter_->setObjectName("filter");
    filter_->setPlaceholderText("Only where: heat > 0.5 && y < 2");
    filter_->setToolTip("A formula over what elements carry, as the source Formula has it; Enter takes it");
    filter_->setClearButtonEnabled(true);
    auto* head = new QHBoxLayout;
    head->addWidget(about_);
    head->addStretch();
    head->addWidget(filter_, 1);
    box->addLayout(head);
    view_ = new QTableView;
    view_->setModel(rows_);
    view_->setSelectionBehavior(QAbstractItemView::SelectRows);
    view_->setFont(figureFont(8.5));
    view_->setShowGrid(false);
    view_->setAlternatingRowColors(true);
    view_->verticalHeader()->hide();
    view_->verticalHeader()->setSectionResizeMode(QHeaderView::Fixed);
    view_->verticalHeader()->setDefaultSectionSize(px(22));
    view_->horizontalHeader()->setSectionsClickable(true);
    view_->horizontalHeader()->setDefaultSectionSize(px(96));
    view_->horizontalHeader()->setHighlightSections(false);
    box->addWidget(view_, 1);
    facts_ = new QLabel;
    facts_->setObjectName("facts");
    facts_->setProperty("muted", true);
    facts_->setWordWrap(true);
    box->addWidget(facts_);
}

void TableWindow::follow() {
    connect(&controller_, &Controller::resultsChanged, this, &TableWindow::ask);
    connect(&controller_.selection(), &Selection::selectionChanged, this, &TableWindow::ask);
    connect(&controller_.selection(), &Selection::elementsChanged, this, &TableWindow::chooseHere);
    connect(filter_, &QLineEdit::returnPressed, this, &TableWindow::ask);
    connect(filter_, &QLineEdit::textChanged, this, [this](const QString& text) {
        if (text.isEmpty()) ask();
    });
    connect(view_->horizontalHeader(), &QHeaderView::sectionClicked, this, [this](int column) {
        backward_ = column == sortBy_ && !backward_;
        sortBy_ = column;
        view_->horizontalHeader()->setSortIndicatorShown(true);
        view_->horizontalHeader()->setSortIndicator(column,
                                                    backward_ ? Qt::DescendingOrder : Qt::AscendingOrder);
        ask();
    });
    connect(view_->selectionModel(), &QItemSelectionModel::selectionChanged, this,
            &TableWindow::chooseInView);
    connect(view_->selectionModel(), &QItemSelectionModel::currentColumnChanged, this, &TableWindow::tell);
}

void TableWindow::showEvent(QShowEvent* e) {
    QDialog::showEvent(e);
    ask();
}

void TableWindow::ask() {
    if (!isVisible()) return;
    const Node* node = controller_.selection().node();
    const auto it = node ? controller_.results().layers.find(node->id) : controller_.results().layers.end();
    const bool layer = node && it != controller_.results().layers.end();
    about_->setText(layer ? QString::fromStdString(node->name) : "No layer is chosen");
    const uint64_t request = ++asked_;
    if (!layer) {
        shown_ = request;
        rows_->show(nullptr, {});
        return facts_->setText("Choose a layer that makes points, copies or strands.");
    }
    struct Made {
        std::shared_ptr<const ElementTable> table;
        std::vector<uint32_t> rows;
        std::string problem;
    };
    const auto work = [geometry = it->second.geometry, formula = filter_->text().toStdString(), by = sortBy_,
                       backward = backward_, frame = controller_.clock().frame(),
                       rate = controller_.document().rate()](Progress& progress) {
        Made made{std::make_shared<const ElementTable>(geometry), {}, {}};
        try {
            made.rows = made.table->where(formula, frame, rate, progress);
        } catch (const Error& e) {
            made.problem = e.what();
            made.rows = made.table->where({}, frame, rate, progress);
        }
        if (by >= 0 && size_t(by) < made.table->columns()) made.table->sort(made.rows, size_t(by), backward);
        return made;
    };
    controller_.runOnWorker(this, work, [this, request](const Made& made) {
        if (request != asked_) return;  // a newer one comes
        const int column = std::max(0, view_->currentIndex().column());
        choosing_ = true;  // what was chosen stays so in the view
        rows_->show(made.table, made.rows);
        choosing_ = false;
        view_->setColumnWidth(0, px(158));  // of the longest id
        shown_ = request;
        if (column < rows_->columnCount() && rows_->rowCount() > 0)
            view_->selectionModel()->setCurrentIndex(rows_->index(0, column), QItemSelectionModel::NoUpdate);
        chooseHere();
        tell();
        if (!made.problem.empty()) facts_->setText(QString::fromStdString(made.problem));
    });
}

/// Of the column that is looked at, and how many rows there are.
void TableWindow::tell() {
    const ElementTable* table = rows_->table();
    if (!table || table->columns() == 0) return facts_->setText("This layer makes no elements.");
    const auto count = [](size_t n) { return QLocale(QLocale::English).toString(qulonglong(n)); };
    QString text = rows_->rows().size() == table->rows()
                       ? count(table->rows())
                       : count(rows_->rows().size()) + " of " + count(table->rows());
    const auto column = std::min(size_t(std::max(0, view_->currentIndex().column())), table->columns() - 1);
    const std::string name = table->name(column);
    const ElementTable::Statistics s = table->of(rows_->rows(), column);
    if (s.count > 0 && name != "id")  // names add up to nothing
        text += QString(" \u00b7 %1: %2 to %3, mean %4, deviation %5")
                    .arg(QString::fromStdString(name))
                    .arg(s.least, 0, 'g', 5)
                    .arg(s.most, 0, 'g', 5)
                    .arg(s.mean, 0, 'g', 5)
                    .arg(s.deviation, 0, 'g', 4);
    if (s.without > 0) text += QString(" \u00b7 %1 without a number").arg(count(s.without));
    facts_->setText(text);
}

void TableWindow::chooseInView() {
    if (choosing_ || !rows_->table()) return;
    std::set<uint64_t> ids;
    for (const QModelIndex& index : view_->selectionModel()->selectedRows())
        ids.insert(rows_->table()->id(rows_->rows()[size_t(index.row())]));
    choosing_ = true;
    controller_.selection().setElements(std::move(ids));
    choosing_ = false;
}

void TableWindow::chooseHere() {
    if (choosing_ || !rows_->table()) return;
    const std::set<uint64_t>& ids = controller_.selection().elements();
    QItemSelection chosen;
    QModelIndex first;
    for (size_t r = 0; !ids.empty() && r < rows_->rows().size(); ++r) {
        if (!ids.count(rows_->table()->id(rows_->rows()[r]))) continue;
        const QModelIndex at = rows_->index(int(r), 0);
        if (!first.isValid()) first = at;
        chosen.select(at, rows_->index(int(r), rows_->columnCount() - 1));
    }
    choosing_ = true;
    view_->selectionModel()->select(chosen, QItemSelectionModel::ClearAndSelect);
    if (first.isValid()) view_->scrollTo(first);
    choosing_ = false;
}

}  // namespace ovrix::app
