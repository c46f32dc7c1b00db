// Choosing what comes along from another scene, and what it is bound to here.
#pragma once
#include <QDialog>

#include "app/session/controller.h"
#include "document/edits/import_nodes.h"

class QFormLayout;
class QLabel;
class QPushButton;
class QTreeWidget;
class QTreeWidgetItem;

namespace ovrix::app {

class BringInDialog : public QDialog {
    Q_OBJECT
  public:
    /// @param other  its paths start where those of @p here do; @p name of its file
    BringInDialog(const Document& here, Document other, const QString& name, QWidget* parent);
    /// What is chosen now.
    ImportOptions choice() const;
    const Document& other() const { return other_; }

  private:
    void fillTree();
    QTreeWidgetItem* itemOf(const NodePtr& node, QTreeWidgetItem* under);
    void onChecked(QTreeWidgetItem* item);
    std::set<std::string> chosen() const;
    void showChosen(const std::set<std::string>& chosen);
    void showLoose();

    const Document here_;
    Document other_;
    QTreeWidget* tree_;
    QLabel *head_, *empty_;
    QWidget* loose_;
    QFormLayout* rows_;
    QPushButton* take_;
    std::map<std::string, QTreeWidgetItem*> items_;
    std::map<std::string, std::string> bind_;
    bool filling_ = false;
};

}  // namespace ovrix::app
