// The window: toolbar, outline, view, render, recipe, status.
#pragma once
#include <QMainWindow>
#include <set>

#include "app/session/command.h"
#include "app/window/dialogs.h"

class QLabel;
class QMenu;
class QTimer;
class QPushButton;
class QSplitter;
class QToolButton;

namespace ovrix::app {

class BringInDialog;
class KeyCurves;
class QueuePanel;
class VariationsWindow;
class LibraryWindow;
class FinishingsWindow;
class MaterialsWindow;
class PaletteWindow;
class TableWindow;
class Outline;
class RecipePanel;
class RenderPane;
class TimeStrip;
class ViewWidget;

class MainWindow : public QMainWindow {
    Q_OBJECT
  public:
    explicit MainWindow(QWidget* parent = nullptr);
    ~MainWindow() override;

    Controller& controller() { return controller_; }
    ViewWidget* view() { return view_; }  ///< null where the platform has no OpenGL
    RenderPane* renderPane() { return render_; }
    /// The pictures beside this one, in the render's place.
    void playSequence(const std::filesystem::path& file);
    /// The frames that are played, as the view shows them.
    void captureView(const std::filesystem::path& file);
    Outline* outline() { return outline_; }
    RecipePanel* recipe() { return recipe_; }
    TimeStrip* time() { return strip_; }
    KeyCurves* curves() { return curves_; }
    QueuePanel* queue() { return queue_; }
    VariationsWindow* variations() { return variations_; }
    /// Opens or closes what lies over the time strip: "curves", "queue".
    void showBelow(const QString& what, bool show);
    LibraryWindow* library() { return library_; }
    MaterialsWindow* materials() { return materials_; }
    FinishingsWindow* finishings() { return finishings_; }
    PaletteWindow* palette() { return palette_; }
    TableWindow* table() { return table_; }
    const std::vector<Command>& commands() const { return commands_; }
    void run(const QString& command);
    /// Asks where, and how much memory where it is much, then writes what the chosen layer makes.
    void askExport(ExportAs what);
    void addStrands();
    /// Reads another scene and asks what of it comes along.
    void bringIn(const QString& file);
    QString statusText() const;
    void showRender(bool show);
    void applyPreferences(const Preferences& preferences);
    /// Offers what an earlier run left unsaved.
    void offerRecovery();
    /// Answers questions without a person: tests and pictures.
    void setUnattended(bool on) { unattended_ = on; }
    /// Opens a scene, after asking about what is not saved here, and about what it would read elsewhere.
    void openScene(const QString& file);
    /// Whether files that something from another folder names may be read: asks, unless that folder is
    /// trusted.
    bool mayRead(const QString& what, const std::vector<std::string>& files,
                 const std::filesystem::path& from);

  protected:
    void dragEnterEvent(QDragEnterEvent*) override;
    void dropEvent(QDropEvent*) override;
    void closeEvent(QCloseEvent*) override;
    bool eventFilter(QObject*, QEvent*) override;

  private:
    void importChosen(const BringInDialog& dialog, const QString& file);
    void buildInterface();
    void makeCommands();
    void addCommand(
        const QString& id, const QString& title, const QString& help, const QKeySequence& keys,
        std::function<void()> run, std::function<bool()> enabled = [] { return true; });
    void addSceneCommands();
    void addEditCommands();
    void addLayerCommands();
    void addNodeCommands();
    void addRenderCommands();
    void addSequenceCommands();
    void addViewCommands();
    void addCameraCommands();
    void addTimeCommands();
    void addWindowCommands();
    void makeToolbar();
    QLayout* makeModeButtons();
    QWidget* makeColumns();
    void makeStatus();
    void refreshTitle();
    void refreshStatus();
    void refreshMode();
    void askFull();
    void chooseExportFile(ExportAs what, const std::string& layer);
    double fullBytes() const;
    /// What Full would show and take, in words.
    QString fullCost() const;
    bool mayLeave();
    /// Asks about what a stranger's scene would read or take, where it would.
    bool mayOpen(const Document& document, const std::filesystem::path& folder);
    /// Where a simulation would take minutes, and the view did not begin to wait.
    void askWhetherToWait();
    bool save();
    bool saveAs();
    void addFromMenu(const std::string& type);
    /// @param bounds  of the first thing in a scene; else empty
    void addNode(Node node, const Box3f& bounds);
    void fillAddMenu(QMenu& menu);
    void fillFileMenu(QMenu& menu);
    void openSearch();
    void openLibrary();
    void openMaterials();
    void openFinishings();
    void openPalette();
    void openTable();
    void takeCamera(size_t number);
    void dropRecipe(const QString& file, const QPoint& at);
    void dropMaterial(const QString& file, const QPoint& at);
    void dropNode(const std::string& id, const QPoint& at);
    std::string dropTarget(const QPoint& at) const;
    std::function<bool(const Document&)> asksAbout(const char* what, const QString& file);
    void showMessage(const QString& text, bool bad);

    Controller controller_;
    std::vector<Command> commands_;
    QWidget *bar_ = nullptr, *status_ = nullptr;
    QLabel *title_, *edited_, *shown_, *memory_, *time_, *message_, *working_;
    QPushButton *undo_, *redo_, *cancel_, *checks_, *renderButton_;
    QToolButton *draft_, *full_;
    QSplitter* middle_;
    LibraryWindow* library_ = nullptr;  ///< null until it is first opened
    MaterialsWindow* materials_ = nullptr;
    FinishingsWindow* finishings_ = nullptr;
    PaletteWindow* palette_ = nullptr;
    TableWindow* table_ = nullptr;
    Outline* outline_ = nullptr;
    ViewWidget* view_ = nullptr;
    RenderPane* render_ = nullptr;
    RecipePanel* recipe_ = nullptr;
    TimeStrip* strip_ = nullptr;
    KeyCurves* curves_ = nullptr;
    QueuePanel* queue_ = nullptr;
    VariationsWindow* variations_ = nullptr;
    QTimer *clock_, *messageTimer_;
    Preferences preferences_;
    std::shared_ptr<void> threads_;  ///< what limits them, as long as it lives
    bool unattended_ = false;
    std::set<std::string> askedToWait_;  ///< layers of this scene, each once
    bool byKeyboard_ = false;            ///< the focus came by the keyboard
};

}  // namespace ovrix::app
