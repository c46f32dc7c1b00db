#include "app/view/comb_tool.h"

#include <QButtonGroup>
#include <QCheckBox>
#include <QComboBox>
#include <QLabel>
#include <QPushButton>

#include "app/theme/theme.h"
#include "app/widgets/curve_box.h"
#include "app/widgets/flow_layout.h"
#include "app/widgets/number_box.h"
#include "base/error.h"
#include "eval/manual_work.h"
#include "field/paint.h"

namespace ovrix::app {

namespace {

constexpr int kChoose = 100;

const BrushMode kCombModes[] = {
    {CombBrush::Comb, "Comb", "Strands go with the brush; they keep their lengths"},
    {CombBrush::Lengthen, "Lengthen", "Strands grow"},
    {CombBrush::Cut, "Cut", "Strands end where the brush passes"},
    {CombBrush::Straighten, "Straighten", "Each towards the line from its root to its tip"},
    {CombBrush::Smooth, "Smooth", "Towards what all under the brush do; Shift does too"},
    {CombBrush::Raise, "Raise", "Lifts strands off the surface"},
    {CombBrush::Bend, "Bend", "Bends tips towards the middle of the brush"},
    {CombBrush::Gather, "Gather", "Draws strands together"},
    {CombBrush::Copy, "Copy", "Gives others the shape of the strand that the stroke begins on"},
    {CombBrush::Plant, "Plant", "Plants strands like those around, half a radius apart"},
    {CombBrush::Remove, "Remove", "Takes strands out whose roots lie under the brush"},
    {kChoose, "Choose", "Chooses strands: only they change then. Ctrl takes some back, Esc all"}};

}  // namespace

CombStrip::CombStrip(CombBrush& brush, QWidget* parent)
    : QWidget(parent), brush_(brush), modes_(new QButtonGroup(this)) {
    FlowLayout* line = brushStripLayout(this);
    const auto say = [this] { Q_EMIT changed(); };
    addModeButtons(line, modes_, kCombModes, "comb", [this, say](int mode) {
        if (mode != kChoose) brush_.mode = CombBrush::Mode(mode);
        say();
    });
    modes_->button(CombBrush::Comb)->setChecked(true);
    short_ = new QComboBox;
    short_->setObjectName("combMode");
    short_->setToolTip("What the brush does");
    for (const BrushMode& m : kCombModes) short_->addItem(m.title, m.mode);
    connect(short_, &QComboBox::activated, this,
            [this](int i) { modes_->button(short_->itemData(i).toInt())->click(); });
    line->addWidget(short_);
    numbers_ =
        addBrushNumbers(line, brush_.radius, brush_.strength,
                        "A less, S more; drag with Alt up and down. A tablet's pressure scales it", say);
    auto* falloff = new CurveBox;
    falloff->setToolTip("Strength from the middle of the brush (left) to its rim");
    falloff->setCurve(brush_.falloff);
    falloff->setFixedHeight(px(26));
    connect(falloff, &CurveBox::changed, this, [this, falloff](const Curve& curve, bool) {
        brush_.falloff = curve;
        falloff->setCurve(curve);
    });
    line->addWidget(falloff);
    depth_ =
        addBrushSwitch(line, "Whole depth", "Works on all that lies under the brush, also behind the surface",
                       [this, say](bool on) {
                           brush_.visibleOnly = !on;
                           say();
                       });
    mirror_ = addBrushSwitch(line, "Mirror", "Does the same on the other side of the surface's own X",
                             [this, say](bool on) {
                                 brush_.mirror = on;
                                 say();
                             });
    count_ = new QLabel;
    count_->setProperty("muted", true);
    count_->setObjectName("combCount");
    count_->setMinimumHeight(px(26));
    line->addWidget(count_);
    all_ =
        addBrushButton(line, "combAll", "Work on all", "Gives up the choice: all strands change again (Esc)");
    connect(all_, &QPushButton::clicked, this, &CombStrip::chooseAll);
    connect(addBrushButton(line, "combDone", "Done", "Ends combing (Esc)"), &QPushButton::clicked, this,
            &CombStrip::done);
    for (QWidget* w : findChildren<QWidget*>()) w->setFocusPolicy(Qt::TabFocus);
    setCompact(false);
}

void CombStrip::setCompact(bool compact) {
    for (QAbstractButton* b : modes_->buttons()) b->setVisible(!compact);
    short_->setVisible(compact);
    count_->setVisible(!compact);
}

bool CombStrip::choosing() const { return modes_->checkedId() == kChoose; }

void CombStrip::refresh(size_t strands, size_t chosen) {
    if (!choosing())
        if (auto* b = modes_->button(int(brush_.mode))) b->setChecked(true);
    short_->setCurrentIndex(short_->findData(modes_->checkedId()));
    numbers_.radius->setValue(double(brush_.radius));
    numbers_.strength->setValue(double(brush_.strength));
    mirror_->setChecked(brush_.mirror);
    depth_->setChecked(!brush_.visibleOnly);
    count_->setText(chosen ? QString("%1 of %2 chosen").arg(chosen).arg(strands)
                           : QString("%1 strands").arg(strands));
    all_->setEnabled(chosen > 0);
}

CombTool::CombTool(Controller& controller, QWidget* view)
    : QObject(view),
      controller_(controller),
      queue_(controller, this, [this](const Made& made) { take(made); }),
      strip_(new CombStrip(brush_, view)) {
    strip_->hide();
    connect(&controller_, &Controller::sceneChanged, this, [this] { queue_.clear(); });
    connect(strip_, &CombStrip::changed, this, [this] {
        refreshStrip();
        Q_EMIT changed();
    });
    connect(strip_, &CombStrip::done, this, &CombTool::ended);
    connect(strip_, &CombStrip::chooseAll, this, [this] {
        chosen_.clear();
        refreshStrip();
        Q_EMIT changed();
    });
    connect(&controller_, &Controller::resultsChanged, this, &CombTool::onResults);
    connect(&controller_.selection(), &Selection::selectionChanged, this, &CombTool::refreshStrip);
}

void CombTool::setActive(bool active) {
    if (active && !active_) fitBrush();
    active_ = active;
    if (!active) preview_ = nullptr;
    strip_->setVisible(active_);
    strip_->raise();
    hover_.reset();
    refreshStrip();
    if (active_) layOut(static_cast<QWidget*>(parent())->size());
    Q_EMIT changed();
}

/// A size that fits what is combed.
void CombTool::fitBrush() {
    const Node* node = controller_.selection().node();
    if (!node || node->category() != Category::Layer) return;
    const auto& objects = controller_.results().objects;
    const auto on = objects.find(controller_.document().value(node->id, kLayer.surface));
    if (on == objects.end()) return;
    const V3f size = placedBox(on->second.mesh->bounds(), on->second.world).size();
    brush_.radius = std::clamp(0.12f * std::max({size.x, size.y, size.z}), 1e-3f, 1e4f);
}

std::string CombTool::layer() const {
    const Node* node = controller_.selection().node();
    if (!active_ || !node || node->category() != Category::Layer) return {};
    return combIndex(recipeOwner(controller_.document(), *node).steps) ? node->id : std::string();
}

StrandsPtr CombTool::strands() const {
    const auto it = controller_.results().layers.find(layer());
    return it == controller_.results().layers.end() ? nullptr : it->second.combable;
}

SurfacePtr CombTool::skin() const { return controller_.surfaceOfChosen(); }

/// Rays at it can be traced, or it lies on nothing.
bool CombTool::skinReady() const {
    return skin() || controller_.document().value(layer(), kLayer.surface).empty();
}

void CombTool::layOut(const QSize& view) {
    const int width = std::min(px(470), view.width() - px(56));
    strip_->setCompact(width < px(300));
    strip_->resize(width, strip_->layout()->heightForWidth(width));
    strip_->move(px(48), px(26));
}

void CombTool::refreshStrip() {
    const StrandsPtr now = strands();
    if (chosenLayer_ != layer()) chosen_.clear(), chosenLayer_ = layer();
    strip_->refresh(now ? now->size() : 0, chosen_.size());
}

void CombTool::onResults() {
    if (!down_ && !queue_.busy()) preview_ = nullptr;
    refreshStrip();
}

/// Where the brush is: on the skin, else as far away as it last was.
std::optional<CombTool::Spot> CombTool::spotAt(const QPointF& at, const ViewPort& port) const {
    const V3f d = port.direction(at);
    if (const SurfacePtr surface = skin())
        if (const SurfaceHit hit = surface->intersect(port.eye, d); hit.hit)
            return Spot{hit.position, hit.normal, hit.distance};
    if (!strands()) return std::nullopt;
    return Spot{port.eye + d * depth_, -d, depth_};
}

bool CombTool::press(const QPointF& at, Qt::KeyboardModifiers modifiers, float pressure,
                     const ViewPort& port) {
    if (!active_) return false;
    at_ = at;
    if (modifiers & Qt::AltModifier) return sizing_ = true;
    const Node* node = controller_.selection().node();
    if (layer().empty()) {
        controller_.say("Choose a layer that makes strands to comb them", true);
        return node && node->category() == Category::Layer;
    }
    const auto spot = spotAt(at, port);
    if (!spot || !strands()) return false;
    if (!skinReady()) {
        controller_.say("What the strands stand on is still being made ready", false);
        return true;
    }
    choosing_ = strip_->choosing();
    queue_.begin([this, layer = layer(), skin = skin(), choosing = choosing_] {
        return strokeOf(layer, skin, choosing);
    });
    down_ = true;
    adds_ = !(modifiers & Qt::ControlModifier);
    depth_ = spot->distance;
    last_ = port.eye + port.direction(at) * depth_;
    hover_ = spot;
    strokeBrush_ = brush_;
    if (modifiers & Qt::ShiftModifier) strokeBrush_.mode = CombBrush::Smooth;
    if (strokeBrush_.mode != CombBrush::Comb || choosing_) dab(*spot, port.eye, pressure);
    return true;
}

/// What works on the strands as they are once all before is done.
CombTool::Queue::Work CombTool::strokeOf(const std::string& layer, const SurfacePtr& skin, bool choosing) {
    const Document& d = controller_.document();
    const StrandEdits edits = combingOf(d, layer);
    const auto result = controller_.results().layers.find(layer);
    StrandsPtr now = result == controller_.results().layers.end() ? nullptr : result->second.combable;
    // The evaluation may still be on its way to what the last stroke left.
    if (after_ && strokeLayer_ == layer && controller_.evaluating() && edits == afterEdits_) now = after_;
    if (!now) return nullptr;
    const auto surface = d.value(layer, kLayer.surface);
    const M44f world = surface.empty() ? M44f() : d.worldMatrix(surface, controller_.clock().frame());
    const M44f local = std::abs(world.determinant()) > 1e-20f ? world.inverse() : M44f();
    strokeLayer_ = layer, strokeStrands_ = nullptr;
    strokeTopology_ = skin ? topologyOf(*skin) : 0;
    const auto only = choosing ? std::unordered_set<uint64_t>() : chosen_;
    const auto stroke = std::make_shared<std::optional<CombStroke>>();
    return [=](const std::vector<Touch>& touches, Progress& progress) {
        if (!*stroke) stroke->emplace(now, edits, skin, local, only);
        Made made;
        for (const Touch& t : touches) {
            progress.check();
            if (!t.chooses)
                (*stroke)->apply(t.brush, t.dab);
            else
                for (const uint64_t id : (*stroke)->idsUnder(t.brush, t.dab))
                    made.chosen.emplace_back(id, t.adds);
        }
        if (choosing || (*stroke)->touchedCount() == 0) return made;
        made.strands = (*stroke)->strands();
        made.packed = std::make_shared<const PackedStrands>(packedStrands(*made.strands));
        made.edits = (*stroke)->edits();
        return made;
    };
}

/// What touches gave comes into the document, and is seen before it is evaluated.
void CombTool::take(const Made& made) {
    for (const auto& [id, add] : made.chosen) {
        if (chosenLayer_ != strokeLayer_) break;  // another layer was chosen meanwhile
        if (add)
            chosen_.insert(id);
        else
            chosen_.erase(id);
    }
    if (!made.chosen.empty()) refreshStrip();
    if (made.strands) {
        strokeStrands_ = made.strands;
        preview_ = made.packed;
        controller_.edit(
            "Comb",
            [&](const Document& d) { return withCombing(d, strokeLayer_, made.edits, strokeTopology_); },
            "comb " + strokeLayer_);
    }
    Q_EMIT changed();
}

void CombTool::dab(const Spot& spot, const V3f& eye, float pressure) {
    const V3f there = eye + (spot.at - eye).normalized() * depth_;
    queue_.touch(
        {choosing_ ? brush_ : strokeBrush_, {eye, spot.at, there - last_, pressure}, choosing_, adds_});
    last_ = there;
}

bool CombTool::move(const QPointF& at, float pressure, bool down, const ViewPort& port) {
    if (!active_) return false;
    if (sizing_ && down) {
        sizeBy(at - std::exchange(at_, at));
        return true;
    }
    hover_ = spotAt(at, port);
    Q_EMIT changed();
    if (!down_ || !hover_) return down_;
    dab(*hover_, port.eye, pressure);
    return true;
}

bool CombTool::release() {
    sizing_ = false;
    if (!std::exchange(down_, false)) return false;
    queue_.end([this, choosing = choosing_] { endStroke(choosing); });
    Q_EMIT changed();
    return true;
}

void CombTool::endStroke(bool choosing) {
    if (strokeStrands_ && !choosing) {
        after_ = std::exchange(strokeStrands_, nullptr);
        afterEdits_ = combingOf(controller_.document(), strokeLayer_);
    }
    controller_.endDrag();
    if (!controller_.evaluating()) preview_ = nullptr;
    Q_EMIT changed();
}

void CombTool::sizeBy(const QPointF& delta) {
    sizeByDrag(delta, brush_.radius, brush_.strength);
    refreshStrip();
    Q_EMIT changed();
}

bool CombTool::key(int key) {
    if (!active_) return false;
    if (key == Qt::Key_Escape && chosen_.empty()) {
        Q_EMIT ended();
        return true;
    }
    if (key == Qt::Key_Escape)
        chosen_.clear();
    else if (!sizeByKey(key, brush_.radius, brush_.strength))
        return false;
    refreshStrip();
    Q_EMIT changed();
    return true;
}

void CombTool::paint(QPainter& p, const ViewPort& port) const {
    if (!active_) return;
    if (const StrandsPtr now = strands(); now && !chosen_.empty()) {
        const auto id = now->strands.find<uint64_t>("id");
        const auto root = now->strands.find<V3f>("P");
        p.setPen(Qt::NoPen);
        p.setBrush(tokens().seaGlass);
        for (size_t s = 0; s < id.size(); ++s)
            if (chosen_.count(id[s]))
                if (const auto q = port.project(root[s])) p.drawEllipse(*q, 2.5, 2.5);
    }
    if (hover_ && !layer().empty()) paintBrushRing(p, port, hover_->at, hover_->normal, brush_.radius);
}

}  // namespace ovrix::app
