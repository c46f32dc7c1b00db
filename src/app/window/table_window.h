// What the elements of the chosen layer carry, as a table.
#pragma once
#include <QAbstractTableModel>
#include <QDialog>

#include "app/session/controller.h"
#include "eval/pick/element_table.h"

class QLabel;
class QLineEdit;
class QTableView;

namespace ovrix::app {

/// Rows in the order and of the choice that was made of them. Of the interface's thread.
class ElementRows : public QAbstractTableModel {
    Q_OBJECT
  public:
    using QAbstractTableModel::QAbstractTableModel;
    void show(std::shared_ptr<const ElementTable> table, std::vector<uint32_t> rows);
    const ElementTable* table() const { return table_.get(); }
    const std::vector<uint32_t>& rows() const { return rows_; }
    int rowCount(const QModelIndex& parent = {}) const override {
        return parent.isValid() ? 0 : int(rows_.size());
    }
    int columnCount(const QModelIndex& parent = {}) const override {
        return parent.isValid() || !table_ ? 0 : int(table_->columns());
    }
    QVariant data(const QModelIndex& index, int role) const override;
    QVariant headerData(int section, Qt::Orientation orientation, int role) const override;

  private:
    std::shared_ptr<const ElementTable> table_;
    std::vector<uint32_t> rows_;
};

/// Follows the chosen layer. Sorts by a click on a column, filters by a formula, tells of the column that is
/// looked at, and chooses in the view what is chosen here, and the other way.
class TableWindow : public QDialog {
    Q_OBJECT
  public:
    TableWindow(Controller& controller, QWidget* parent);
    ElementRows* rows() const { return rows_; }
    QTableView* view() const { return view_; }
    /// Whether what is shown is that of the newest results, filter and order.
    bool settled() const { return shown_ == asked_; }

  protected:
    void showEvent(QShowEvent*) override;

  private:
    void build();
    void follow();
    /// Looks at the layer anew, on the worker's thread.
    void ask();
    void tell();
    void chooseInView();
    void chooseHere();

    Controller& controller_;
    ElementRows* rows_;
    QTableView* view_;
    QLineEdit* filter_;
    QLabel *about_, *facts_;
    int sortBy_ = -1;
    bool backward_ = false, choosing_ = false;
    uint64_t asked_ = 0, shown_ = 0;
};

}  // namespace ovrix::app
