// Taking layers and objects from other scenes.
#include "app/window/bring_in_dialog.h"
#include "app/window/main_window.h"
#include "document/edits/outside.h"

namespace ovrix::app {

/// What was chosen of another scene comes into this one; nothing where the user does not let it.
void MainWindow::importChosen(const BringInDialog& dialog, const QString& file) {
    const auto take = [&](const Document& d) { return importedNodes(d, dialog.other(), dialog.choice()); };
    ImportedNodes brought;
    controller_.guarded([&] {
        const Document& here = controller_.document();
        const auto from = std::filesystem::absolute(file.toStdString()).parent_path();
        const auto files = filesAdded(here, take(here).document, controller_.session().folder(), from);
        if (!mayRead("scene", files, from)) return;
        // Anew: something may have come into the scene while the question was open.
        controller_.edit("Bring in", [&](const Document& d) { return (brought = take(d)).document; });
    });
    if (brought.ids.empty()) return;
    controller_.selection().select(brought.ids.front());
    QStringList notes;
    for (const std::string& n : brought.notes) notes << QString::fromStdString(n);
    const size_t n = brought.ids.size();
    const QString came = n == 1 ? "Brought in 1 thing" : QString("Brought in %1 things").arg(n);
    controller_.say(notes.isEmpty() ? came : came + ". " + notes.join("; "));
}

void MainWindow::bringIn(const QString& file) {
    controller_.files().readOther(file, [this, file](Document other) {
        auto* dialog =
            new BringInDialog(controller_.document(), std::move(other),
                              QString::fromStdString(std::filesystem::path(file.toStdString()).stem()), this);
        dialog->setAttribute(Qt::WA_DeleteOnClose);
        connect(dialog, &QDialog::accepted, this, [this, dialog, file] { importChosen(*dialog, file); });
        dialog->open();
    });
}

}  // namespace ovrix::app
