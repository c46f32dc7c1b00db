// The library of recipes: pictures to choose from, to lay on a surface, and to save one's own.
#pragma once
#include <QDialog>

#include "app/session/controller.h"
#include "app/window/picture_list.h"
#include "document/edits/recipe_file.h"

class QLabel;
class QLineEdit;
class QPushButton;

namespace ovrix::app {

/// What a dragged recipe is called between windows; the data is the file's path.
inline constexpr const char* kRecipeMime = "application/x-ovrix-recipe";

class LibraryWindow : public QDialog {
    Q_OBJECT
  public:
    explicit LibraryWindow(Controller& controller, QWidget* parent);

    /// Where recipes are: those that come with the program, the artist's own, and pictures.
    static std::filesystem::path builtInFolder();
    static std::filesystem::path ownFolder();
    static std::filesystem::path pictureFolder();

    void refresh();
    PictureList* list() const { return list_; }

  private:
    void follow();
    void followSelection();
    void refreshActions();
    void layOn();
    void useInLayer();
    void saveChosenLayer();
    void removeChosen();

    Controller& controller_;
    QLineEdit *search_, *name_;
    PictureList* list_;
    QLabel* about_;
    QPushButton *lay_, *use_, *save_, *remove_;
    PictureMaker* maker_;
};

/// Lays the recipe of a file on a surface, as one undo; an Error becomes a message.
/// @p mayBe  asked with the document as it would be; null for what the artist's own library holds
void layRecipe(Controller& controller, const QString& file, const std::string& surface,
               const std::function<bool(const Document&)>& mayBe = nullptr);

}  // namespace ovrix::app
