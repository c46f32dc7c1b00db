// What the view paints over its picture: signs, legend, labels.
#include <QPainter>
#include <QToolButton>

#include "app/theme/theme.h"
#include "app/view/view_widget.h"
#include "deliver/render_scene_builder.h"
#include "eval/camera_options.h"

namespace ovrix::app {

/// "Barnacles \u00b7 Mask"
static QString overlayTitle(const Document& document, const ParamPath& path) {
    const Node* layer = document.find(path.node);
    if (!layer) return {};
    return QString::fromStdString(layer->name) + " \u00b7 " +
           QString::fromStdString(specAt(document, path).title);
}

void ViewWidget::paintOver(QPainter& p) {
    if (!missing_.isEmpty()) {
        p.setPen(tokens().text);
        p.drawText(rect(), Qt::AlignCenter, missing_);
        return;
    }
    paintGuides(p);
    paintNodes(p);
    const ViewPort view = port();
    handles_.paint(p, view.project, handleUnit());
    brush_->paint(p, view);
    elements_->paint(p, view);
    paintMarked(p, view);
    curves_->paint(p, view);
    comb_->paint(p, view);
    lights_->paint(p, view);
    paintLegend(p);
    paintGridLabel(p);
    if (hasFocus()) {
        p.setPen(QPen(tokens().seaGlass, 1));
        p.setBrush(Qt::NoBrush);
        p.drawRect(QRectF(rect()).adjusted(0.5, 0.5, -0.5, -0.5));
    }
}

/// A ring about each element that is marked: in a table, say.
void ViewWidget::paintMarked(QPainter& p, const ViewPort& view) const {
    constexpr size_t kMost = 5000;
    const std::set<uint64_t>& ids = controller_.selection().elements();
    const auto it = controller_.results().layers.find(controller_.selection().id());
    if (ids.empty() || it == controller_.results().layers.end()) return;
    const AttributeSet* set = elementsOf(it->second.geometry);
    if (!set) return;
    const auto id = set->find<uint64_t>("id");
    const auto place = set->find<V3f>("P");
    p.setBrush(Qt::NoBrush);
    size_t drawn = 0;
    for (size_t i = 0; i < std::min(id.size(), place.size()) && drawn < kMost; ++i) {
        if (!ids.count(id[i])) continue;
        const auto at = view.project(place[i]);
        if (!at) continue;
        p.setPen(QPen(tokens().ink, 3.5));
        p.drawEllipse(*at, px(5), px(5));
        p.setPen(QPen(tokens().seaGlass, 1.5));
        p.drawEllipse(*at, px(5), px(5));
        ++drawn;
    }
}

QRectF ViewWidget::pictureRect() const {
    const Document& d = controller_.document();
    const double wanted = double(d.renderSetting(kRender.width)) /
                          double(std::max<int64_t>(1, d.renderSetting(kRender.height)));
    const QSizeF all(size());
    QSizeF picture(all.height() * wanted, all.height());
    if (picture.width() > all.width()) picture = {all.width(), all.width() / wanted};
    return {QPointF(0.5 * (all.width() - picture.width()), 0.5 * (all.height() - picture.height())), picture};
}

/// The frame of the picture, its thirds, and what any screen shows of it: nine tenths, and eight for words.
void ViewWidget::paintGuides(QPainter& p) {
    if (!guides_ || !throughCamera_) return;
    const QRectF r = pictureRect();
    QColor line = tokens().text;
    const auto draw = [&](double strength, Qt::PenStyle style) {
        line.setAlphaF(float(strength));
        p.setPen(QPen(line, 1, style));
        p.setBrush(Qt::NoBrush);
    };
    draw(0.7, Qt::SolidLine);
    p.drawRect(r.adjusted(0.5, 0.5, -0.5, -0.5));
    draw(0.35, Qt::SolidLine);
    for (const double t : {1.0 / 3.0, 2.0 / 3.0}) {
        p.drawLine(QPointF(r.left() + t * r.width(), r.top()), QPointF(r.left() + t * r.width(), r.bottom()));
        p.drawLine(QPointF(r.left(), r.top() + t * r.height()), QPointF(r.right(), r.top() + t * r.height()));
    }
    draw(0.45, Qt::DashLine);
    for (const double part : {0.9, 0.8}) {
        const QSizeF inner = r.size() * part;
        p.drawRect(QRectF(r.center() - QPointF(0.5 * inner.width(), 0.5 * inner.height()), inner));
    }
}

std::vector<std::vector<V3f>> ViewWidget::outlineOf(const Node& node) const {
    return eval::outlineOf(controller_.document(), node, controller_.clock().frame(),
                           0.12f * camera_.distance);
}

void ViewWidget::paintOutline(QPainter& p, const Node& node) {
    for (const std::vector<V3f>& line : outlineOf(node)) {
        std::optional<QPointF> last;
        for (const V3f& point : line) {
            const auto q = project(point);
            if (last && q) p.drawLine(*last, *q);
            last = q;
        }
    }
}

/// Cameras and lights have no mesh: small signs stand for them.
void ViewWidget::paintNodes(QPainter& p) {
    for (const NodePtr& n : controller_.document().nodes()) {
        const auto at = signPlace(*n);
        const auto q = at ? project(*at) : std::nullopt;
        if (!q) continue;
        const bool chosen = n->id == controller_.selection().id();
        p.setPen(QPen(chosen ? tokens().seaGlass : tokens().muted, 1));
        paintOutline(p, *n);
        p.drawPixmap(QRectF(q->x() - px(9), q->y() - px(9), px(18), px(18)),
                     iconPixmap(findNodeType(n->type)->sign.c_str(),
                                chosen ? tokens().seaGlass : tokens().text, px(36)),
                     QRectF(0, 0, px(36), px(36)));
    }
}

/// Where a small sign stands for it in the view; nothing where none does.
std::optional<V3f> ViewWidget::signPlace(const Node& node) const {
    const NodeType* type = findNodeType(node.type);
    if (!type || type->sign.empty() || !node.shown || (type->camera && throughCamera_)) return std::nullopt;
    return controller_.document().originOf(node.id, controller_.clock().frame());
}

bool ViewWidget::showsOverlay() const {
    const auto& o = controller_.results().overlay;
    return o && o->error.empty() && !controller_.selection().overlay().node.empty();
}

QRectF ViewWidget::legendBox() const {
    return {double(px(10)), double(height() - px(76)), double(std::min(px(280), width() - px(20))),
            double(px(66))};
}

QRectF ViewWidget::legendBar() const {
    const QRectF inner = legendBox().adjusted(px(10), px(8), -px(10), -px(8));
    return {inner.left(), inner.top() + px(23), inner.width(), double(px(8))};
}

/// What the chosen layer's points are coloured by.
void ViewWidget::paintPointLegend(QPainter& p) {
    if (!scene_) return;
    const GlPoints::Legend legend = scene_->points().legendOf(controller_.selection().id());
    if (legend.channel.empty()) return;
    const QRectF box = legendBox();
    p.setPen(Qt::NoPen);
    p.setBrush(tokens().panel);
    p.drawRoundedRect(box, px(4), px(4));
    const QRectF inner = box.adjusted(px(10), px(8), -px(10), -px(8)), bar = legendBar();
    p.setFont(textFont(9.25));
    p.setPen(tokens().text);
    p.drawText(inner, Qt::AlignTop | Qt::AlignLeft,
               p.fontMetrics().elidedText(QString::fromStdString(legend.channel), Qt::ElideRight,
                                          int(inner.width())));
    for (int x = 0; x < int(bar.width()); ++x)
        p.fillRect(QRectF(bar.left() + x, bar.top(), 1.5, bar.height()),
                   heatColor(float(x) / float(bar.width())));
    p.setPen(tokens().muted);
    p.setFont(figureFont(8.75));
    p.drawText(inner, Qt::AlignBottom | Qt::AlignLeft, QString::number(double(legend.least), 'g', 4));
    p.drawText(inner, Qt::AlignBottom | Qt::AlignRight, QString::number(double(legend.most), 'g', 4));
}

void ViewWidget::paintLegend(QPainter& p) {
    const auto& o = controller_.results().overlay;
    const bool shown = o && !controller_.selection().overlay().node.empty();
    if (!shown) return paintPointLegend(p);
    const QRectF box = legendBox();
    p.setPen(Qt::NoPen);
    p.setBrush(tokens().panel);
    p.drawRoundedRect(box, px(4), px(4));
    const QRectF inner = box.adjusted(px(10), px(8), -px(10), -px(8));
    const double buttons = px(48);
    p.setFont(textFont(9.25));
    p.setPen(tokens().text);
    const Node* node = controller_.document().find(o->path.node);
    const bool mask = node && node->category() == Category::Layer;  // of a colour nothing "passes"
    const QString share = !o->error.empty() ? QString()
                          : zone_           ? QString("%1% inside").arg(100 * o->shareFrom(*zone_), 0, 'f', 0)
                                  : QString(mask ? "%1% pass" : "mean %1%").arg(100 * o->mean, 0, 'f', 0);
    p.drawText(inner, Qt::AlignTop | Qt::AlignLeft,
               p.fontMetrics().elidedText(overlayTitle(controller_.document(), o->path), Qt::ElideRight,
                                          int(inner.width() - buttons) - px(78)));
    p.setPen(tokens().muted);
    p.setFont(figureFont(8.75));
    p.drawText(inner.adjusted(0, 0, -buttons, 0), Qt::AlignTop | Qt::AlignRight, share);
    if (!o->error.empty()) {
        p.setPen(tokens().red);
        p.setFont(textFont(8.75));
        p.drawText(inner.adjusted(0, px(18), 0, 0), Qt::TextWordWrap, QString::fromStdString(o->error));
        return;
    }
    const QRectF bar = legendBar();
    for (int x = 0; x < int(bar.width()); ++x) {
        const float t = float(x) / float(bar.width());
        p.fillRect(QRectF(bar.left() + x, bar.top(), 1.5, bar.height()),
                   zone_ ? tokens().heat[t >= *zone_ ? 3 : 0] : heatColor(t));
    }
    p.drawText(inner, Qt::AlignBottom | Qt::AlignLeft, "0 none");
    p.drawText(inner, Qt::AlignBottom | Qt::AlignRight, "all 1");
    if (!zone_) return p.drawText(inner, Qt::AlignBottom | Qt::AlignHCenter, "0.5");
    const double at = bar.left() + double(*zone_) * bar.width();
    p.setPen(QPen(tokens().text, px(2)));
    p.drawLine(QPointF(at, bar.top() - px(3)), QPointF(at, bar.bottom() + px(3)));
    p.drawText(inner, Qt::AlignBottom | Qt::AlignHCenter, QString("from %1").arg(double(*zone_), 0, 'f', 2));
}

/// The bar of the legend moves the border of the zone.
bool ViewWidget::dragZone(const QPointF& at) {
    if (!zone_) return false;
    const QRectF bar = legendBar();
    zone_ = float(std::clamp((at.x() - bar.left()) / bar.width(), 0.0, 1.0));
    refresh();
    return true;
}

void ViewWidget::paintGridLabel(QPainter& p) {
    const float step = gridStep();
    const QString size = step >= 1       ? QString("%1 m").arg(double(step))
                         : step >= 0.01f ? QString("%1 cm").arg(double(step) * 100)
                                         : QString("%1 mm").arg(double(step) * 1000);
    QString text = "grid " + size;
    if (throughCamera_) text = "scene camera   " + text;
    if (scene_) {
        DrawLevel coarsest = DrawLevel::Meshes;
        for (const CopyBatch& b : scene_->batches()) coarsest = std::max(coarsest, b.level);
        if (coarsest != DrawLevel::Meshes && !moving_)
            text = "some as " + drawLevelName(coarsest) + "   " + text;
    }
    p.setFont(figureFont(8.25));
    const QRectF available = QRectF(rect()).adjusted(px(52), px(8), -px(10), 0);  // beside the tools
    text = p.fontMetrics().elidedText(text, Qt::ElideLeft, int(available.width()));
    // Read over what is bright too.
    QColor ground = tokens().panel;
    ground.setAlphaF(0.8f);
    p.setPen(Qt::NoPen);
    p.setBrush(ground);
    const double wide = p.fontMetrics().horizontalAdvance(text);
    const QRectF box(available.right() - wide, available.top(), wide, p.fontMetrics().height());
    p.drawRoundedRect(box.adjusted(-px(6), -px(3), px(6), px(3)), px(4), px(4));
    p.setPen(tokens().text);
    p.drawText(box.adjusted(-1, 0, 1, 0), Qt::AlignCenter, text);
}

}  // namespace ovrix::app
