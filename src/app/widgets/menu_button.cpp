#include "app/widgets/menu_button.h"

namespace ovrix::app {

QToolButton* menuButton(const char* name, const QString& tip, std::function<void(QMenu&)> fill) {
    auto* button = new QToolButton;
    button->setObjectName(name);
    button->setProperty("flat", true);
    button->setToolTip(tip);
    button->setPopupMode(QToolButton::InstantPopup);
    auto* menu = new QMenu(button);
    button->setMenu(menu);
    if (fill)
        QObject::connect(menu, &QMenu::aboutToShow, button, [menu, fill = std::move(fill)] { fill(*menu); });
    return button;
}

}  // namespace ovrix::app
