// The mixer: prototypes, their shares as one bar, and each one's own range of size and tilt.
#pragma once
#include <QWidget>

#include "app/session/controller.h"
#include "app/widgets/mix_bar.h"
#include "app/widgets/number_box.h"

class QLabel;
class QVBoxLayout;

namespace ovrix::app {

class MixEditor : public QWidget {
    Q_OBJECT
  public:
    MixEditor(Controller& controller, const ParamPath& path, QWidget* parent = nullptr);
    void refresh(const PrototypeMix& mix);

  private:
    struct Row {
        QWidget* widget;
        QLabel *picture, *name;
        NumberBox *size[2], *tilt[2];
    };
    Row makeRow(size_t index);
    void fillMenu(QMenu& menu);
    PrototypeMix now() const;
    void set(const PrototypeMix& mix, bool dragging);

    Controller& controller_;
    ParamPath path_;
    MixBar* bar_;
    QVBoxLayout* rowsLayout_;
    std::vector<Row> rows_;
};

}  // namespace ovrix::app
