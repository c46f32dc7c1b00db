// The list of everything that can be done in the window.
#include <QFileDialog>
#include <QPushButton>

#include "app/queue/queue_panel.h"
#include "app/recipe/recipe_panel.h"
#include "app/render/render_pane.h"
#include "app/time/key_curves.h"
#include "app/time/time_strip.h"
#include "app/view/view_capture.h"
#include "app/view/view_widget.h"
#include "app/window/main_window.h"
#include "document/edits/aim.h"
#include "document/edits/mirror.h"

namespace ovrix::app {

void MainWindow::addCommand(const QString& id, const QString& title, const QString& help,
                            const QKeySequence& keys, std::function<void()> run,
                            std::function<bool()> enabled) {
    commands_.push_back({id, title, help, keys, std::move(run), std::move(enabled)});
}

/// In the order in which they are listed.
void MainWindow::makeCommands() {
    addSceneCommands();
    addEditCommands();
    addLayerCommands();
    addNodeCommands();
    addRenderCommands();
    addSequenceCommands();
    addViewCommands();
    addCameraCommands();
    addTimeCommands();
    addWindowCommands();
}

void MainWindow::addSceneCommands() {
    addCommand("new", "New scene", "Begin with a sun, a sky and a camera", QKeySequence::New, [this] {
        if (mayLeave()) controller_.files().newScene(preferences_.memoryGb);
    });
    addCommand("open", "Open scene...", "A .ovrix file", QKeySequence::Open, [this] {
        const QString file = QFileDialog::getOpenFileName(
            this, "Open a scene", QString::fromStdString(controller_.session().folder().string()),
            "Scenes (*.ovrix)");
        if (!file.isEmpty()) openScene(file);
    });
    addCommand("save", "Save scene", "Under its own name", QKeySequence::Save, [this] { save(); });
    addCommand("saveAs", "Save scene as...", "Under another name", QKeySequence("Ctrl+Shift+S"),
               [this] { saveAs(); });
    addCommand(
        "import", "Add a mesh file...",
        "OBJ, PLY, STL, OFF, glTF, GLB or FBX; dropping it on the window does the same",
        QKeySequence("Ctrl+I"), [this] {
            for (const QString& file : QFileDialog::getOpenFileNames(
                     this, "Add mesh files", QString::fromStdString(controller_.session().folder().string()),
                     fileFilter("Meshes", Use::ReadMesh)))
                controller_.files().importFile(file);
        });
    addCommand("bringIn", "Bring in from a scene...", "Layers, objects and what else another scene holds",
               QKeySequence("Ctrl+Shift+I"), [this] {
                   const QString file = QFileDialog::getOpenFileName(
                       this, "Bring in from a scene",
                       QString::fromStdString(controller_.session().folder().string()), "Scenes (*.ovrix)");
                   if (!file.isEmpty()) bringIn(file);
               });
}

void MainWindow::addEditCommands() {
    addCommand(
        "undo", "Undo", "Take the last change back", QKeySequence::Undo, [this] { controller_.undo(); },
        [this] { return controller_.session().canUndo(); });
    addCommand(
        "redo", "Redo", "Do it again", QKeySequence("Ctrl+Shift+Z"), [this] { controller_.redo(); },
        [this] { return controller_.session().canRedo(); });
    const auto onSurface = [this] {
        const Node* n = controller_.selection().node();
        return n && (n->category() == Category::Object || n->category() == Category::Layer);
    };
    addCommand(
        "strands", "Add strands on the chosen surface", "Guides to comb, and many strands between them",
        QKeySequence("Ctrl+Shift+L"), [this] { addStrands(); }, onSurface);
    addCommand(
        "variations", "Vary the chosen prototype",
        "Five of it with seeds of their own, mixed where it is copied", {},
        [this] {
            controller_.edit("Vary", [&](const Document& d) {
                return withVariations(d, controller_.selection().id(), 5);
            });
        },
        [this] {
            const Node* n = controller_.selection().node();
            return n && n->category() == Category::Object && findSpec(specsOf(*n), "seed");
        });
    addCommand(
        "layer", "Add a layer on the chosen surface", "A recipe that scatters copies on it",
        QKeySequence("Ctrl+L"),
        [this] {
            std::string made, surface = controller_.selection().id();
            if (controller_.selection().node()->category() == Category::Layer)
                surface = controller_.document().value(surface, kLayer.surface);
            controller_.edit("Add layer",
                             [&](const Document& d) { return withLayer(d, surface, {}, &made); });
            controller_.selection().select(made);
        },
        onSurface);
    addCommand(
        "step", "Add a step to the recipe", "Only steps that fit are offered", QKeySequence("Ctrl+Shift+A"),
        [this] { recipe_->openAddStep(); },
        [this] {
            const Node* n = controller_.selection().node();
            return n && recipeBegins(*n);
        });
    const auto hasNode = [this] { return controller_.selection().node() != nullptr; };
    addCommand(
        "duplicate", "Duplicate", "A copy of what is chosen, with the layers on it", QKeySequence("Ctrl+D"),
        [this] {
            std::string made;
            controller_.edit("Duplicate", [&](const Document& d) {
                return withDuplicate(d, controller_.selection().id(), &made);
            });
            if (!made.empty()) controller_.selection().select(made);
        },
        hasNode);
}

void MainWindow::addLayerCommands() {
    const auto hasLayer = [this] {
        const Node* n = controller_.selection().node();
        return n && n->category() == Category::Layer;
    };
    addCommand(
        "linked", "Duplicate with a shared recipe", "Later changes of the recipe show in both layers",
        QKeySequence("Ctrl+Shift+D"), [this] { controller_.duplicateLinked(controller_.selection().id()); },
        hasLayer);
    addCommand(
        "unlink", "Give the layer a recipe of its own", "As it is now; it no longer follows another layer",
        {},
        [this] {
            controller_.edit(
                "Unlink", [&](const Document& d) { return withUnlinked(d, controller_.selection().id()); });
        },
        hasLayer);
    addCommand(
        "export", "Export what the layer makes...",
        "Instances, strands and points with attributes: .usda, .ply, .csv, .vdb",
        QKeySequence("Ctrl+Shift+E"), [this] { askExport(ExportAs::Elements); }, hasLayer);
    addCommand(
        "exportMesh", "Export the layer as one mesh...",
        "All copies joined, strands as tubes: .glb, .obj, .ply", {}, [this] { askExport(ExportAs::Mesh); },
        hasLayer);
    addCommand("library", "Recipe library", "Lay a recipe on a surface, or save one of your own",
               QKeySequence("Ctrl+B"), [this] { openLibrary(); });
    addCommand("materials", "Material library", "Pictures of materials to wear, and to save one of your own",
               QKeySequence("Ctrl+M"), [this] { openMaterials(); });
    addCommand("finishings", "Finish library", "Pictures of finishes to use, and to save the scene's own",
               QKeySequence("Ctrl+Alt+M"), [this] { openFinishings(); });
    addCommand("palette", "Palette...", "The main colours of a picture, to spread over elements",
               QKeySequence("Ctrl+Shift+M"), [this] { openPalette(); });
    addCommand("elements", "Table of elements",
               "What each element of the layer carries: to sort, filter and choose", QKeySequence("Ctrl+T"),
               [this] { openTable(); });
}

void MainWindow::addNodeCommands() {
    const auto hasNode = [this] { return controller_.selection().node() != nullptr; };
    addCommand(
        "delete", "Delete", "What is chosen, with the layers on it", QKeySequence("Shift+Delete"),
        [this] {
            controller_.edit("Delete",
                             [&](const Document& d) { return withoutNode(d, controller_.selection().id()); });
        },
        hasNode);
    const char* const axes[] = {"X", "Y", "Z"};
    for (int axis = 0; axis < 3; ++axis)
        addCommand(
            QString("mirror") + axes[axis], QString("Mirror across ") + axes[axis],
            "A duplicate of what is chosen on the other side of the world's middle", {},
            [this, axis] {
                std::string made;
                controller_.edit("Mirror", [&](const Document& d) {
                    return withMirrored(d, controller_.selection().id(), axis, &made);
                });
                if (!made.empty()) controller_.selection().select(made);
            },
            hasNode);
    for (const NodeType& t : nodeTypes()) {
        if (!t.offered()) continue;
        commands_.push_back({"add:" + QString::fromStdString(t.id),
                             "Add " + QString::fromStdString(t.title).toLower(),
                             QString::fromStdString(t.help),
                             {},
                             [this, id = t.id] { addFromMenu(id); }});
    }
}

void MainWindow::addRenderCommands() {
    addCommand("draft", "Show as Draft", "The share of each layer that is set in the scene",
               QKeySequence("Ctrl+1"), [this] { controller_.setFull(false); });
    addCommand("full", "Show in Full", "Everything; the memory it takes is said first",
               QKeySequence("Ctrl+2"), [this] { askFull(); });
    addCommand("render", "Render beside the view", "Starts or stops; refines on every change",
               QKeySequence("Ctrl+R"), [this] {
                   const bool on = render_->isHidden() || !render_->live();
                   if (on) showRender(true);
                   render_->setLive(on);
               });
    addCommand(
        "closeRender", "Close the render pane", "The view takes its place", QKeySequence("Ctrl+Shift+R"),
        [this] { showRender(false); }, [this] { return !render_->isHidden(); });
    addCommand(
        "pin", "Pin the picture", "Keep it to compare with", QKeySequence("Ctrl+P"),
        [this] { render_->pin(); }, [this] { return !render_->isHidden(); });
    addCommand(
        "savePicture", "Save the picture...", "EXR with all passes, TIFF or PNG", QKeySequence("Ctrl+E"),
        [this] { render_->chooseFileAndSave(); }, [this] { return render_->worker().film() != nullptr; });
}

/// Pictures that were rendered before, in the render's place.
void MainWindow::addSequenceCommands() {
    addCommand("playSequence", "Play a sequence of pictures...",
               "Frames that were rendered, from memory, in the render's place", {}, [this] {
                   const QString file = QFileDialog::getOpenFileName(
                       this, "Play a sequence: choose one of its pictures",
                       QString::fromStdString(controller_.session().folder().string()),
                       fileFilter("Pictures", Use::ReadImage));
                   if (!file.isEmpty()) playSequence(file.toStdString());
               });
    addCommand(
        "captureView", "Capture the view...",
        "The frames that are played, as the view shows them, as a video", {},
        [this] {
            const QString file = QFileDialog::getSaveFileName(
                this, "Capture the view", QString::fromStdString(controller_.session().folder().string()),
                fileFilter("Videos", Use::WriteVideo));
            if (!file.isEmpty()) captureView(file.toStdString());
        },
        [this] { return view_ != nullptr; });
}

void MainWindow::playSequence(const std::filesystem::path& file) {
    showRender(true);
    controller_.guarded([&] { render_->playFile(file); });
}

void MainWindow::captureView(const std::filesystem::path& file) {
    (new ViewCapture(controller_, *view_, file, controller_.clock().range(), this))->show();
}

void MainWindow::addViewCommands() {
    const auto hasView = [this] { return view_ != nullptr; };
    addCommand(
        "frameAll", "Bring everything into view", "", QKeySequence("Ctrl+0"), [this] { view_->frameAll(); },
        hasView);
    addCommand(
        "frameChosen", "Bring what is chosen into view", "", QKeySequence("Alt+0"),
        [this] { view_->frameSelected(); }, hasView);
    addCommand(
        "sceneLight", "Show under the scene's own light", "Its sun and sky; or a neutral light again",
        QKeySequence("Shift+S"), [this] { view_->toggleSceneLight(); }, hasView);
    const struct {
        const char *id, *title, *key;
        Tool tool;
    } tools[] = {{"toolSelect", "Choose", "1", Tool::Select},
                 {"toolMove", "Move", "2", Tool::Move},
                 {"toolTurn", "Rotate", "3", Tool::Turn},
                 {"toolScale", "Scale", "4", Tool::Scale},
                 {"toolElements", "Single elements", "5", Tool::Elements},
                 {"toolCurves", "Draw curves", "6", Tool::Curves},
                 {"toolComb", "Comb", "7", Tool::Comb},
                 {"toolLight", "Aim the chosen light", "8", Tool::Light}};
    for (const auto& t : tools)
        addCommand(
            t.id, t.title, "Tool of the view", QKeySequence(t.key),
            [this, tool = t.tool] { view_->setTool(tool); }, hasView);
}

void MainWindow::addCameraCommands() {
    const auto hasView = [this] { return view_ != nullptr; };
    addCommand(
        "camera", "Look through the scene's camera", "", QKeySequence("C"),
        [this] { view_->lookThroughCamera(); }, hasView);
    addCommand(
        "cameraHere", "Put the scene's camera where the view is", "So that the render shows what you see",
        QKeySequence("Shift+C"),
        [this] {
            const CameraOptions c = view_->camera().options();
            controller_.edit("Put camera here", [&](const Document& d) {
                const std::string id = d.renderSetting(kRender.camera);
                Document out = withValue(d, {id, "", kCamera.position.id()}, V3d(c.position));
                return withValue(out, {id, "", kCamera.target.id()}, V3d(c.target));
            });
            view_->lookThroughCamera();
        },
        hasView);
    addCommand(
        "lookFromLight", "Look from the chosen light",
        "It goes where the view goes, until you look from elsewhere (C)", QKeySequence("Ctrl+Alt+L"),
        [this] { view_->lookFromLight(); }, hasView);
    addCommand(
        "newCameraHere", "New camera where the view is",
        "Another one, which the render looks through from now on", QKeySequence("Ctrl+Alt+C"),
        [this] {
            const CameraOptions c = view_->camera().options();
            controller_.edit("New camera", [&](const Document& d) { return withCameraAt(d, c); });
            view_->lookThroughCamera();
        },
        hasView);
    constexpr int kDigits = 9;
    for (int k = 0; k < kDigits; ++k)
        addCommand(
            QString("camera%1").arg(k + 1), QString("Camera %1").arg(k + 1),
            "The render looks through it, and so does the view", QKeySequence(QString("Alt+%1").arg(k + 1)),
            [this, k] { takeCamera(size_t(k)); },
            [this, k] { return view_ && controller_.document().nodes(Category::Camera).size() > size_t(k); });
    addCommand(
        "pictureGuides", "Thirds and safe areas",
        "Lines over the picture of the scene's camera; or none again", QKeySequence("Shift+T"),
        [this] { view_->toggleGuides(); }, hasView);
    addCommand(
        "viewDepthOfField", "Depth of field in the view",
        "As the scene's camera has it, where the view looks through that; or all sharp again",
        QKeySequence("Shift+D"), [this] { view_->toggleDepthOfField(); }, hasView);
}

void MainWindow::addTimeCommands() {
    addCommand("play", "Play or stop", "The frames again and again", QKeySequence("Space"),
               [this] { controller_.clock().setPlaying(!controller_.clock().playing()); });
    addCommand("frameBack", "A frame back", "", QKeySequence("Alt+Left"), [this] { strip_->step(-1); });
    addCommand("frameAhead", "A frame ahead", "", QKeySequence("Alt+Right"), [this] { strip_->step(1); });
    addCommand(
        "varySeeds", "Vary the seeds of what is chosen", "A sheet of small renders to pick from", {},
        [this] {
            Q_EMIT controller_.variationsWanted({controller_.selection().id(), {}, {}}, false);
        },
        [this] { return controller_.selection().node() != nullptr; });
    addCommand("queue", "Queue", "Renders that wait, and work in a program of their own",
               QKeySequence("Ctrl+Shift+Q"), [this] { showBelow("queue", queue_->isHidden()); });
    addCommand("queueAdd", "Add the scene to the queue", "Asks for frames, size and file", {}, [this] {
        showBelow("queue", true);
        queue_->addScene();
    });
    addCommand("curves", "Keys as curves", "Opens or closes the curves of what is chosen",
               QKeySequence("Shift+K"), [this] { showBelow("curves", curves_->isHidden()); });
    addCommand(
        "bake", "Bake what simulates", "Writes the frames of all simulations beside the scene",
        QKeySequence("Ctrl+Shift+B"),
        [this] {
            for (const auto& [layer, status] : controller_.results().simulations)
                if (!status.bake.locked) controller_.bakeLayer(layer);
        },
        [this] { return !controller_.results().simulations.empty(); });
    addCommand(
        "stopBake", "Stop baking", "What was written stays", {}, [this] { controller_.bakes().cancel(); },
        [this] { return controller_.bakes().state().running; });
}

void MainWindow::addWindowCommands() {
    addCommand("checks", "Checks", "What would surprise you", QKeySequence("F8"),
               [this] { checks_->click(); });
    addCommand("preferences", "Preferences...", "Theme, interface scale, memory limit, threads",
               QKeySequence("Ctrl+,"), [this] {
                   PreferencesDialog dialog(preferences_, this);
                   connect(&dialog, &PreferencesDialog::changed, this, [this](const Preferences& p) {
                       const bool memory = p.memoryGb != preferences_.memoryGb;
                       applyPreferences(p);
                       if (memory) controller_.setValue({"scene", "", "memory"}, p.memoryGb, true);
                   });
                   dialog.exec();
                   controller_.endDrag();
               });
    addCommand("shortcuts", "Shortcuts", "All on one page", QKeySequence("F1"),
               [this] { ShortcutsPage(commands_, this).exec(); });
    addCommand("search", "Search commands", "Do anything by its name", QKeySequence("Ctrl+K"),
               [this] { openSearch(); });
    addCommand("quit", "Quit", "Asks about what is not saved", QKeySequence::Quit, [this] { close(); });
}

}  // namespace ovrix::app
