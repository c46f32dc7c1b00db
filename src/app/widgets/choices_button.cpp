#include "app/widgets/choices_button.h"

#include <QKeyEvent>
#include <QMenu>
#include <QMouseEvent>
#include <QStyleOptionComboBox>
#include <QStylePainter>

#include "app/theme/theme.h"

namespace ovrix::app {

ChoicesButton::ChoicesButton(const std::vector<std::string>& choices, QWidget* parent)
    : QToolButton(parent), menu_(new QMenu(this)) {
    setObjectName("choices");
    setPopupMode(QToolButton::InstantPopup);
    setToolButtonStyle(Qt::ToolButtonTextOnly);
    setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Fixed);
    setFixedHeight(px(26));
    setFocusPolicy(Qt::StrongFocus);
    for (const std::string& choice : choices) {
        QAction* action = menu_->addAction(QString::fromStdString(choice).replace('_', ' '));
        action->setData(QString::fromStdString(choice));
        action->setCheckable(true);
        connect(action, &QAction::triggered, this, &ChoicesButton::tell);
    }
    menu_->installEventFilter(this);
    setMenu(menu_);
}

void ChoicesButton::setChosen(const Refs& chosen) {
    QStringList names;
    for (QAction* action : menu_->actions()) {
        const bool on =
            std::find(chosen.begin(), chosen.end(), action->data().toString().toStdString()) != chosen.end();
        action->setChecked(on);
        if (on) names << action->text();
    }
    const QString all = names.join(", ");
    setText(names.isEmpty()     ? QString("none")
            : names.size() <= 2 ? all
                                : QString("%1 chosen").arg(names.size()));
    setAccessibleName(all);
}

void ChoicesButton::tell() {
    Refs chosen;
    for (const QAction* action : menu_->actions())
        if (action->isChecked()) chosen.push_back(action->data().toString().toStdString());
    Q_EMIT changed(chosen);
}

/// As a box of one choice.
void ChoicesButton::paintEvent(QPaintEvent*) {
    QStylePainter painter(this);
    QStyleOptionComboBox option;
    option.initFrom(this);
    option.currentText = text();
    painter.drawComplexControl(QStyle::CC_ComboBox, option);
    painter.drawControl(QStyle::CE_ComboBoxLabel, option);
}

/// A click, Space or Enter turns one on or off and leaves the menu open.
bool ChoicesButton::eventFilter(QObject* watched, QEvent* event) {
    const auto press = [](QAction* action) {
        if (!action) return false;
        action->trigger();
        return true;
    };
    if (event->type() == QEvent::MouseButtonRelease)
        return press(menu_->actionAt(static_cast<QMouseEvent*>(event)->position().toPoint()));
    if (event->type() == QEvent::KeyPress) {
        const int key = static_cast<QKeyEvent*>(event)->key();
        if (key == Qt::Key_Space || key == Qt::Key_Return || key == Qt::Key_Enter)
            return press(menu_->activeAction());
    }
    return QToolButton::eventFilter(watched, event);
}

}  // namespace ovrix::app
