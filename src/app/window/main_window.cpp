#include "app/window/main_window.h"

#include <tbb/global_control.h>

#include <QAbstractItemView>
#include <QApplication>
#include <QCloseEvent>
#include <QComboBox>
#include <QFileDialog>
#include <QHBoxLayout>
#include <QLabel>
#include <QMenu>
#include <QMimeData>
#include <QPushButton>
#include <QSettings>
#include <QShortcut>
#include <QSplitter>
#include <QTimer>
#include <QToolButton>
#include <QVBoxLayout>

#include "app/outline/outline.h"
#include "app/queue/queue_panel.h"
#include "app/recipe/recipe_panel.h"
#include "app/render/render_pane.h"
#include "app/render/variations_window.h"
#include "app/time/key_curves.h"
#include "app/time/time_strip.h"
#include "app/view/view_widget.h"
#include "app/window/finishings_window.h"
#include "app/window/library_window.h"
#include "app/window/materials_window.h"
#include "app/window/palette_window.h"
#include "app/window/table_window.h"
#include "document/edits/outside.h"

namespace ovrix::app {

MainWindow::MainWindow(QWidget* parent) : QMainWindow(parent), preferences_(Preferences::load()) {
    setAcceptDrops(true);
    setMinimumSize(900, 560);
    resize(1280, 800);
    makeCommands();
    messageTimer_ = new QTimer(this);
    messageTimer_->setSingleShot(true);
    connect(messageTimer_, &QTimer::timeout, this, [this] { message_->clear(); });
    buildInterface();
    for (size_t i = 0; i < commands_.size(); ++i)
        if (!commands_[i].keys.isEmpty()) {
            auto* shortcut = new QShortcut(commands_[i].keys, this);
            connect(shortcut, &QShortcut::activated, this, [this, i] {
                if (commands_[i].enabled()) commands_[i].run();
            });
        }
    clock_ = new QTimer(this);
    clock_->setInterval(100);
    connect(clock_, &QTimer::timeout, this, [this] {
        const bool slow = controller_.jobs().busySeconds() > 0.5;
        working_->setVisible(slow);
        cancel_->setVisible(slow);
        if (slow)
            working_->setText(QString("%1 %2 s")
                                  .arg(QString::fromStdString(controller_.jobs().title()))
                                  .arg(controller_.jobs().busySeconds(), 0, 'f', 1));
    });
    clock_->start();
    connect(&controller_, &Controller::documentChanged, this, &MainWindow::refreshTitle);
    connect(&controller_, &Controller::fileChanged, this, &MainWindow::refreshTitle);
    connect(&controller_, &Controller::sceneChanged, this, [this] { askedToWait_.clear(); });
    connect(&controller_, &Controller::resultsChanged, this, &MainWindow::refreshStatus);
    connect(&controller_, &Controller::checksChanged, this, &MainWindow::refreshStatus);
    connect(&controller_, &Controller::resultsChanged, this, &MainWindow::askWhetherToWait,
            Qt::QueuedConnection);  // a question waits for its answer, and results are not to wait for it
    connect(&controller_, &Controller::modeChanged, this, &MainWindow::refreshMode);
    connect(&controller_, &Controller::message, this, &MainWindow::showMessage);
    applyPreferences(preferences_);
    qApp->installEventFilter(this);
}

MainWindow::~MainWindow() {
    // The render's thread uses the controller's evaluator: it ends first.
    delete centralWidget();
}

/// Space plays, but presses the button that the keyboard went to.
bool MainWindow::eventFilter(QObject* object, QEvent* event) {
    if (event->type() == QEvent::FocusIn) {
        const Qt::FocusReason reason = static_cast<QFocusEvent*>(event)->reason();
        byKeyboard_ = reason == Qt::TabFocusReason || reason == Qt::BacktabFocusReason;
    }
    if (event->type() == QEvent::ShortcutOverride && static_cast<QKeyEvent*>(event)->key() == Qt::Key_Space &&
        (object->property("takesSpace").toBool() ||
         (byKeyboard_ && (qobject_cast<QAbstractButton*>(object) || qobject_cast<QComboBox*>(object) ||
                          qobject_cast<QAbstractItemView*>(object))))) {
        event->accept();
        return true;
    }
    return QMainWindow::eventFilter(object, event);
}

void MainWindow::run(const QString& id) {
    for (const Command& c : commands_)
        if (c.id == id && c.enabled()) return c.run();
}

/// Draft or Full.
QLayout* MainWindow::makeModeButtons() {
    draft_ = new QToolButton;
    full_ = new QToolButton;
    for (QToolButton* b : {draft_, full_}) {
        b->setObjectName("segment");
        b->setCheckable(true);
        b->setFixedHeight(px(26));
        b->setSizePolicy(QSizePolicy::Minimum, QSizePolicy::Fixed);
    }
    draft_->setToolTip("Show a share of each layer: fast while shaping (Ctrl+1)");
    full_->setToolTip("Show everything (Ctrl+2)");
    connect(draft_, &QToolButton::clicked, this, [this] {
        controller_.setFull(false);
        refreshMode();
    });
    connect(full_, &QToolButton::clicked, this, &MainWindow::askFull);
    auto* segments = new QHBoxLayout;
    segments->setSpacing(0);
    segments->addWidget(draft_);
    segments->addWidget(full_);
    return segments;
}

void MainWindow::makeToolbar() {
    bar_ = new QWidget;
    bar_->setObjectName("bar");
    bar_->setFixedHeight(px(44));
    auto* line = new QHBoxLayout(bar_);
    line->setContentsMargins(px(10), 0, px(12), 0);
    line->setSpacing(px(6));
    auto* file = new QPushButton("File");
    file->setToolTip("Open, save, recent scenes");
    auto* fileMenu = new QMenu(file);
    connect(fileMenu, &QMenu::aboutToShow, this, [this, fileMenu] { fillFileMenu(*fileMenu); });
    file->setMenu(fileMenu);
    auto* add = new QPushButton("Add");
    add->setToolTip("Surfaces, layers, lights, cameras, materials");
    auto* addMenu = new QMenu(add);
    connect(addMenu, &QMenu::aboutToShow, this, [this, addMenu] { fillAddMenu(*addMenu); });
    add->setMenu(addMenu);
    title_ = new QLabel;
    title_->setFont(textFont(9.75, true));
    title_->setStyleSheet("color:" + tokens().seaGlass.name());
    edited_ = new QLabel;
    edited_->setProperty("muted", true);
    undo_ = new QPushButton;
    redo_ = new QPushButton;
    undo_->setIcon(icon("undo"));
    redo_->setIcon(icon("redo"));
    undo_->setAccessibleName("Undo");
    redo_->setAccessibleName("Redo");
    connect(undo_, &QPushButton::clicked, this, [this] { controller_.undo(); });
    connect(redo_, &QPushButton::clicked, this, [this] { controller_.redo(); });
    auto* search = new QPushButton(px(100) > 150 ? "Ctrl K" : "Do anything...    Ctrl K");
    search->setObjectName("search");
    search->setToolTip("Search for anything that can be done (Ctrl+K)");
    search->setMinimumWidth(px(84));
    search->setSizePolicy(QSizePolicy::Preferred, QSizePolicy::Fixed);
    connect(search, &QPushButton::clicked, this, &MainWindow::openSearch);
    renderButton_ = new QPushButton("Render");
    renderButton_->setProperty("primary", true);
    renderButton_->setMinimumWidth(px(72));
    renderButton_->setToolTip("Render beside the view (Ctrl+R)");
    connect(renderButton_, &QPushButton::clicked, this, [this] { run("render"); });
    for (QWidget* w : {static_cast<QWidget*>(file), static_cast<QWidget*>(add), static_cast<QWidget*>(undo_),
                       static_cast<QWidget*>(redo_)})
        line->addWidget(w);
    line->addSpacing(px(8));
    line->addWidget(title_);
    line->addWidget(edited_);
    line->addStretch();
    line->addWidget(search);
    line->addStretch();
    line->addLayout(makeModeButtons());
    line->addSpacing(px(4));
    line->addWidget(renderButton_);
}

void MainWindow::askExport(ExportAs what) {
    const std::string layer = controller_.selection().id();
    if (what != ExportAs::Mesh || unattended_) return chooseExportFile(what, layer);
    controller_.files().measureMesh(layer, [this, what, layer](double bytes) {
        const QString size = QString::fromStdString(byteText(bytes));
        if (bytes < 2e8 || ask(this, "One mesh", QString("All as one mesh takes about %1.").arg(size),
                               {"Go on", "Cancel"}) == 0)
            chooseExportFile(what, layer);
    });
}

void MainWindow::chooseExportFile(ExportAs what, const std::string& layer) {
    const QString file = QFileDialog::getSaveFileName(
        this, what == ExportAs::Mesh ? "One mesh of all it makes" : "Copies, strands or points",
        QString::fromStdString((controller_.session().folder() / layer).string()),
        what == ExportAs::Mesh ? fileFilter("Meshes", Use::WriteMesh)
                               : fileFilter("Copies, strands and points", Use::WriteElements));
    if (!file.isEmpty()) controller_.files().exportLayerTo(layer, what, file);
}

void MainWindow::showBelow(const QString& what, bool show) {
    auto* button = strip_->findChild<QToolButton*>(what);
    if (button->isChecked() != show) button->click();
}

void MainWindow::showRender(bool show) {
    if (!show) render_->setLive(false);
    if (show && render_->isHidden()) {
        render_->show();
        const int w = middle_->width();
        middle_->setSizes({w * 55 / 100, w * 45 / 100});
    }
    render_->setVisible(show);
}

void MainWindow::applyPreferences(const Preferences& p) {
    const bool restyle = p.theme != preferences_.theme || p.scale != preferences_.scale;
    preferences_ = p;
    setMemoryCap(size_t(p.memoryGb * 1e9));
    threads_.reset();
    if (p.threads > 0)
        threads_ = std::make_shared<tbb::global_control>(tbb::global_control::max_allowed_parallelism,
                                                         size_t(p.threads));
    if (!restyle) return;
    const bool render = !render_->isHidden(), live = render_->live();
    render_->setLive(false);
    applyTheme(*qApp, p.theme, p.scale);
    buildInterface();
    delete std::exchange(materials_, nullptr);
    delete std::exchange(finishings_, nullptr);
    delete std::exchange(palette_, nullptr);
    delete std::exchange(library_, nullptr);  // made anew in the other size when it is next opened
    showRender(render);
    if (live) render_->setLive(true);
}

bool MainWindow::save() {
    if (controller_.session().path().empty()) return saveAs();
    return controller_.files().saveScene(QString::fromStdString(controller_.session().path().string()));
}

bool MainWindow::saveAs() {
    QString file = QFileDialog::getSaveFileName(
        this, "Save the scene",
        QString::fromStdString((controller_.session().folder() / "scene.ovrix").string()),
        "Scenes (*.ovrix)");
    if (file.isEmpty()) return false;
    if (!file.endsWith(".ovrix", Qt::CaseInsensitive)) file += ".ovrix";
    return controller_.files().saveScene(file);
}

bool MainWindow::mayLeave() {
    if (!controller_.session().dirty() || unattended_) return true;
    const int answer = ask(this, "Not saved", "The scene has changes that are not saved.",
                           {"Save", "Leave without saving", "Stay here"});
    if (answer == 0) return save();
    return answer == 1;
}

void MainWindow::openScene(const QString& file) {
    if (!mayLeave()) return;
    controller_.files().openScene(file,
                                  [this](const Document& document, const std::filesystem::path& folder) {
                                      return unattended_ || mayOpen(document, folder);
                                  });
}

bool MainWindow::mayRead(const QString& what, const std::vector<std::string>& files,
                         const std::filesystem::path& from) {
    QSettings settings;
    QStringList trusted = settings.value("trustedFolders").toStringList();
    const QString folder = QString::fromStdString(from.string());
    if (unattended_ || files.empty() || trusted.contains(folder)) return true;
    QString list;
    for (size_t i = 0; i < std::min<size_t>(files.size(), 8); ++i)
        list += "\n    " + QString::fromStdString(files[i]);
    if (files.size() > 8) list += QString("\n    and %1 more").arg(files.size() - 8);
    const int answer = ask(this, "Files elsewhere",
                           "This " + what + " reads files that do not lie in its folder:" + list +
                               "\n\nOpen it only if you know where it comes from.",
                           {"Open once", "Trust this folder", "Do not open"}, 2);
    if (answer == 1) settings.setValue("trustedFolders", trusted << folder);
    return answer != 2;
}

bool MainWindow::mayOpen(const Document& document, const std::filesystem::path& where) {
    if (!mayRead("scene", filesOutside(document, where), where)) return false;
    setMemoryCap(size_t(preferences_.memoryGb * 1e9));
    const double wanted = double(document.wantedMemory());
    if (wanted > double(memoryCap())) {
        const QString asks = QString::fromStdString(byteText(wanted)),
                      has = QString::fromStdString(byteText(double(memoryCap())));
        const int answer =
            ask(this, "Memory",
                "This scene asks for " + asks + " of memory. Preferences let it take " + has + ".",
                {"Open with " + has, "Let it take " + asks, "Do not open"});
        if (answer == 2) return false;
        if (answer == 1) setMemoryCap(size_t(wanted));
    }
    return true;
}

void MainWindow::askWhetherToWait() {
    if (unattended_ || controller_.clock().playing() || QApplication::activeModalWidget()) return;
    for (const auto& [id, result] : controller_.results().layers) {
        const auto report = std::find_if(result.steps.begin(), result.steps.end(),
                                         [](const StepReport& r) { return r.minutes > 0; });
        const Node* layer = controller_.document().find(id);
        if (report == result.steps.end() || !layer) continue;
        if (!askedToWait_.insert(id).second) continue;
        QStringList choices{"Wait for it", "Not now"};
        const bool named = !controller_.session().path().empty();
        if (named) choices.insert(1, "Bake it in the background");
        const int answer =
            ask(this, "A long simulation", QString::fromStdString(layer->name + ": " + report->error + "."),
                choices, int(choices.size()) - 1);
        if (answer == 0) controller_.setPatient(true);
        if (answer == 1 && named) controller_.bakeLayer(id);
        return;
    }
}

void MainWindow::closeEvent(QCloseEvent* e) {
    if (!mayLeave()) return e->ignore();
    render_->setLive(false);
    if (controller_.files().autosave()) controller_.files().autosave()->clear();
    e->accept();
}

void MainWindow::openLibrary() {
    if (!library_) library_ = new LibraryWindow(controller_, this);
    library_->bringUp();
}

void MainWindow::openMaterials() {
    if (!materials_) materials_ = new MaterialsWindow(controller_, this);
    materials_->bringUp();
}

void MainWindow::openFinishings() {
    if (!finishings_) finishings_ = new FinishingsWindow(controller_, this);
    finishings_->bringUp();
}

void MainWindow::openPalette() {
    if (!palette_) palette_ = new PaletteWindow(controller_, this);
    palette_->QDialog::show();
    palette_->raise();
    palette_->activateWindow();
}

void MainWindow::openTable() {
    if (!table_) table_ = new TableWindow(controller_, this);
    table_->show();
    table_->raise();
    table_->activateWindow();
}

/// The scene's camera is another, by its number in the outline.
void MainWindow::takeCamera(size_t number) {
    const auto cameras = controller_.document().nodes(Category::Camera);
    if (number >= cameras.size()) return;
    controller_.edit("Camera", [&](const Document& d) {
        return withValue(d, {"render", "", kRender.camera.id()}, cameras[number]->id);
    });
    view_->lookThroughCamera();
    controller_.say("Through " + QString::fromStdString(cameras[number]->name));
}

void MainWindow::fillAddMenu(QMenu& menu) {
    menu.clear();
    const auto command = [&](const QString& id) {
        for (const Command& c : commands_)
            if (c.id == id) {
                QAction* a = menu.addAction(c.title, this, c.run);
                a->setEnabled(c.enabled());
                a->setToolTip(c.help);
                a->setShortcut(c.keys);
                a->setShortcutContext(Qt::WidgetShortcut);
            }
    };
    menu.setToolTipsVisible(true);
    command("layer");
    command("strands");
    command("library");
    command("materials");
    command("palette");
    command("import");
    command("bringIn");
    Category last = Category::Settings;
    for (const NodeType& t : nodeTypes()) {
        if (!t.offered()) continue;
        if (t.category != last) menu.addSeparator();
        last = t.category;
        QAction* a =
            menu.addAction(QString::fromStdString(t.title), this, [this, id = t.id] { addFromMenu(id); });
        a->setToolTip(QString::fromStdString(t.help));
    }
}

void MainWindow::fillFileMenu(QMenu& menu) {
    menu.clear();
    const auto add = [&](const char* id) {
        for (const Command& c : commands_)
            if (c.id == id) {
                QAction* a = menu.addAction(c.title, this, c.run);
                a->setEnabled(c.enabled());
                a->setShortcut(c.keys);
                a->setShortcutContext(Qt::WidgetShortcut);
            }
    };
    for (const char* id : {"new", "open", "save", "saveAs", "import", "bringIn", "savePicture"}) add(id);
    const QStringList recent = controller_.files().recentFiles();
    if (!recent.isEmpty()) menu.addSeparator();
    for (const QString& file : recent)
        menu.addAction(QFileInfo(file).completeBaseName() + "   " + QFileInfo(file).path(), this,
                       [this, file] { openScene(file); });
    menu.addSeparator();
    for (const char* id : {"preferences", "shortcuts", "quit"}) add(id);
}

void MainWindow::openSearch() {
    auto* search = new CommandSearch(commands_, this);
    search->move(mapToGlobal(QPoint((width() - search->width()) / 2, px(46))));
    search->show();
}

void MainWindow::offerRecovery() {
    if (!controller_.files().autosave()) return;
    for (const Autosave::Found& found : controller_.files().autosave()->found()) {
        const QString name = found.original.empty()
                                 ? "an untitled scene"
                                 : QString::fromStdString(found.original.filename().string());
        const int answer = ask(this, "Recover", "Ovrix ended without saving " + name + ".",
                               {"Bring it back", "Throw it away", "Not now"});
        if (answer == 0) return controller_.files().recover(found);
        if (answer == 1) Autosave::discard(found);
    }
}

}  // namespace ovrix::app
