// Renews the pictures of the documentation by driving the real window: ovrix-shots SCENE FOLDER.
#include <QtWidgets>
#include <cstdio>

#include "app/queue/queue_panel.h"
#include "app/recipe/recipe_panel.h"
#include "app/render/render_pane.h"
#include "app/render/sequence_player.h"
#include "app/render/variations_window.h"
#include "app/time/key_curves.h"
#include "app/view/view_widget.h"
#include "app/widgets/choices_button.h"
#include "app/window/bring_in_dialog.h"
#include "app/window/finishings_window.h"
#include "app/window/library_window.h"
#include "app/window/main_window.h"
#include "app/window/materials_window.h"
#include "app/window/palette_window.h"
#include "app/window/table_window.h"
#include "deliver/render_scene_builder.h"
#include "document/edits/keying.h"
#include "geo/points/curve_set.h"

using namespace ovrix::deliver;
using namespace ovrix::app;

namespace {

class Photographer {
  public:
    Photographer(const QString& scene, QString folder) : folder_(std::move(folder)) {
        window_.setUnattended(true);
        window_.resize(1280, 800);
        window_.show();
        window_.controller().files().openScene(scene);
        settle();
    }

    void settle(int milliseconds = 350) {
        QElapsedTimer clock;
        clock.start();
        while (clock.elapsed() < milliseconds || window_.controller().evaluating())
            QApplication::processEvents(QEventLoop::AllEvents, 20);
    }
    void passes(int count) {
        QElapsedTimer clock;
        clock.start();
        while (clock.elapsed() < 180000 && (window_.renderPane()->last().pass < count))
            QApplication::processEvents(QEventLoop::AllEvents, 20);
    }
    void take(const QString& name) {
        settle();
        const QString file = folder_ + "/" + name + ".png";
        if (!window_.grab().save(file))
            std::fprintf(stderr, "ovrix-shots: %s could not be written\n", qPrintable(file));
    }
    /// With what lies over the window, which a grab of the window does not hold.
    void takeWith(const QString& name, QWidget* over) {
        settle();
        QPixmap picture = window_.grab();
        QPainter painter(&picture);
        painter.drawPixmap(window_.mapFromGlobal(over->mapToGlobal(QPoint(0, 0))), over->grab());
        painter.end();
        picture.save(folder_ + "/" + name + ".png");
    }
    void openStack(const char* row) {
        QWidget* w = window_.recipe()->findChild<QWidget*>(QString("param:") + row);
        if (w) w->findChild<QToolButton*>("sources")->click();
        settle();
    }
    /// Opens a source's numbers in an open stack.
    void openSource(const char* row, const QString& title) {
        QWidget* w = window_.recipe()->findChild<QWidget*>(QString("param:") + row);
        if (!w) return;
        for (auto* b : w->findChildren<QPushButton*>("sourceTitle"))
            if (b->text().contains(title, Qt::CaseInsensitive)) {
                b->click();
                break;
            }
        settle();
    }
    void scrollTo(const char* row) {
        QWidget* w = window_.recipe()->findChild<QWidget*>(QString("param:") + row);
        for (QWidget* up = w; up; up = up->parentWidget())
            if (auto* area = qobject_cast<QScrollArea*>(up)) area->ensureWidgetVisible(w, 0, 60);
        settle();
    }
    void hover(QWidget* on, const QPointF& at) {
        QMouseEvent move(QEvent::MouseMove, at, on->mapToGlobal(at), Qt::NoButton, Qt::NoButton, {});
        QApplication::sendEvent(on, &move);
        settle();
    }
    /// The view through one of the scene's cameras.
    void throughCamera(const char* id) {
        window_.controller().edit("Look through", [&](const Document& d) {
            return withValue(d, {"render", "", "camera"}, std::string(id));
        });
        settle();
        window_.view()->lookThroughCamera();
        settle();
    }
    MainWindow& window() { return window_; }

  private:
    QString folder_;
    MainWindow window_;
};

/// With the picture beside the view after some passes.
void takeRendering(Photographer& p, const char* chosen, int passes, const char* name) {
    MainWindow& w = p.window();
    w.controller().selection().select(chosen);
    w.showRender(true);
    w.renderPane()->setLive(true);
    p.settle();
    p.passes(passes);
    p.take(name);
    w.renderPane()->stop();
    w.showRender(false);
}

void takeWindow(Photographer& p) { takeRendering(p, "barnacles_large", 24, "window"); }
/// A colour that walks through stops.
void takeRamp(Photographer& p) {
    MainWindow& w = p.window();
    w.controller().edit("Ramp", [](const Document& d) {
        const ParamPath path{"wet_rock", "", "base_color"};
        Param rock = paramAt(d, path);
        rock.ramp = std::make_shared<Ramp>(
            Ramp{.stops = {{0.35f, Color(0.07f, 0.06f, 0.05f)}, {0.7f, Color(0.16f, 0.12f, 0.08f)}}});
        return withParam(d, path, rock);
    });
    w.controller().selection().select("wet_rock");
    p.settle();
    p.openStack("wet_rock/base_color");
    p.take("ramp");
}

void takeMaterial(Photographer& p) { takeRendering(p, "wet_rock", 8, "material"); }

/// Where samples went, with what may be kept beside the picture; then the chosen pass itself.
void takePasses(Photographer& p) {
    MainWindow& w = p.window();
    w.controller().edit("Passes", [](const Document& d) {
        Document out = withValue(d, {"render", "", "passes"}, Refs{"diffuse", "specular", "fibre"});
        out = withValue(out, {"render", "", "least_samples"}, int64_t(4));
        return withValue(out, {"render", "", "noise"}, 0.04);
    });
    w.controller().selection().select("render");
    w.showRender(true);
    w.renderPane()->setLive(true);
    p.settle();
    p.passes(24);
    auto* shown = w.renderPane()->findChild<QComboBox*>("shown");
    const auto show = [&](const char* id) {
        shown->setCurrentIndex(shown->findData(id));
        p.passes(w.renderPane()->last().pass + 1);  // at the next pass
    };
    show("samples");
    QMenu* menu = w.recipe()->findChild<ChoicesButton*>()->menu();
    menu->popup(w.mapToGlobal(QPoint(w.width() - menu->sizeHint().width() - 30, 90)));
    p.takeWith("passes", menu);
    menu->hide();
    show("diffuse_direct");
    p.take("pass");
    w.renderPane()->stop();
    w.showRender(false);
}

/// What happens to the picture after rendering.
void takeFinish(Photographer& p) {
    MainWindow& w = p.window();
    w.controller().edit("Finish", [](const Document& d) {
        const std::string id = d.settings("finish")->id;
        Document out = d;
        out = withStep(out, id, 0, makeStep("depth_of_field", out.get(id)));  // before its glow and vignette
        out = withStep(out, id, 99, makeStep("grade", out.get(id)));
        out = withValue(out, {id, "", "response"}, std::string("punchy"));
        out = withValue(out, {id, "depth_of_field", "fstop"}, 0.7);
        out = withValue(out, {id, "depth_of_field", "gain"}, 2.0);
        return withValue(out, {id, "grade", "slope"}, V3d(1.06, 1.0, 0.94));
    });
    takeRendering(p, w.controller().document().settings("finish")->id.c_str(), 8, "finish");
}

/// A mask that is painted on the picture, and a field as a pass: for a look.
void takeMask(Photographer& p) {
    MainWindow& w = p.window();
    w.controller().edit("Mask", [](const Document& d) {
        Document out = withValue(d, {"render", "", "passes"}, Refs{"occlusion"});
        Node pass = makeNode(out, "field_pass");
        pass.name = "Wet line";
        FieldSource height = makeSource("height");
        height.params["range"].value = Range{-0.2, 0.4};
        pass.params["value"].field = std::make_shared<Field>(Field{{height}});
        out.put(pass);
        const std::string id = out.settings("finish")->id;
        out = withStep(out, id, 0, makeStep("exposure", out.get(id)));
        out = withValue(out, {id, "exposure", "stops"}, 1.5);
        PictureStrokes strokes;
        for (int k = 0; k < 2; ++k) {
            PictureStroke s{{}, k ? 0.05f : 0.1f, 0.6f, k == 1};
            for (int i = 0; i <= 24; ++i)
                s.points.emplace_back(0.25f + 0.02f * float(i), 0.62f + 0.08f * std::sin(0.3f * float(i)));
            strokes.list.push_back(s);
        }
        return withValue(out, {id, "exposure", "painted"}, strokes);
    });
    const std::string finish = w.controller().document().settings("finish")->id;
    w.controller().selection().select(finish);
    w.showRender(true);
    w.renderPane()->setLive(true);
    p.settle();
    p.passes(8);
    w.controller().selection().setMasking({finish, "exposure", "painted"});
    p.settle();
    p.take("mask");
    w.controller().selection().setMasking({});
    auto* shown = w.renderPane()->findChild<QComboBox*>("shown");
    for (const char* id : {"occlusion", "field Wet line"}) {
        w.controller().selection().select(id[0] == 'o' ? "render" : "field_pass");
        shown->setCurrentIndex(shown->findData(id));
        p.settle(2500);
        p.take(id[0] == 'o' ? "occlusion" : "field-pass");
    }
    w.renderPane()->stop();
}

/// A shell that is filled with points, and their table: for a look.
void takeTable(Photographer& p) {
    MainWindow& w = p.window();
    std::string id;
    w.controller().edit("Fill", [&](const Document& d) {
        Document out = d;
        Node layer = makeNode(out, "layer");
        layer.name = "Shell as points";
        layer.steps = {makeStep("fill_volume", layer)};
        layer.steps[0].params["of"].value = Refs{"snail_shell_2"};
        layer.steps[0].params["spacing"].value = 0.001;
        layer.steps[0].params["view_spacing"].value = 0.002;
        layer.steps[0].params["depth"].value = true;
        layer.steps.push_back(makeStep("set_channel", layer));
        id = layer.id;
        out.put(layer);
        return out;
    });
    w.controller().selection().select(id);
    p.settle(1500);
    w.view()->frameSelected();
    for (const Command& c : w.commands())
        if (c.id == "elements") c.run();
    p.settle(1500);
    w.table()->move(w.mapToGlobal(QPoint(300, 330)));
    w.table()->view()->selectRow(3);
    p.settle();
    p.takeWith("table", w.table());
    w.table()->hide();
}

/// A few renders, some of them done.
void takeQueue(Photographer& p) {
    MainWindow& w = p.window();
    QTemporaryDir folder;
    const std::filesystem::path file = folder.filePath("renders.queue").toStdString();
    const std::string scene = std::filesystem::absolute(w.controller().session().path()).string();
    const auto add = [&](const char* name, const char* out, int last,
                         const std::vector<std::string>& changes) {
        QueueJob job{.id = {}, .name = name, .scene = scene, .last = last, .out = {}};
        job.width = 320, job.height = 180, job.samples = 64, job.changes = changes;
        job.out = folder.filePath(out).toStdString();
        addToQueue(file, job);
    };
    add("The pool, evening", "pool.png", 1, {});
    add("The pool, low sun", "low.png", 1, {"sun/elevation=4"});
    add("A walk around", "walk.####.exr", 48, {});
    add("The pup from near", "pup.mp4", 24, {"camera/focal=70"});
    editQueue(file, [&](Queue& q) {
        const auto stamp = [&](const QueueJob& job) { return sceneStamp(sceneOf(file, job), job); };
        q.jobs[0].done[1] = {stamp(q.jobs[0]), 41.0};
        for (int frame = 1; frame <= 19; ++frame) q.jobs[2].done[frame] = {stamp(q.jobs[2]), 12.0};
        q.jobs[3].paused = true;
    });
    w.showBelow("queue", true);
    w.queue()->setFile(file);
    w.queue()->setRunning(true);
    QElapsedTimer clock;
    clock.start();
    while (clock.elapsed() < 90000 && (!queueProgress(file) || queueProgress(file)->pass < 6))
        QApplication::processEvents(QEventLoop::AllEvents, 20);
    p.settle(1500);
    p.take("queue");
    w.queue()->setRunning(false);
    while (queueRuns(file)) QApplication::processEvents(QEventLoop::AllEvents, 20);
    w.showBelow("queue", false);
}

/// Of the kelp print its fronds by seeds; else the sun.
void takeVariations(Photographer& p) {
    MainWindow& w = p.window();
    const bool kelp = w.controller().document().find("fronds") != nullptr;
    w.controller().selection().select(kelp ? "fronds" : "sun");
    if (kelp)
        w.variations()->varySeeds("fronds");
    else
        w.variations()->vary({"sun", "", "azimuth"});
    QElapsedTimer clock;
    clock.start();
    while (clock.elapsed() < 240000 && !w.variations()->done())
        QApplication::processEvents(QEventLoop::AllEvents, 20);
    w.variations()->move(w.mapToGlobal(QPoint(250, 90)));
    p.takeWith("variations", w.variations());
    w.variations()->hide();
}

/// Of the kelp print alone.
/// Points as matter: the material with how deep it is, and the picture.
void takeCloud(Photographer& p) {
    if (p.window().controller().document().find("ghost")) takeRendering(p, "ghost", 8, "cloud");
}

/// Points in the view, coloured by a channel, and looked into.
void takeCloudView(Photographer& p) {
    auto& c = p.window().controller();
    if (!c.document().find("tide_ghost")) return;
    c.selection().select("tide_ghost");
    c.setValue({"tide_ghost", "", "points_by"}, std::string("depth"));
    c.setValue({"tide_ghost", "", "points_cut"}, std::string("slice"));
    c.setValue({"tide_ghost", "", "cut_axis"}, std::string("z"));
    c.setValue({"tide_ghost", "", "cut_thickness"}, 0.06);
    p.settle(2500);
    p.take("cloud-view");
}

void takeLineArt(Photographer& p) {
    if (p.window().controller().document().find("shell_ink")) takeRendering(p, "shell_ink", 8, "line_art");
}

/// Of numbers that have no view of their own: for a look, and for no manual.
void takePanels(Photographer& p) {
    for (const char* id : {"surroundings", "render", "snail_shell", "camera"}) {
        p.window().controller().selection().select(id);
        p.settle();
        p.take((std::string("panel-") + id).c_str());
    }
}

void waitForPictures(const std::vector<LibraryEntry>& all) {
    QElapsedTimer pictures;
    pictures.start();
    while (pictures.elapsed() < 240000 && !std::all_of(all.begin(), all.end(), [](const LibraryEntry& e) {
               return std::filesystem::exists(e.picture);
           }))
        QApplication::processEvents(QEventLoop::AllEvents, 20);
}

/// A library over the window, with all its pictures.
void takeParts(Photographer& p, PartsWindow& library, const char* name) {
    waitForPictures(library.list()->entries());
    library.move(p.window().mapToGlobal(QPoint(350, 120)));
    p.takeWith(name, &library);
    library.hide();
}

/// What belongs to delivering, for a look, and for no manual.
void takeDelivery(Photographer& p) {
    MainWindow& w = p.window();
    w.controller().selection().select("finish");
    w.run("finishings");
    takeParts(p, *w.finishings(), "panel-finishings");
    QueueDialog dialog(w.controller(), &w);
    dialog.show();
    dialog.move(w.mapToGlobal(QPoint(380, 60)));
    p.settle(6000);
    p.takeWith("panel-queue-dialog", &dialog);
    dialog.hide();
    QTemporaryDir folder;
    for (const int frame : {1, 2, 3, 4, 6, 7, 8}) {
        QImage image(640, 360, QImage::Format_RGB32);
        image.fill(QColor::fromHsv(190, 90, 20 * frame));
        image.save(folder.filePath(QString("walk.%1.png").arg(frame, 4, 10, QChar('0'))));
    }
    w.playSequence(folder.filePath("walk.0004.png").toStdString());
    p.settle(1500);
    p.take("panel-player");
    w.renderPane()->player()->leave();
    w.showRender(false);
}

void takePalette(Photographer& p) {
    MainWindow& w = p.window();
    const QString picture = QDir::temp().filePath("ovrix-palette-shot.png");
    QImage evening(240, 160, QImage::Format_RGB32);  // any picture will do
    QPainter paint(&evening);
    QLinearGradient sky(0, 0, 0, 100);
    sky.setColorAt(0, QColor(38, 66, 94)), sky.setColorAt(0.6, QColor(222, 150, 104));
    sky.setColorAt(1, QColor(250, 214, 150));
    paint.fillRect(0, 0, 240, 100, sky);
    paint.fillRect(0, 100, 240, 36, QColor(30, 84, 92));
    paint.fillRect(0, 136, 240, 24, QColor(120, 96, 74));
    paint.setBrush(QColor(206, 70, 62)), paint.setPen(Qt::NoPen);
    paint.drawEllipse(150, 108, 46, 20);
    paint.end();
    evening.save(picture);
    w.controller().selection().select("shells_on_sand");
    w.run("palette");
    w.palette()->look(picture);
    while (w.palette()->bar()->colors().empty()) QApplication::processEvents(QEventLoop::AllEvents, 20);
    w.palette()->move(w.mapToGlobal(QPoint(420, 240)));
    p.takeWith("palette", w.palette());
    w.palette()->hide();
}

void takeFieldStack(Photographer& p) {
    MainWindow& w = p.window();
    w.controller().selection().select("barnacles_large");
    p.settle();
    p.openStack("barnacles_large/scatter/mask");
    p.take("field-stack");
}

/// For one of the scenes that move.
void takeTime(Photographer& p) {
    MainWindow& w = p.window();
    const auto& all = w.controller().results().simulations;
    if (all.empty()) return;
    w.controller().selection().select(all.begin()->first);
    w.controller().clock().setFrame(28);
    p.settle();
    p.take("time");
    for (const NodePtr& n : w.controller().document().nodes(Category::Object))
        if (!animatedParams(w.controller().document(), n->id).empty())
            w.controller().selection().select(n->id);
    w.showBelow("curves", true);
    w.curves()->canvas()->fit();
    p.take("keys");
    w.showBelow("curves", false);
}

void takeLight(Photographer& p) {
    MainWindow& w = p.window();
    w.controller().selection().select("sun");
    w.view()->toggleSceneLight();
    p.settle();
    p.take("light");
    w.view()->toggleSceneLight();
}

void takePaint(Photographer& p) {
    MainWindow& w = p.window();
    w.controller().selection().select("sea_grass_tall");
    p.settle();
    p.openStack("sea_grass_tall/spread/mask");
    p.openSource("sea_grass_tall/spread/mask", "Painted");
    w.controller().selection().setPainting({"sea_grass_tall", "spread", "mask", 3, "map"});
    p.settle();
    if (const auto at = w.view()->project(V3f(0.46f, 0.02f, 0.72f))) p.hover(w.view(), *at);
    p.take("paint");
    w.controller().selection().setPainting({});
}

void takeMixer(Photographer& p) {
    MainWindow& w = p.window();
    w.controller().selection().select("shells_on_sand");
    p.settle();
    p.scrollTo("shells_on_sand/copies_of/prototypes");
    p.take("mixer");
}

void takeMaterials(Photographer& p) {
    MainWindow& w = p.window();
    w.controller().selection().select("float");
    w.run("materials");
    takeParts(p, *w.materials(), "materials");
}

void takeLibrary(Photographer& p) {
    MainWindow& w = p.window();
    w.controller().selection().select("pebbles");
    w.run("library");
    takeParts(p, *w.library(), "library");
}

void takeCurves(Photographer& p) {
    MainWindow& w = p.window();
    w.controller().selection().select("strand_line");
    w.view()->setTool(Tool::Curves);
    p.settle();
    p.take("curves");
    w.view()->setTool(Tool::Select);
}

void takeStrands(Photographer& p) {
    MainWindow& w = p.window();
    p.throughCamera("pup_85_mm");
    w.controller().selection().select("coat");
    p.settle();
    p.scrollTo("coat/clump/strength");
    p.take("strands");
    p.throughCamera("camera");
}

void takeComb(Photographer& p) {
    MainWindow& w = p.window();
    p.throughCamera("pup_85_mm");
    w.controller().selection().select("coat");
    w.view()->setTool(Tool::Comb);
    p.settle();
    p.hover(w.view(), QPointF(w.view()->width() * 0.5, w.view()->height() * 0.62));
    p.take("comb");
    w.view()->setTool(Tool::Select);
    p.throughCamera("camera");
}

void takeViewFull(Photographer& p) {
    MainWindow& w = p.window();
    w.controller().selection().select("stones_largest");
    w.run("full");
    p.settle();
    w.view()->frameSelected();
    p.settle(1500);  // until the view has come to rest
    p.take("view-full");
    w.view()->lookThroughCamera();
    w.run("full");
}

void takeBringIn(Photographer& p) {
    MainWindow& w = p.window();
    const auto other = w.controller().session().folder() / "silversides.ovrix";
    if (!std::filesystem::exists(other) || other == w.controller().session().path()) return;
    w.bringIn(QString::fromStdString(other.string()));
    QElapsedTimer reading;
    reading.start();
    while (!w.findChild<BringInDialog*>() && reading.elapsed() < 20000) p.settle(100);
    auto* dialog = w.findChild<BringInDialog*>();
    if (!dialog)
        return (void)std::fprintf(stderr, "ovrix-shots: no dialog: %s\n", qPrintable(w.statusText()));
    auto* tree = dialog->findChild<QTreeWidget*>("bringTree");
    for (auto* item : tree->findItems("School", Qt::MatchExactly | Qt::MatchRecursive))
        item->setCheckState(0, Qt::Checked);
    p.takeWith("bring-in", dialog);
    dialog->reject();
}

void takeSearch(Photographer& p) {
    MainWindow& w = p.window();
    w.run("search");
    if (QWidget* popup = QApplication::activePopupWidget()) {
        QTimer::singleShot(0, popup, [popup] { popup->findChild<QLineEdit*>()->setText("add"); });
        p.settle();
        p.takeWith("search", popup);
        popup->close();
    }
}

/// Every picture by its name, in the order in which they are taken; each leaves the view as it found it.
const std::pair<std::string, void (*)(Photographer&)> kShots[] = {{"window", takeWindow},
                                                                  {"field-stack", takeFieldStack},
                                                                  {"time", takeTime},
                                                                  {"light", takeLight},
                                                                  {"ramp", takeRamp},
                                                                  {"material", takeMaterial},
                                                                  {"paint", takePaint},
                                                                  {"mixer", takeMixer},
                                                                  {"library", takeLibrary},
                                                                  {"materials", takeMaterials},
                                                                  {"line_art", takeLineArt},
                                                                  {"cloud", takeCloud},
                                                                  {"cloud-view", takeCloudView},
                                                                  {"palette", takePalette},
                                                                  {"finish", takeFinish},
                                                                  {"queue", takeQueue},
                                                                  {"mask", takeMask},
                                                                  {"table", takeTable},
                                                                  {"variations", takeVariations},
                                                                  {"passes", takePasses},
                                                                  {"panels", takePanels},
                                                                  {"delivery", takeDelivery},
                                                                  {"curves", takeCurves},
                                                                  {"strands", takeStrands},
                                                                  {"comb", takeComb},
                                                                  {"view-full", takeViewFull},
                                                                  {"bring-in", takeBringIn},
                                                                  {"search", takeSearch}};

}  // namespace

int main(int argc, char** argv) {
    QStandardPaths::setTestModeEnabled(true);
    QCoreApplication::setOrganizationName("ovrix-shots");
    QCoreApplication::setApplicationName("ovrix-shots");
    QApplication application(argc, argv);
    if (argc < 3 || argc > 6) {
        std::fprintf(stderr, "usage: ovrix-shots SCENE FOLDER [SCALE [dark|light [NAME]]]\n");
        return 2;
    }
    const bool light = argc > 4 && std::string(argv[4]) == "light";
    applyTheme(application, light ? ThemeKind::Light : ThemeKind::Dark,
               argc > 3 ? std::clamp(std::atof(argv[3]), 1.0, 2.0) : 1.0);
    Photographer p(argv[1], argv[2]);
    for (const auto& [name, take] : kShots)
        if (argc < 6 ? name != "panels" && name != "delivery" && name != "mask" && name != "table" &&
                           name != "cloud-view" && name != "curves"
                     : name == argv[5])
            take(p);
    return 0;
}
