// Lays widgets in lines from left to right, as many lines as the width asks for.
#pragma once
#include <QLayout>

namespace ovrix::app {

class FlowLayout : public QLayout {
  public:
    FlowLayout(QWidget* parent, int gap) : QLayout(parent), gap_(gap) {}
    ~FlowLayout() override {
        while (QLayoutItem* item = takeAt(0)) delete item;
    }
    void addItem(QLayoutItem* item) override { items_.push_back(item); }
    int count() const override { return int(items_.size()); }
    QLayoutItem* itemAt(int i) const override { return i >= 0 && i < count() ? items_[size_t(i)] : nullptr; }
    QLayoutItem* takeAt(int i) override;
    bool hasHeightForWidth() const override { return true; }
    int heightForWidth(int width) const override { return place({0, 0, width, 0}, false); }
    QSize sizeHint() const override;
    QSize minimumSize() const override;
    void setGeometry(const QRect& rect) override {
        QLayout::setGeometry(rect);
        place(rect, true);
    }

  private:
    /// The height that is taken; moves the widgets when @p really.
    int place(const QRect& rect, bool really) const;
    std::vector<QLayoutItem*> items_;
    int gap_;
};

}  // namespace ovrix::app
