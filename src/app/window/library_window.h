// The library of recipes: to lay on a surface, to use in a layer, and to save one's own.
#pragma once
#include "app/window/parts_window.h"

namespace ovrix::app {

/// What a dragged recipe is called between windows; the data is the file's path.
inline constexpr const char* kRecipeMime = "application/x-ovrix-recipe";

class LibraryWindow : public PartsWindow {
    Q_OBJECT
  public:
    explicit LibraryWindow(Controller& controller, QWidget* parent);

  protected:
    void showUses(const Node* node, const QString& name, bool good) override;
    PartsFile partsOf(const std::string& layer) const override;

  private:
    void useInLayer(const LibraryEntry& entry);

    QPushButton *lay_, *use_;
};

/// Lays the recipe of a file on a surface, as one undo; an Error becomes a message.
/// @p mayBe  asked with the document as it would be; null for what the artist's own library holds
void layRecipe(Controller& controller, const QString& file, const std::string& surface,
               const std::function<bool(const Document&)>& mayBe = nullptr);

}  // namespace ovrix::app
