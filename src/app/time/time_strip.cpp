#include "app/time/time_strip.h"

#include <QHBoxLayout>
#include <QLabel>
#include <QMenu>
#include <QPushButton>
#include <QToolButton>

#include "app/theme/theme.h"
#include "app/widgets/marks.h"
#include "app/widgets/number_box.h"
#include "document/edits/keying.h"

namespace ovrix::app {

void TimeStrip::listen() {
    connect(&controller_.clock(), &PlayClock::frameChanged, this, &TimeStrip::refresh);
    connect(&controller_.clock(), &PlayClock::playingChanged, this, &TimeStrip::refresh);
    connect(&controller_, &Controller::documentChanged, this, &TimeStrip::refresh);
    connect(&controller_, &Controller::fileChanged, this, &TimeStrip::refresh);
    connect(&controller_, &Controller::resultsChanged, this, &TimeStrip::refreshBake);
    connect(&controller_, &Controller::bakingChanged, this, &TimeStrip::refreshBake);
}

void TimeStrip::makeFrameBox() {
    const ParamSpec spec{.id = "frame",
                         .title = "Frame",
                         .initial = 1.0,
                         .hardMin = -1e6,
                         .hardMax = 1e6,
                         .softMin = 1,
                         .softMax = 100,
                         .help = "The frame that is shown"};
    frame_ = new NumberBox(spec);
    frame_->setObjectName("frameBox");
    frame_->setFixedWidth(px(56));
    frame_->setToolTip("The frame that is shown");
    connect(frame_, &NumberBox::changed, this, [this](double f, bool) { controller_.clock().setFrame(f); });
}

TimeStrip::TimeStrip(Controller& controller, QWidget* parent) : QWidget(parent), controller_(controller) {
    setObjectName("bar");
    setFixedHeight(px(58));
    auto* line = new QHBoxLayout(this);
    line->setContentsMargins(px(10), px(2), px(10), px(2));
    line->setSpacing(px(2));
    const auto button = [&](const char* name, const char* iconName, const char* tip,
                            const std::function<void()>& run) {
        auto* b = new QToolButton;
        b->setObjectName(name);
        b->setProperty("flat", true);
        b->setIcon(icon(iconName));
        b->setIconSize(QSize(px(16), px(16)));
        b->setFixedSize(px(26), px(26));
        b->setToolTip(tip);
        b->setAccessibleName(tip);
        connect(b, &QToolButton::clicked, this, run);
        line->addWidget(b);
        return b;
    };
    button("toFirst", "first", "To the first frame",
           [this] { controller_.clock().setFrame(controller_.clock().range().first); });
    button("back", "back", "A frame back", [this] { step(-1); });
    play_ = button("play", "play", "Play (Space)",
                   [this] { controller_.clock().setPlaying(!controller_.clock().playing()); });
    button("ahead", "ahead", "A frame ahead", [this] { step(1); });
    makeFrameBox();
    line->addSpacing(px(6));
    line->addWidget(frame_);
    ruler_ = new FrameRuler(controller_);
    line->addWidget(ruler_, 1);
    first_ = settingBox("first", "The first frame of the scene");
    last_ = settingBox("last", "The last frame of the scene");
    line->addWidget(first_);
    line->addWidget(last_);
    line->addSpacing(px(6));
    curves_ = button("curves", "keys", "Keys as curves (Shift+K)",
                     [this] { Q_EMIT curvesToggled(curves_->isChecked()); });
    curves_->setCheckable(true);
    queue_ = button("queue", "queue", "Queue: renders that wait and work (Ctrl+Shift+Q)",
                    [this] { Q_EMIT queueToggled(queue_->isChecked()); });
    queue_->setCheckable(true);
    bake_ = new QPushButton("Bake");
    bake_->setObjectName("bake");
    bake_->setMinimumWidth(px(92));
    auto* menu = new QMenu(bake_);
    connect(menu, &QMenu::aboutToShow, this, [this, menu] { fillBakeMenu(*menu); });
    bake_->setMenu(menu);
    line->addWidget(bake_);
    listen();
    refresh();
    refreshBake();
}

NumberBox* TimeStrip::settingBox(const char* id, const QString& tip) {
    const ParamSpec* spec = findSpec(findNodeType("scene")->params, id);
    auto* box = new NumberBox(*spec);
    box->setObjectName(id);
    box->setFixedWidth(px(48));
    box->setToolTip(tip);
    connect(box, &NumberBox::changed, this, [this, id](double x, bool dragging) {
        controller_.setValue({"scene", "", id}, int64_t(x), dragging);
    });
    connect(box, &NumberBox::finished, this, [this] { controller_.endDrag(); });
    return box;
}

void TimeStrip::step(int frames) {
    controller_.clock().setPlaying(false);
    controller_.clock().setFrame(std::floor(controller_.clock().frame()) + frames);
}

void TimeStrip::refresh() {
    frame_->setValue(controller_.clock().frame());
    const auto [first, last] = controller_.document().frames();
    first_->setValue(first);
    last_->setValue(last);
    play_->setIcon(icon(controller_.clock().playing() ? "pause" : "play"));
    play_->setToolTip(controller_.clock().playing() ? "Stop playing (Space)" : "Play (Space)");
}

void TimeStrip::refreshBake() {
    const BakeWorker::State s = controller_.bakes().state();
    const auto& all = controller_.results().simulations;
    bake_->setEnabled(s.running || !all.empty());
    bool stale = false;
    for (const auto& [layer, status] : all)
        stale |= status.bake.exists && !status.fresh && status.use != "always";
    bake_->setText(s.running ? QString("Baking %1 / %2").arg(s.frame).arg(s.last)
                   : stale   ? "Bake: stale"
                             : "Bake");
    bake_->setStyleSheet(stale && !s.running ? "color:" + tokens().amber.name() : QString());
    bake_->setToolTip(all.empty()
                          ? "Nothing simulates here"
                          : "Writes simulated frames beside the scene: then every frame is there at once");
}

void TimeStrip::fillBakeMenu(QMenu& menu) {
    menu.clear();
    if (controller_.bakes().state().running) {
        menu.addAction("Stop baking", this, [this] { controller_.bakes().cancel(); });
        menu.addSeparator();
    }
    const Document& d = controller_.document();
    const auto& all = controller_.results().simulations;
    const auto nameOf = [&](const std::string& id) {
        return QString::fromStdString(d.find(id) ? d.get(id).name : id);
    };
    for (const auto& [id, status] : all)
        if (!status.bake.locked)
            menu.addAction("Bake " + nameOf(id), this, [this, layer = id] { controller_.bakeLayer(layer); });
    if (all.size() > 1)
        menu.addAction("Bake all", this, [this] {
            for (const auto& [id, status] : controller_.results().simulations)
                if (!status.bake.locked) controller_.bakeLayer(id);
        });
    menu.addSeparator();
    const auto useBake = [this](const std::string& layer, const char* how) {
        controller_.edit("Use of a bake", [&](const Document& doc) {
            const NodePtr recipe = recipeOf(doc, doc.get(layer));
            const auto solver = solverIndex(recipe->steps);
            if (!solver) return doc;
            return withValue(doc, {layer, recipe->steps[*solver].id, "bake_use"}, std::string(how));
        });
    };
    for (const auto& [id, status] : all) {
        if (!status.bake.exists) continue;
        const auto folder = bakeFolder(controller_.session().path(), id);
        if (!status.fresh) {
            const auto use = [useBake, layer = id](const char* how) { useBake(layer, how); };
            if (status.use == "always")
                menu.addAction("Use " + nameOf(id) + "'s bake only while fresh", this,
                               [use] { use("while fresh"); });
            else
                menu.addAction("Keep " + nameOf(id) + "'s stale bake in use", this, [use] { use("always"); });
        }
        menu.addAction((status.bake.locked ? "Unlock " : "Lock ") + nameOf(id) + "'s bake", this,
                       [this, folder, locked = status.bake.locked] {
                           controller_.guarded([&] { lockBake(folder, !locked); });
                           controller_.refreshResults();
                       });
        if (!status.bake.locked)
            menu.addAction("Remove " + nameOf(id) + "'s bake", this, [this, folder] {
                controller_.guarded([&] { removeBake(folder); });
                controller_.refreshResults();
            });
    }
}

}  // namespace ovrix::app
