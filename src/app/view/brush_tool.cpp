#include "app/view/brush_tool.h"

#include <QButtonGroup>
#include <QCheckBox>
#include <QPushButton>

#include "app/theme/theme.h"
#include "app/widgets/flow_layout.h"
#include "app/widgets/number_box.h"
#include "base/error.h"
#include "eval/manual_work.h"

namespace ovrix::app {

namespace {

const BrushMode kModes[] = {
    {Brush::Add, "Add", "Brings values up to 1"},
    {Brush::Subtract, "Take", "Brings values down to 0; Ctrl while painting does too"},
    {Brush::Smooth, "Smooth", "Evens values out; Shift while painting does too"},
    {Brush::Erase, "Erase", "Brings back what it gives where nothing is painted"}};

}  // namespace

BrushStrip::BrushStrip(Brush& brush, QWidget* parent)
    : QWidget(parent), brush_(brush), modes_(new QButtonGroup(this)) {
    FlowLayout* line = brushStripLayout(this);
    const auto say = [this] { Q_EMIT changed(); };
    addModeButtons(line, modes_, kModes, "brush", [this, say](int mode) {
        brush_.mode = Brush::Mode(mode);
        say();
    });
    connect(addBrushButton(line, "brushFlood", "Flood", "Brings the whole surface up by the strength"),
            &QPushButton::clicked, this, &BrushStrip::flood);
    numbers_ = addBrushNumbers(line, brush_.radius, brush_.strength,
                               "How far one touch goes: A less, S more; drag with Alt up and down. A "
                               "tablet's pressure scales it",
                               say);
    mirror_ = addBrushSwitch(line, "Mirror", "Paints on the other side of the surface's own X too",
                             [this, say](bool on) {
                                 brush_.mirror = on;
                                 say();
                             });
    connect(addBrushButton(line, "brushDone", "Done", "Ends painting (Esc)"), &QPushButton::clicked, this,
            &BrushStrip::done);
    for (QWidget* w : findChildren<QWidget*>()) w->setFocusPolicy(Qt::TabFocus);
    refresh();
}

void BrushStrip::refresh() {
    if (auto* b = modes_->button(int(brush_.mode))) b->setChecked(true);
    numbers_.radius->setValue(double(brush_.radius));
    numbers_.strength->setValue(double(brush_.strength));
    mirror_->setChecked(brush_.mirror);
}

BrushTool::BrushTool(Controller& controller, QWidget* view)
    : QObject(view),
      controller_(controller),
      queue_(controller, this,
             [this](const MapValue& map) {
                 controller_.edit(
                     label_, [&](const Document& d) { return withPaintedMap(d, source_, map); },
                     merges_ ? "paint " + source_.text() : std::string());
             }),
      strip_(new BrushStrip(brush_, view)) {
    strip_->hide();
    connect(&controller_, &Controller::sceneChanged, this, [this] { queue_.clear(); });
    connect(strip_, &BrushStrip::changed, this, &BrushTool::changed);
    connect(strip_, &BrushStrip::done, this, [this] { controller_.selection().setPainting({}); });
    connect(strip_, &BrushStrip::flood, this, [this] {
        if (!ground()) return;
        Brush whole = brush_;
        whole.mode = Brush::Flood;
        beginStroke("Flood the mask", false);
        queue_.touch({whole, {}});
    });
    connect(&controller_.selection(), &Selection::paintingChanged, this, [this] {
        strip_->setVisible(active());
        strip_->raise();
        hover_.reset();
        Q_EMIT changed();
    });
}

void BrushTool::layOut(const QSize& view) {
    const int width = std::min(px(420), view.width() - px(56));
    strip_->resize(width, strip_->layout()->heightForWidth(width));
    strip_->move(px(48), px(26));
}

SurfacePtr BrushTool::ground() const {
    const auto& overlay = controller_.results().overlay;
    return overlay && overlay->path.node == controller_.selection().painting().node ? overlay->ground
                                                                                    : nullptr;
}

std::optional<Dab> BrushTool::dabAt(const QPointF& at, float pressure, const ViewPort& port) const {
    const SurfacePtr surface = ground();
    if (!surface) return std::nullopt;
    const SurfaceHit hit = surface->intersect(port.eye, port.direction(at));
    if (!hit.hit) return std::nullopt;
    return Dab{hit.position, hit.normal, pressure};
}

void BrushTool::touch(const Dab& dab, Qt::KeyboardModifiers modifiers) {
    Brush now = brush_;
    if (modifiers & Qt::ShiftModifier) now.mode = Brush::Smooth;
    if (modifiers & Qt::ControlModifier)
        now.mode = brush_.mode == Brush::Subtract ? Brush::Add : Brush::Subtract;
    queue_.touch({now, dab});
    last_ = dab;
}

/// What follows is painted on the source that is there once all before is done.
void BrushTool::beginStroke(const QString& label, bool merges) {
    queue_.begin([this, label, merges, source = controller_.selection().painting(),
                  surface = ground()]() -> StrokeQueue<Touch, MapValue>::Work {
        source_ = source, label_ = label, merges_ = merges;
        auto stroke = std::make_shared<PaintStroke>(controller_.document(), source, surface,
                                                    controller_.clock().frame());
        return [stroke](const std::vector<Touch>& touches, Progress& progress) {
            for (const Touch& t : touches) {
                progress.check();
                stroke->apply(t.brush, {&t.dab, 1});
            }
            return stroke->map();
        };
    });
}

bool BrushTool::press(const QPointF& at, Qt::KeyboardModifiers modifiers, float pressure,
                      const ViewPort& port) {
    if (!active()) return false;
    at_ = at;
    if (modifiers & Qt::AltModifier) return sizing_ = true;
    const auto& overlay = controller_.results().overlay;
    const Node* surface = overlay ? controller_.document().find(overlay->surface) : nullptr;
    if (surface && !surface->shown) {
        controller_.say(
            QString::fromStdString(surface->name) + " is hidden: show it in the outline to paint on it",
            true);
        return true;
    }
    hover_ = dabAt(at, pressure, port);
    if (!hover_) return false;
    down_ = true;
    beginStroke("Paint the mask", true);
    touch(*hover_, modifiers);
    return true;
}

void BrushTool::sizeBy(const QPointF& delta) {
    sizeByDrag(delta, brush_.radius, brush_.strength);
    strip_->refresh();
    Q_EMIT changed();
}

bool BrushTool::move(const QPointF& at, Qt::KeyboardModifiers modifiers, float pressure, bool down,
                     const ViewPort& port) {
    if (!active()) return false;
    if (sizing_ && down) {
        sizeBy(at - std::exchange(at_, at));
        return true;
    }
    hover_ = dabAt(at, pressure, port);
    Q_EMIT changed();
    if (!down_ || !hover_) return down_;
    // Touches are a quarter of the radius apart, so that a stroke is even however fast the hand is.
    const float apart = std::max(brush_.radius * 0.25f, 1e-6f);
    if (last_ && (hover_->position - last_->position).length() < apart) return true;
    touch(*hover_, modifiers);
    return true;
}

bool BrushTool::release() {
    sizing_ = false;
    if (!std::exchange(down_, false)) return false;
    last_.reset();
    queue_.end([this] { controller_.endDrag(); });
    return true;
}

bool BrushTool::key(int key) {
    if (!active()) return false;
    if (key == Qt::Key_Escape) {
        controller_.selection().setPainting({});
        return true;
    }
    if (!sizeByKey(key, brush_.radius, brush_.strength)) return false;
    strip_->refresh();
    Q_EMIT changed();
    return true;
}

void BrushTool::paint(QPainter& p, const ViewPort& port) const {
    if (active() && hover_) paintBrushRing(p, port, hover_->position, hover_->normal, brush_.radius);
}

}  // namespace ovrix::app
