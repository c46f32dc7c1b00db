// The library of materials: pictures to choose from, to wear, and to save one's own.
#pragma once
#include <QDialog>

#include "app/session/controller.h"
#include "app/window/picture_list.h"

class QLabel;
class QLineEdit;
class QPushButton;

namespace ovrix::app {

/// What a dragged material is called between windows; the data is the file's path.
inline constexpr const char* kMaterialMime = "application/x-ovrix-material";

class MaterialsWindow : public QDialog {
    Q_OBJECT
  public:
    explicit MaterialsWindow(Controller& controller, QWidget* parent);

    /// Where materials are: those that come with the program, the artist's own, and pictures.
    static std::filesystem::path builtInFolder();
    static std::filesystem::path ownFolder();
    static std::filesystem::path pictureFolder();

    void refresh();
    PictureList* list() const { return list_; }

  private:
    void follow();
    void followSelection();
    void refreshActions();
    void wear();
    void add();
    void saveChosen();
    void removeChosen();

    Controller& controller_;
    QLineEdit *search_, *name_;
    PictureList* list_;
    QLabel* about_;
    QPushButton *wear_, *add_, *save_, *remove_;
    PictureMaker* maker_;
};

/// Puts the material of a file on an object or a layer, as one undo, or only adds it where @p wearer is
/// empty; an Error becomes a message.
/// @p mayBe  asked with the document as it would be; null for what the artist's own library holds
void wearMaterial(Controller& controller, const QString& file, const std::string& wearer,
                  const std::function<bool(const Document&)>& mayBe = nullptr);

}  // namespace ovrix::app
