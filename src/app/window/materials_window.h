// The library of materials: to wear, to add to the scene, and to save one's own.
#pragma once
#include "app/window/parts_window.h"

namespace ovrix::app {

/// What a dragged material is called between windows; the data is the file's path.
inline constexpr const char* kMaterialMime = "application/x-ovrix-material";

class MaterialsWindow : public PartsWindow {
    Q_OBJECT
  public:
    explicit MaterialsWindow(Controller& controller, QWidget* parent);

  protected:
    void showUses(const Node* node, const QString& name, bool good) override;
    PartsFile partsOf(const std::string& material) const override;

  private:
    QPushButton *wear_, *add_;
};

/// Puts the material of a file on an object or a layer, as one undo, or only adds it where @p wearer is
/// empty; an Error becomes a message.
/// @p mayBe  asked with the document as it would be; null for what the artist's own library holds
void wearMaterial(Controller& controller, const QString& file, const std::string& wearer,
                  const std::function<bool(const Document&)>& mayBe = nullptr);

}  // namespace ovrix::app
