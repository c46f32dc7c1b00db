#include "app/window/dialogs.h"

#include <QComboBox>
#include <QDialogButtonBox>
#include <QFormLayout>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QListWidget>
#include <QPushButton>
#include <QScrollArea>
#include <QSettings>
#include <QSpinBox>
#include <QVBoxLayout>
#include <thread>

#include "app/widgets/number_box.h"

namespace ovrix::app {

int ask(QWidget* parent, const QString& title, const QString& text, const QStringList& choices, int offered) {
    QDialog dialog(parent);
    dialog.setObjectName("ask");
    dialog.setWindowTitle(title);
    auto* box = new QVBoxLayout(&dialog);
    box->setContentsMargins(px(16), px(14), px(16), px(14));
    box->setSpacing(px(14));
    auto* label = new QLabel(text);
    label->setTextFormat(Qt::PlainText);
    label->setWordWrap(true);
    label->setMinimumWidth(px(340));
    box->addWidget(label);
    auto* line = new QHBoxLayout;
    line->addStretch();
    int answer = int(choices.size()) - 1;
    for (int i = int(choices.size()) - 1; i >= 0; --i) {  // what is offered stands at the end of the row
        auto* button = new QPushButton(choices[i]);
        button->setDefault(i == offered);
        button->setAutoDefault(i == offered);
        QObject::connect(button, &QPushButton::clicked, &dialog, [&dialog, &answer, i] {
            answer = i;
            dialog.accept();
        });
        line->addWidget(button);
    }
    box->addLayout(line);
    dialog.exec();
    return answer;
}

CommandSearch::CommandSearch(const std::vector<Command>& commands, QWidget* parent)
    : QFrame(parent, Qt::Popup) {
    setObjectName("card");
    setAttribute(Qt::WA_DeleteOnClose);
    auto* box = new QVBoxLayout(this);
    auto* line = new QLineEdit;
    line->setObjectName("commandSearch");
    line->setPlaceholderText("Do anything...");
    auto* list = new QListWidget;
    list->setObjectName("commandList");
    list->setFixedSize(px(440), px(320));
    for (size_t i = 0; i < commands.size(); ++i) {
        const QString keys = commands[i].keys.toString(QKeySequence::NativeText);
        auto* item =
            new QListWidgetItem(keys.isEmpty() ? commands[i].title : commands[i].title + "    " + keys, list);
        item->setToolTip(commands[i].help);
        item->setData(Qt::UserRole, int(i));
        if (!commands[i].enabled()) item->setFlags(Qt::NoItemFlags);
    }
    list->setCurrentRow(0);
    box->addWidget(line);
    box->addWidget(list);
    connect(line, &QLineEdit::textChanged, list, [list, &commands](const QString& text) {
        const QStringList words = text.split(' ', Qt::SkipEmptyParts);
        int first = -1;
        for (int i = 0; i < list->count(); ++i) {
            const Command& c = commands[size_t(list->item(i)->data(Qt::UserRole).toInt())];
            const QString all = c.title + " " + c.help;
            const bool fits = std::all_of(words.begin(), words.end(), [&](const QString& w) {
                return all.contains(w, Qt::CaseInsensitive);
            });
            list->item(i)->setHidden(!fits);
            if (fits && first < 0 && (list->item(i)->flags() & Qt::ItemIsEnabled)) first = i;
        }
        list->setCurrentRow(first);
    });
    const auto take = [this, list, &commands] {
        QListWidgetItem* item = list->currentItem();
        if (!item || item->isHidden() || !(item->flags() & Qt::ItemIsEnabled)) return;
        const auto run = commands[size_t(item->data(Qt::UserRole).toInt())].run;
        close();
        run();
    };
    connect(line, &QLineEdit::returnPressed, this, take);
    connect(list, &QListWidget::itemClicked, this, take);
    connect(list, &QListWidget::itemActivated, this, take);
    adjustSize();
    line->setFocus();
}

Preferences Preferences::load() {
    QSettings s;
    Preferences p;
    p.theme = s.value("theme", "dark").toString() == "light" ? ThemeKind::Light : ThemeKind::Dark;
    p.scale = std::clamp(s.value("scale", 1.0).toDouble(), 1.0, 2.0);
    p.memoryGb = std::clamp(s.value("memoryGb", 8.0).toDouble(), 0.5, 4096.0);
    p.threads = std::clamp(s.value("threads", 0).toInt(), 0, 1024);
    return p;
}

void Preferences::save() const {
    QSettings s;
    s.setValue("theme", theme == ThemeKind::Light ? "light" : "dark");
    s.setValue("scale", scale);
    s.setValue("memoryGb", memoryGb);
    s.setValue("threads", threads);
}

PreferencesDialog::PreferencesDialog(const Preferences& now, QWidget* parent) : QDialog(parent), now_(now) {
    setWindowTitle("Preferences");
    auto* box = new QVBoxLayout(this);
    box->setContentsMargins(px(18), px(16), px(18), px(14));
    auto* form = new QFormLayout;
    form->setHorizontalSpacing(px(18));
    form->setVerticalSpacing(px(8));
    auto* theme = new QComboBox;
    theme->addItems({"Dark", "Light"});
    theme->setCurrentIndex(now.theme == ThemeKind::Light);
    auto* scale = new QComboBox;
    for (int percent : {100, 125, 150, 175, 200})
        scale->addItem(QString("%1%").arg(percent), percent / 100.0);
    scale->setCurrentIndex(std::max(0, scale->findData(now.scale)));
    auto* memory = new NumberBox({.id = "memory",
                                  .title = "Memory limit",
                                  .initial = 8.0,
                                  .unit = "GB",
                                  .hardMin = 0.5,
                                  .hardMax = 4096,
                                  .softMin = 0.5,
                                  .softMax = 64});
    memory->setValue(now.memoryGb);
    memory->setDefault(8);
    auto* threads = new QComboBox;
    const int cores = std::max(1, int(std::thread::hardware_concurrency()));
    threads->addItem(QString("All (%1)").arg(cores), 0);
    for (int n = 1; n < cores; ++n) threads->addItem(QString::number(n), n);
    threads->setCurrentIndex(std::max(0, threads->findData(now.threads)));
    form->addRow("Theme", theme);
    form->addRow("Interface scale", scale);
    form->addRow("Memory limit", memory);
    form->addRow("Threads", threads);
    box->addLayout(form);
    auto* note = new QLabel(
        "The memory limit is kept with each scene; changing it here sets it for the open scene and for new "
        "ones.");
    note->setWordWrap(true);
    note->setProperty("muted", true);
    box->addWidget(note);
    auto* buttons = new QDialogButtonBox(QDialogButtonBox::Close);
    connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::accept);
    box->addWidget(buttons);
    const auto tell = [=, this] {
        now_.theme = theme->currentIndex() ? ThemeKind::Light : ThemeKind::Dark;
        now_.scale = scale->currentData().toDouble();
        now_.memoryGb = memory->value();
        now_.threads = threads->currentData().toInt();
        now_.save();
        Q_EMIT changed(now_);
    };
    for (QComboBox* b : {theme, scale, threads}) connect(b, &QComboBox::activated, this, tell);
    connect(memory, &NumberBox::changed, this, tell);
    resize(px(420), sizeHint().height());
}

ShortcutsPage::ShortcutsPage(const std::vector<Command>& commands, QWidget* parent) : QDialog(parent) {
    setWindowTitle("Shortcuts");
    auto* box = new QVBoxLayout(this);
    auto* inner = new QWidget;
    auto* form = new QFormLayout(inner);
    form->setHorizontalSpacing(px(28));
    const auto row = [&](const QString& keys, const QString& what) {
        auto* k = new QLabel(keys);
        k->setFont(figureFont(9));
        auto* text = new QLabel(what);
        text->setWordWrap(true);
        form->addRow(k, text);
    };
    const auto head = [&](const QString& text) {
        auto* l = new QLabel(text);
        l->setProperty("muted", true);
        l->setContentsMargins(0, px(8), 0, 0);
        form->addRow(l);
    };
    head("Commands");
    for (const Command& c : commands)
        if (!c.keys.isEmpty()) row(c.keys.toString(QKeySequence::NativeText), c.title);
    head("In the view");
    row("Right drag", "Turn around");
    row("Middle drag, Shift+right drag", "Move along");
    row("Wheel, + and -", "Nearer and farther");
    row("Arrows", "Turn in steps");
    row("Click", "Choose");
    head("While painting");
    row("Ctrl, Shift", "The other way; smooth");
    row("Q, W; A, S", "Radius; strength");
    row("Alt+drag", "Radius to the sides, strength up and down");
    head("On single elements");
    row("Drag, Shift, Ctrl", "Move along the surface; turn; size");
    row("Double-click, Delete", "Place one; take it out");
    row("Right click", "Replace, make real, give back");
    head("On a number");
    row("Drag", "Change; Ctrl finer, Shift coarser");
    row("Click, Enter or a digit", "Type: 2.5cm, 1/24, 3*0.2");
    row("Up, Down", "A step; Ctrl finer, Shift coarser");
    row("Double-click", "Default");
    head("On a curve");
    row("Click", "New point; drag to move");
    row("Right click, Delete", "Remove the point");
    row("Page Up, Page Down, arrows", "Choose and move points");
    head("In the outline");
    row("F2", "Rename");
    row("H, Shift+H", "Hide; leave out of the render");
    row("Delete", "Delete");
    auto* scroll = new QScrollArea;
    scroll->setWidgetResizable(true);
    scroll->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    scroll->setWidget(inner);
    box->addWidget(scroll);
    resize(withinWindow(parent, QSize(px(620), px(560))));
}

QSize withinWindow(const QWidget* parent, const QSize& wanted) {
    return parent ? wanted.boundedTo(parent->window()->size() - QSize(px(16), px(16))) : wanted;
}

ChecksPopup::ChecksPopup(Controller& controller, QWidget* parent)
    : QFrame(parent, Qt::Popup), controller_(controller) {
    setObjectName("card");
    setAttribute(Qt::WA_DeleteOnClose);
    connect(&controller_, &Controller::resultsChanged, this, &ChecksPopup::rebuild);
    connect(&controller_, &Controller::checksChanged, this, &ChecksPopup::rebuild);
    new QVBoxLayout(this);
    rebuild();
}

void ChecksPopup::rebuild() {
    delete layout();
    qDeleteAll(findChildren<QWidget*>(QString(), Qt::FindDirectChildrenOnly));
    auto* box = new QVBoxLayout(this);
    box->setContentsMargins(px(12), px(10), px(12), px(10));
    const std::vector<Check> checks = controller_.checks();
    auto* title = new QLabel(checks.empty() ? "Nothing to note" : "Checks");
    title->setFont(textFont(9.75, true));
    box->addWidget(title);
    auto* inner = new QWidget;
    auto* rows = new QVBoxLayout(inner);
    rows->setContentsMargins(0, 0, 0, 0);
    for (const Check& c : checks) {
        auto* row = new QWidget;
        auto* line = new QHBoxLayout(row);
        line->setContentsMargins(0, px(2), 0, px(2));
        auto* mark = new QLabel(c.severity == Severity::Error     ? "error"
                                : c.severity == Severity::Warning ? "warning"
                                                                  : "note");
        mark->setFont(figureFont(8.25));
        mark->setFixedWidth(px(56));
        const QColor color = c.severity == Severity::Error     ? tokens().red
                             : c.severity == Severity::Warning ? tokens().amber
                                                               : tokens().muted;
        mark->setStyleSheet("color:" + color.name());
        auto* text = new QLabel(QString::fromStdString(c.text));
        text->setWordWrap(true);
        text->setTextFormat(Qt::PlainText);
        line->addWidget(mark);
        line->addWidget(text, 1);
        if (!c.node.empty()) {
            auto* show = new QPushButton("Show");
            connect(show, &QPushButton::clicked, this, [this, id = c.node] {
                controller_.selection().select(id);
                close();
            });
            line->addWidget(show);
        }
        if (c.fix) {
            auto* fix = new QPushButton("Fix");
            fix->setToolTip(QString::fromStdString(c.fixTitle));
            connect(fix, &QPushButton::clicked, this,
                    [this, f = c.fix, t = c.fixTitle] { controller_.edit(QString::fromStdString(t), f); });
            line->addWidget(fix);
        }
        rows->addWidget(row);
    }
    rows->addStretch();
    auto* scroll = new QScrollArea;
    scroll->setWidgetResizable(true);
    scroll->setWidget(inner);
    scroll->setFixedHeight(std::min(px(340), inner->sizeHint().height() + px(8)));
    box->addWidget(scroll);
    setFixedWidth(px(520));
    adjustSize();
}

}  // namespace ovrix::app
