// The mixer: prototypes, their shares as one bar, and each one's own range of size and tilt.
#pragma once
#include <QWidget>

#include "app/session/controller.h"
#include "app/widgets/number_box.h"
#include "app/widgets/shares_bar.h"

class QLabel;
class QVBoxLayout;

namespace ovrix::app {

class SharesEditor : public QWidget {
    Q_OBJECT
  public:
    SharesEditor(Controller& controller, const ParamPath& path, QWidget* parent = nullptr);
    void refresh(const Shares& shares);

  private:
    struct Row {
        QWidget* widget;
        QLabel *picture, *name;
        NumberBox *size[2], *tilt[2];
    };
    Row makeRow(size_t index);
    void fillMenu(QMenu& menu);
    Shares now() const;
    void set(const Shares& shares, bool dragging);

    Controller& controller_;
    ParamPath path_;
    SharesBar* bar_;
    QVBoxLayout* rowsLayout_;
    std::vector<Row> rows_;
};

}  // namespace ovrix::app
