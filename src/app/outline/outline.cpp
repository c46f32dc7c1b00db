#include "app/outline/outline.h"

#include <QContextMenuEvent>
#include <QDrag>
#include <QMenu>
#include <QMimeData>
#include <QPainter>
#include <QScrollBar>
#include <QStyledItemDelegate>
#include <QTimer>
#include <set>

#include "app/theme/theme.h"
#include "document/library/material_file.h"

namespace ovrix::app {

namespace {

QRect shownRect(const QRect& row) { return {row.right() - px(44), row.top(), px(20), row.height()}; }
QRect renderedRect(const QRect& row) { return {row.right() - px(24), row.top(), px(20), row.height()}; }

class RowDelegate : public QStyledItemDelegate {
  public:
    using QStyledItemDelegate::QStyledItemDelegate;
    QSize sizeHint(const QStyleOptionViewItem&, const QModelIndex& index) const override {
        return {px(100), index.data(GroupRole).toBool() ? px(30) : px(27)};
    }
    void paint(QPainter* p, const QStyleOptionViewItem& o, const QModelIndex& index) const override {
        const Tokens& t = tokens();
        p->setRenderHint(QPainter::Antialiasing);
        const QRect row(
            0, o.rect.top(),
            (o.widget ? static_cast<const QTreeWidget*>(o.widget)->viewport()->width() : o.rect.right()),
            o.rect.height());
        if (index.data(GroupRole).toBool()) return paintGroup(p, o, index);
        paintGround(p, o, row);
        const bool shown = index.data(ShownRole).toBool(), rendered = index.data(RenderedRole).toBool(),
                   problem = index.data(ProblemRole).toBool();
        const bool view = index.data(ShownRole).isValid(), render = index.data(RenderedRole).isValid();
        int right = row.right() - px(10);
        if (view) {
            p->setPen(QPen(shown ? t.seaGlass : t.muted, 1.3));
            p->setBrush(shown ? QBrush(t.seaGlass) : Qt::NoBrush);
            p->drawEllipse(QRectF(shownRect(row)).center(), px(4), px(4));
        }
        if (render) {
            const QPointF at = QRectF(renderedRect(row)).center();
            p->setPen(QPen(rendered ? t.text : t.muted, 1.3));
            p->setBrush(rendered ? QBrush(t.muted) : Qt::NoBrush);
            p->drawRoundedRect(QRectF(at.x() - px(4), at.y() - px(4), px(8), px(8)), 1.5, 1.5);
            right = row.right() - px(50);
        }
        p->setBrush(Qt::NoBrush);
        QString count = index.data(CountRole).toString();
        // Where there is little room most of the name comes before the figure.
        const double available = right - o.rect.left() - px(14),
                     name0 = QFontMetrics(textFont(9.5)).horizontalAdvance(index.data().toString());
        const auto left0 = [&] { return available - QFontMetrics(figureFont(8.5)).horizontalAdvance(count); };
        if (left0() < name0 && count.endsWith(" tri")) count.chop(4);
        if (left0() < 0.6 * name0 && !problem) count.clear();
        p->setFont(figureFont(8.5));
        const int countWidth = count.isEmpty() ? 0 : p->fontMetrics().horizontalAdvance(count) + px(8);
        p->setPen(problem ? t.red : t.muted);
        p->drawText(QRect(right - countWidth, row.top(), countWidth, row.height()),
                    Qt::AlignRight | Qt::AlignVCenter, count);
        p->setFont(textFont(9.5));
        p->setPen((view ? shown : !render || rendered) ? t.text : t.muted);
        const int left = o.rect.left() + px(2);
        const QString name = p->fontMetrics().elidedText(index.data().toString(), Qt::ElideRight,
                                                         right - countWidth - left - px(4));
        p->drawText(QRect(left, row.top(), right - left, row.height()), Qt::AlignLeft | Qt::AlignVCenter,
                    name);
    }
    static void paintGroup(QPainter* p, const QStyleOptionViewItem& o, const QModelIndex& index) {
        p->setPen(tokens().muted);
        p->setFont(textFont(8.75));
        p->drawText(o.rect.adjusted(px(12), 0, 0, -px(4)), Qt::AlignLeft | Qt::AlignBottom,
                    index.data().toString());
    }
    static void paintGround(QPainter* p, const QStyleOptionViewItem& o, const QRect& row) {
        const Tokens& t = tokens();
        if (o.state & QStyle::State_Selected) {
            QColor ground = t.seaGlass;
            ground.setAlphaF(0.16f);
            p->fillRect(row, ground);
            p->fillRect(QRect(0, row.top(), px(2), row.height()), t.seaGlass);
        } else if (o.state & QStyle::State_MouseOver) {
            p->fillRect(row, t.raised);
        }
        if (o.state & QStyle::State_HasFocus) {
            p->setPen(QPen(t.seaGlass, 1));
            p->drawRect(QRectF(row).adjusted(0.5, 0.5, -0.5, -0.5));
        }
    }
    void updateEditorGeometry(QWidget* editor, const QStyleOptionViewItem& o,
                              const QModelIndex&) const override {
        editor->setGeometry(o.rect.adjusted(0, px(1), -px(50), -px(1)));
    }
};

}  // namespace

Outline::Outline(Controller& controller, QWidget* parent) : QTreeWidget(parent), controller_(controller) {
    setHeaderHidden(true);
    setRootIsDecorated(false);
    setIndentation(px(16));
    setMouseTracking(true);
    setUniformRowHeights(false);
    setItemDelegate(new RowDelegate(this));
    setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    setEditTriggers(QAbstractItemView::EditKeyPressed | QAbstractItemView::DoubleClicked);
    setDragEnabled(true);
    setAcceptDrops(true);
    setDropIndicatorShown(true);
    setAccessibleName("Outline");
    setExpandsOnDoubleClick(false);
    connect(this, &QTreeWidget::currentItemChanged, this, [this](QTreeWidgetItem* item) {
        if (!filling_ && item && !item->data(0, GroupRole).toBool())
            controller_.selection().select(item->data(0, IdRole).toString().toStdString());
    });
    connect(this, &QTreeWidget::itemChanged, this, [this](QTreeWidgetItem* item) {
        if (filling_) return;
        const std::string id = item->data(0, IdRole).toString().toStdString(),
                          name = item->text(0).trimmed().toStdString();
        const Node* node = controller_.document().find(id);
        if (!node || node->name == name) return;
        if (name.empty()) return rebuild();
        // Later: the list is made anew, and the row's editor is still closing.
        QTimer::singleShot(0, this, [this, id, name] {
            controller_.edit("Rename", [&](const Document& d) { return withText(d, id + "/name", name); });
        });
    });
    connect(&controller_, &Controller::documentChanged, this, &Outline::followDocument);
    connect(&controller_.selection(), &Selection::selectionChanged, this, [this] {
        filling_ = true;
        setCurrentItem(itemOf(controller_.selection().id()));
        filling_ = false;
    });
    connect(&controller_, &Controller::resultsChanged, this, &Outline::refreshCounts);
    followDocument({});
}

QTreeWidgetItem* Outline::itemOf(const std::string& id) const {
    const auto it = items_.find(id);
    return it == items_.end() ? nullptr : it->second;
}

std::string Outline::idAt(const QPoint& at) const {
    const QTreeWidgetItem* item = itemAt(at);
    return item ? item->data(0, IdRole).toString().toStdString() : std::string();
}

namespace {

/// The rows of the outline, from top to bottom.
class Plan {
  public:
    explicit Plan(const Document& document) : document_(document) {}
    std::vector<OutlineRow> rows() &&;

  private:
    void group(const char* title) { rows_.push_back({{}, title, 0}); }
    void node(const Node& node, int depth) {
        rows_.push_back({node.id, {}, depth});
        there_.insert(node.id);
    }
    bool has(const Node& node) const { return there_.count(node.id) != 0; }
    /// A layer, and those that lie on its copies.
    void layer(const Node& layer, int depth) {
        if (has(layer) || depth > kDeepest) return;  // also where layers lie on each other in a circle
        node(layer, depth);
        for (const NodePtr& above : document_.layersOn(layer.id)) this->layer(*above, depth + 1);
    }
    void object(const Node& object, int depth) {
        node(object, depth);
        for (const NodePtr& above : document_.layersOn(object.id)) layer(*above, depth + 1);
        for (const NodePtr& child : document_.nodes(Category::Object))
            if (child->parent == object.id && child->id != object.id && depth < kDeepest && !has(*child))
                this->object(*child, depth + 1);
    }
    void list(const char* title, const std::vector<NodePtr>& nodes) {
        if (nodes.empty()) return;
        group(title);
        for (const NodePtr& n : nodes)
            if (!has(*n)) node(*n, 1);
    }

    static constexpr int kDeepest = 33;
    const Document& document_;
    std::vector<OutlineRow> rows_;
    std::set<std::string> there_;
};

std::vector<OutlineRow> Plan::rows() && {
    const Document& d = document_;
    std::vector<NodePtr> surfaces, others, loose;
    const std::set<std::string> copied = d.prototypes();
    for (const NodePtr& n : d.nodes(Category::Object)) {
        if (!n->parent.empty() && d.find(n->parent)) continue;
        (copied.count(n->id) && d.layersOn(n->id).empty() ? others : surfaces).push_back(n);
    }
    if (!surfaces.empty()) group("Surfaces");
    for (const NodePtr& n : surfaces) object(*n, 1);
    for (const NodePtr& n : d.nodes(Category::Layer))
        if (!has(*n)) loose.push_back(n);
    list("On no surface", loose);
    list("Prototypes", others);
    list("Curves", d.nodes(Category::Curve));
    std::vector<NodePtr> light = d.nodes(Category::Light), cameras = d.nodes(Category::Camera);
    light.insert(light.end(), cameras.begin(), cameras.end());
    list("Light and camera", light);
    list("Materials", d.nodes(Category::Material));
    list("Passes", d.nodes(Category::Pass));
    list("Settings", d.nodes(Category::Settings));
    return std::move(rows_);
}

}  // namespace

/// What a row shows of its node itself.
void Outline::fillRow(QTreeWidgetItem& item, const Node& node) {
    const QString name = QString::fromStdString(node.name);
    item.setText(0, name);
    // A sign only where it does something: a sun is nowhere in the view, a camera in no picture.
    const bool object = node.category() == Category::Object || node.category() == Category::Layer;
    const NodeType* type = findNodeType(node.type);
    const bool placedLight = node.category() == Category::Light && type && type->placed();
    const bool flags = object || node.category() == Category::Light || node.category() == Category::Pass;
    const bool curve = node.category() == Category::Curve;
    item.setData(0, ShownRole, object || placedLight || curve ? QVariant(node.shown) : QVariant());
    item.setData(0, RenderedRole, flags ? QVariant(node.rendered) : QVariant());
    item.setToolTip(
        0, flags ? name + "\nThe round sign shows it in the view, the square one in the render" : name);
}

QTreeWidgetItem* Outline::addRow(QTreeWidgetItem* under, const OutlineRow& row) {
    auto* item = new QTreeWidgetItem(under);
    if (row.id.empty()) {
        item->setText(0, row.title);
        item->setData(0, GroupRole, true);
        item->setFlags(Qt::ItemIsEnabled | Qt::ItemIsDropEnabled);
        return item;
    }
    item->setData(0, IdRole, QString::fromStdString(row.id));
    item->setFlags(item->flags() | Qt::ItemIsEditable | Qt::ItemIsDragEnabled | Qt::ItemIsDropEnabled);
    fillRow(*item, controller_.document().get(row.id));
    items_[row.id] = item;
    return item;
}

void Outline::rebuild() {
    filling_ = true;
    const int scroll = verticalScrollBar()->value();
    clear();
    items_.clear();
    std::vector<QTreeWidgetItem*> above{invisibleRootItem()};  // by depth
    for (const OutlineRow& row : rows_) {
        above.resize(size_t(row.depth) + 1);
        above.push_back(addRow(above.back(), row));
    }
    expandAll();
    setCurrentItem(itemOf(controller_.selection().id()));
    verticalScrollBar()->setValue(scroll);
    filling_ = false;
    refreshCounts();
}

/// The rows are made anew only where others are there, or stand elsewhere.
void Outline::followDocument(const DocumentChanges& changes) {
    auto rows = Plan(controller_.document()).rows();
    if (rows != rows_) {
        rows_ = std::move(rows);
        return rebuild();
    }
    filling_ = true;
    for (const std::string& id : changes.nodes)
        if (QTreeWidgetItem* item = itemOf(id)) {
            fillRow(*item, controller_.document().get(id));
            refreshCount(id, *item);
        }
    filling_ = false;
}

/// The number that says most of a node, with its unit.
static QString briefOf(const Document& document, const Node& node) {
    const NodeType* type = findNodeType(node.type);
    const ParamSpec* spec = type && !type->brief.empty() ? findSpec(type->params, type->brief) : nullptr;
    if (!spec) return {};
    const double value = std::get<double>(document.value(node.id, spec->id));
    return spec->unit == "deg" ? QString::number(value, 'f', 1) + "\u00b0"
                               : QString::number(value, 'f', 0) + " " + QString::fromStdString(spec->unit);
}

void Outline::refreshCounts() {
    filling_ = true;
    for (auto& [id, item] : items_) refreshCount(id, *item);
    filling_ = false;
}

void Outline::refreshCount(const std::string& id, QTreeWidgetItem& item) {
    const EvalSnapshot& r = controller_.results();
    const auto layer = r.layers.find(id);
    const auto object = r.objects.find(id);
    QString text;
    bool problem = r.objectErrors.count(id) != 0;
    if (layer != r.layers.end()) {
        text = shortCount(double(elementCount(layer->second.geometry)));
        problem = !layer->second.ok;
    } else if (object != r.objects.end()) {
        text = shortCount(double(object->second.mesh->triangles().size())) + " tri";
    } else if (const Node* n = controller_.document().find(id); n && n->category() == Category::Curve) {
        text = shortCount(double(controller_.document().value(id, kCurve.points).list.size()));
    } else if (n) {
        text = briefOf(controller_.document(), *n);
    }
    if (problem) text = "! " + text;
    item.setData(0, CountRole, text);
    item.setData(0, ProblemRole, problem);
}

void Outline::toggleFlag(const std::string& id, bool shown) {
    const Node& node = controller_.document().get(id);
    const bool now = shown ? node.shown : node.rendered;
    controller_.edit(shown ? (now ? "Hide" : "Show") : (now ? "Leave out of render" : "Render"),
                     [&](const Document& d) {
                         return withText(d, id + (shown ? "/shown" : "/rendered"), now ? "false" : "true");
                     });
}

void Outline::mousePressEvent(QMouseEvent* e) {
    QTreeWidgetItem* item = itemAt(e->position().toPoint());
    if (item && !item->data(0, GroupRole).toBool() && e->button() == Qt::LeftButton) {
        QRect row = visualItemRect(item);
        row = QRect(0, row.top(), viewport()->width(), row.height());
        const std::string id = item->data(0, IdRole).toString().toStdString();
        if (item->data(0, ShownRole).isValid() && shownRect(row).contains(e->position().toPoint()))
            return toggleFlag(id, true);
        if (item->data(0, RenderedRole).isValid() && renderedRect(row).contains(e->position().toPoint()))
            return toggleFlag(id, false);
    }
    QTreeWidget::mousePressEvent(e);
}

void Outline::keyPressEvent(QKeyEvent* e) {
    const std::string id = controller_.selection().id();
    if (!id.empty() && e->key() == Qt::Key_Delete) {
        controller_.edit("Delete", [&](const Document& d) { return withoutNode(d, id); });
        return;
    }
    if (QTreeWidgetItem* item = itemOf(id); item && e->key() == Qt::Key_V) {
        const bool shown = !(e->modifiers() & Qt::ShiftModifier);
        if (item->data(0, shown ? ShownRole : RenderedRole).isValid()) toggleFlag(id, shown);
        return;
    }
    QTreeWidget::keyPressEvent(e);
}

void Outline::fillLayerMenu(QMenu& menu, const std::string& id) {
    menu.addAction("Duplicate with a shared recipe", this, [this, id] { controller_.duplicateLinked(id); });
    menu.addAction("Give it a recipe of its own", this,
                   [this, id] {
                       controller_.edit("Unlink", [&](const Document& d) { return withUnlinked(d, id); });
                   })
        ->setEnabled(&recipeOwner(controller_.document(), controller_.document().get(id)) !=
                     controller_.document().find(id));
}

void Outline::contextMenuEvent(QContextMenuEvent* e) {
    QTreeWidgetItem* item = itemAt(e->pos());
    if (!item || item->data(0, GroupRole).toBool()) return;
    const std::string id = item->data(0, IdRole).toString().toStdString();
    const Node node = controller_.document().get(id);
    QMenu menu(this);
    if (node.category() == Category::Object || node.category() == Category::Layer)
        menu.addAction(node.category() == Category::Layer ? "Add a layer on its copies" : "Add a layer on it",
                       this, [this, id] {
                           std::string made;
                           controller_.edit("Add layer",
                                            [&](const Document& d) { return withLayer(d, id, {}, &made); });
                           controller_.selection().select(made);
                       });
    menu.addAction("Rename", this, [this, item] { editItem(item, 0); });
    if (node.category() != Category::Settings) {
        menu.addAction("Duplicate", this, [this, id] {
            std::string made;
            controller_.edit("Duplicate", [&](const Document& d) { return withDuplicate(d, id, &made); });
            controller_.selection().select(made);
        });
        if (node.category() == Category::Layer) fillLayerMenu(menu, id);
        menu.addAction("Delete", this, [this, id] {
            controller_.edit("Delete", [&](const Document& d) { return withoutNode(d, id); });
        });
    }
    menu.exec(e->globalPos());
}

void Outline::startDrag(Qt::DropActions) {
    QTreeWidgetItem* item = currentItem();
    if (!item || item->data(0, GroupRole).toBool()) return;
    auto* drag = new QDrag(this);
    auto* mime = new QMimeData;
    mime->setData(kNodeMime, item->data(0, IdRole).toString().toUtf8());
    drag->setMimeData(mime);
    drag->exec(Qt::MoveAction);
}

void Outline::dragEnterEvent(QDragEnterEvent* e) {
    if (e->mimeData()->hasFormat(kNodeMime))
        e->acceptProposedAction();
    else
        e->ignore();  // files go to the window
}

void Outline::dragMoveEvent(QDragMoveEvent* e) {
    if (e->mimeData()->hasFormat(kNodeMime))
        e->acceptProposedAction();
    else
        e->ignore();
}

/// A layer dropped on a surface lies on it; a material is worn; an object on an object is carried by it; on a
/// group, by nothing.
void Outline::dropEvent(QDropEvent* e) {
    if (!e->mimeData()->hasFormat(kNodeMime)) return e->ignore();
    const std::string id = e->mimeData()->data(kNodeMime).toStdString();
    QTreeWidgetItem* over = itemAt(e->position().toPoint());
    const std::string target = over ? over->data(0, IdRole).toString().toStdString() : std::string();
    const Node* node = controller_.document().find(id);
    const Node* on = controller_.document().find(target);
    e->setDropAction(Qt::IgnoreAction);
    e->accept();
    if (!node || id == target) return;
    if (node->category() == Category::Layer && on && on->category() == Category::Object)
        return controller_.edit("Move layer",
                                [&](const Document& d) { return withText(d, id + "/surface", target); });
    if (node->category() == Category::Material && on)
        return controller_.edit("Wear a material",
                                [&](const Document& d) { return withWorn(d, target, id); });
    if (node->category() == Category::Object && (!on || on->category() == Category::Object)) {
        for (const Node* n = on; n; n = controller_.document().find(n->parent))
            if (n->id == id) return controller_.say("An object cannot be carried by what it carries", true);
        controller_.edit("Carry object",
                         [&](const Document& d) { return withText(d, id + "/parent", target); });
    }
}

}  // namespace ovrix::app
