// What is in the scene, grouped by what lies on what.
#pragma once
#include <QTreeWidget>

#include "app/session/controller.h"

class QMenu;

namespace ovrix::app {

struct OutlineRow {
    std::string id;  ///< of a node; empty for the title of a group
    QString title;
    int depth = 0;
    bool operator==(const OutlineRow&) const = default;
};

class Outline : public QTreeWidget {
    Q_OBJECT
  public:
    explicit Outline(Controller& controller, QWidget* parent = nullptr);
    /// Of the row at a place of the viewport; empty where there is none.
    std::string idAt(const QPoint& at) const;
    QTreeWidgetItem* itemOf(const std::string& id) const;

  protected:
    void drawBranches(QPainter*, const QRect&, const QModelIndex&) const override {
    }  // rows paint their own ground
    void contextMenuEvent(QContextMenuEvent*) override;
    void keyPressEvent(QKeyEvent*) override;
    void mousePressEvent(QMouseEvent*) override;
    void startDrag(Qt::DropActions) override;
    void dragEnterEvent(QDragEnterEvent*) override;
    void dragMoveEvent(QDragMoveEvent*) override;
    void dropEvent(QDropEvent*) override;

  private:
    void fillLayerMenu(QMenu& menu, const std::string& id);
    void followDocument(const DocumentChanges& changes);
    void rebuild();
    QTreeWidgetItem* addRow(QTreeWidgetItem* under, const OutlineRow& row);
    static void fillRow(QTreeWidgetItem& item, const Node& node);
    void refreshCounts();
    void refreshCount(const std::string& id, QTreeWidgetItem& item);
    void toggleFlag(const std::string& id, bool shown);

    Controller& controller_;
    std::vector<OutlineRow> rows_;
    std::map<std::string, QTreeWidgetItem*> items_;
    bool filling_ = false;
};

/// Columns of an item's data.
enum OutlineRole { IdRole = Qt::UserRole, CountRole, ShownRole, RenderedRole, GroupRole, ProblemRole };

}  // namespace ovrix::app
