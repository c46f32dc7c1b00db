#include "app/window/finishings_window.h"

#include <QPushButton>

#include "base/files.h"
#include "deliver/pictures/finish_sample.h"
#include "document/library/finish_file.h"

namespace ovrix::app {

static PartsFile loadFinish(const std::filesystem::path& path) {
    return readParts(readFile(path), path.string(), kFinishings);
}

FinishingsWindow::FinishingsWindow(Controller& c, QWidget* parent)
    : PartsWindow(c, parent, kFinishings, kFinishMime,
                  {.name = "finishings",
                   .title = "Finishings",
                   .save = "Save the scene's finish",
                   .first = "Choose Finish among the settings to save it",
                   .whatToSave = "Finish among the settings"},
                  [](const LibraryEntry& entry, Progress& progress) {
                      writeFinishPicture(loadFinish(entry.file), entry.picture, progress);
                  }) {
    use_ = addUse("useFinish", "In place of the steps that the scene's finish has; undo brings them back",
                  [this](const LibraryEntry& entry) { useFinish(controller(), textOf(entry.file)); });
    use_->setText("Use in this scene");
    begin();
}

void FinishingsWindow::showUses(const Node*, const QString&, bool good) { use_->setEnabled(good); }

PartsFile FinishingsWindow::partsOf(const std::string&) const {
    return finishFileOf(controller().document(), controller().session().folder());
}

void useFinish(Controller& controller, const QString& file,
               const std::function<bool(const Document&)>& mayBe) {
    controller.guarded([&] {
        const PartsFile finish = loadFinish(pathOf(file));
        const auto after = [&](const Document& d) { return withFinishFile(d, finish); };
        if (mayBe && !mayBe(after(controller.document()))) return;
        controller.edit("Use a finish", after);
        if (const Node* node = controller.document().settings("finish"))
            controller.selection().select(node->id);
    });
}

}  // namespace ovrix::app
