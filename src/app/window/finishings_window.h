// The library of finishes: to use in the scene, and to save one's own.
#pragma once
#include "app/window/parts_window.h"

namespace ovrix::app {

/// What a dragged finish is called between windows; the data is the file's path.
inline constexpr const char* kFinishMime = "application/x-ovrix-finish";

class FinishingsWindow : public PartsWindow {
    Q_OBJECT
  public:
    explicit FinishingsWindow(Controller& controller, QWidget* parent);

  protected:
    void showUses(const Node* node, const QString& name, bool good) override;
    PartsFile partsOf(const std::string& node) const override;

  private:
    QPushButton* use_;
};

/// Puts the steps of a file in place of the scene's finish, as one undo; an Error becomes a message.
/// @p mayBe  asked with the document as it would be; null for what the artist's own library holds
void useFinish(Controller& controller, const QString& file,
               const std::function<bool(const Document&)>& mayBe = nullptr);

}  // namespace ovrix::app
