// Scenes opened, saved and recovered; files brought in and written.
#pragma once
#include <QObject>
#include <QStringList>
#include <functional>

#include "deliver/export.h"
#include "document/file/session.h"
#include "io/formats/format.h"

class QTimer;

namespace ovrix::app {

class Controller;

/// What a file dialog offers: the title, with the endings of the formats that can be used so.
QString fileFilter(const char* title, Use use);

/// Of the interface's thread; what takes long is done on the controller's worker.
class SceneFiles : public QObject {
    Q_OBJECT
  public:
    explicit SceneFiles(Controller& controller);

    /// @param may  is asked with what was read and its folder before it takes the place of what is open
    void openScene(const QString& file,
                   const std::function<bool(const Document&, const std::filesystem::path& folder)>& may = {});
    bool saveScene(const QString& file);
    /// @param memoryGb  the limit that the new scene gets
    void newScene(double memoryGb);
    void recover(const Autosave::Found& found);
    /// Reads another scene, with its paths as seen from this one; @p then runs in the window.
    void readOther(const QString& file, std::function<void(Document)> then);
    /// Reads a dropped file: a mesh becomes an object, strands and points a layer on the chosen surface.
    void importFile(const QString& file);
    /// Reads a mesh and adds it as an object.
    void importMesh(const QString& file);
    /// Works out the bytes that all copies of a layer take as one mesh; @p then runs in the window.
    void measureMesh(const std::string& layer, std::function<void(double)> then);
    /// Keeps the pose of a layer's simulated strands at this frame beside the scene, and starts from it.
    void startAsNow(const std::string& layer, const std::string& step);
    /// Writes what the layer makes at Full.
    void exportLayerTo(const std::string& layer, ExportAs what, const QString& file);

    void setAutosaveFolder(const std::filesystem::path& folder);
    Autosave* autosave() { return autosave_.get(); }
    void writeAutosave();
    /// After each edit: what is not saved is kept soon.
    void noteEdit();

    QStringList recentFiles() const;
    void addRecent(const QString& file);

  Q_SIGNALS:
    /// The first thing came into the scene, and the scene's camera looks at it.
    void firstThingAdded();

  private:
    void addElements(const std::filesystem::path& path, const std::string& step);
    std::string pathInScene(const std::filesystem::path& path) const;

    Controller& controller_;
    std::unique_ptr<Autosave> autosave_;
    QTimer* autosaveTimer_;
};

}  // namespace ovrix::app
