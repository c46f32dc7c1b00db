// A library: pictures to choose from, what to do with the chosen one, and a name to save one's own under.
#pragma once
#include <QDialog>

#include "app/session/controller.h"
#include "app/window/picture_list.h"

class QHBoxLayout;
class QLabel;
class QLineEdit;
class QPushButton;

namespace ovrix::app {

/// Where files of a kind are.
struct PartsFolders {
    std::filesystem::path builtIn;   ///< that come with the program
    std::filesystem::path own;       ///< that the artist saved
    std::filesystem::path pictures;  ///< of those whose folder cannot be written to
};
PartsFolders foldersOf(const PartsKind& kind);

class PartsWindow : public QDialog {
    Q_OBJECT
  public:
    void refresh();
    /// Before all other windows.
    void bringUp();
    PictureList* list() const { return list_; }

  protected:
    struct Words {
        const char *name, *title;  ///< of the window
        const char* save;          ///< on the button
        const char* first;         ///< asks for what could be saved
        const char* whatToSave;    ///< "choose ... and save it below", where the library is empty
    };
    /// @param mime  what a dragged one is called between windows; the data is the file's path
    /// @param write  makes a picture; on a thread of its own
    PartsWindow(Controller& controller, QWidget* parent, const PartsKind& kind, const char* mime,
                const Words& words, PictureMaker::Write write);

    using Use = std::function<void(const LibraryEntry&)>;
    /// A button for the chosen one. The first is what a double click does.
    QPushButton* addUse(const char* name, const char* tip, const Use& use);
    /// Sets the texts of these buttons, and which can be used. @p name  of @p node, cut to fit; @p good  the
    /// chosen file can be read
    virtual void showUses(const Node* node, const QString& name, bool good) = 0;
    /// What is saved of a node of the kind's category. Throws Error.
    virtual PartsFile partsOf(const std::string& node) const = 0;

    /// Once all buttons are there.
    void begin();
    Controller& controller() const { return controller_; }

  private:
    void build(const Words& words, const char* mime);
    void followSelection();
    void refreshActions();
    void saveChosen();
    void removeChosen();
    /// Null where what is chosen cannot be saved.
    const Node* savable() const;

    Controller& controller_;
    const PartsKind& kind_;
    const char *first_, *whatToSave_;
    QLineEdit *search_, *name_;
    PictureList* list_;
    QLabel* about_;
    QHBoxLayout* uses_;
    QPushButton *firstUse_ = nullptr, *save_, *remove_;
    PictureMaker* maker_;
};

}  // namespace ovrix::app
