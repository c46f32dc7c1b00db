#include "app/recipe/recipe_panel.h"

#include <QFrame>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QListWidget>
#include <QPainter>
#include <QPainterPath>
#include <QPushButton>
#include <QScrollArea>
#include <QTimer>
#include <QVBoxLayout>

#include "app/recipe/cloud_readout.h"
#include "app/recipe/material_swatch.h"
#include "app/theme/theme.h"
#include "deliver/picture_setup.h"
#include "geo/surface/surface.h"

namespace ovrix::app {

FlowStream::FlowStream(QWidget* parent) : QWidget(parent) {
    setFixedWidth(px(44));
    setToolTip("How many elements are left after each step");
}

void FlowStream::setCards(const std::vector<StepCard*>& cards) {
    cards_ = cards;
    update();
}

void FlowStream::paintEvent(QPaintEvent*) {
    size_t most = 0;
    for (StepCard* c : cards_)
        if (const StepReport* r = c->report()) most = std::max({most, r->in, r->out});
    if (most == 0) return;
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    const double full = px(14), middle = width() / 2.0 + px(2);
    const auto half = [&](size_t n) { return std::max(0.75, 0.5 * full * double(n) / double(most)); };
    size_t last = SIZE_MAX;
    for (size_t i = 0; i < cards_.size(); ++i) {
        StepCard* c = cards_[i];
        const StepReport* r = c->report();
        if (!r || c->step().empty()) continue;
        const double top = c->y(), bottom = i + 1 < cards_.size() ? cards_[i + 1]->y() : c->y() + c->height();
        const size_t in = r->in ? r->in : std::max(r->out, r->in), out = r->out;
        QPainterPath path(QPointF(middle - half(in), top));
        path.lineTo(middle + half(in), top);
        path.cubicTo(middle + half(in), (top + bottom) / 2, middle + half(out), (top + bottom) / 2,
                     middle + half(out), bottom);
        path.lineTo(middle - half(out), bottom);
        path.cubicTo(middle - half(out), (top + bottom) / 2, middle - half(in), (top + bottom) / 2,
                     middle - half(in), top);
        QColor fill = c->edge();
        fill.setAlphaF(r->stale ? 0.25f : 0.6f);
        p.fillPath(path, fill);
        if (out == last) continue;
        last = out;
        const QRectF label(0, bottom - px(20), width() - 1, px(14));
        p.setFont(figureFont(7.75));
        const QString text = shortCount(double(out));
        const double w = p.fontMetrics().horizontalAdvance(text) + px(4);
        const QRectF ground(middle - w / 2, label.top(), w, label.height());
        p.setPen(Qt::NoPen);
        p.setBrush(tokens().panel);
        p.drawRoundedRect(ground, 2, 2);
        p.setPen(tokens().text);
        p.drawText(ground, Qt::AlignCenter, text);
    }
}

RecipePanel::RecipePanel(Controller& controller, QWidget* parent) : QWidget(parent), controller_(controller) {
    setObjectName("dock");
    auto* box = new QVBoxLayout(this);
    box->setContentsMargins(0, 0, 0, 0);
    box->setSpacing(0);
    auto* head = new QWidget;
    head->setFixedHeight(px(36));
    auto* line = new QHBoxLayout(head);
    line->setContentsMargins(px(14), 0, px(12), 0);
    name_ = new QLabel;
    name_->setFont(textFont(9.75, true));
    facts_ = new QLabel;
    facts_->setObjectName("facts");
    facts_->setProperty("muted", true);
    line->addWidget(name_);
    line->addStretch();
    line->addWidget(facts_);
    box->addWidget(head);
    auto* scroll = new QScrollArea;
    scroll->setWidgetResizable(true);
    scroll->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    list_ = new QWidget;
    auto* columns = new QHBoxLayout(list_);
    columns->setContentsMargins(0, px(4), px(10), px(12));
    columns->setSpacing(0);
    flow_ = new FlowStream;
    columns->addWidget(flow_);
    auto* cards = new QWidget;
    cards->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Preferred);
    cardsLayout_ = new QVBoxLayout(cards);
    cardsLayout_->setContentsMargins(0, 0, 0, 0);
    cardsLayout_->setSpacing(px(8));
    columns->addWidget(cards, 1);
    scroll->setWidget(list_);
    box->addWidget(scroll, 1);
    connect(&controller_.selection(), &Selection::selectionChanged, this, &RecipePanel::rebuildIfNeeded);
    connect(&controller_, &Controller::documentChanged, this, &RecipePanel::followDocument);
    connect(&controller_, &Controller::resultsChanged, this, &RecipePanel::followResults);
    connect(&controller_, &Controller::finishChanged, this, [this] {
        const Node* node = controller_.selection().node();
        if (node && recipeBegins(*node) == GeometryKind::Picture) followResults();
    });
    rebuildIfNeeded();
}

/// Cards show their own node at the scene's rate, the recipe that it follows, and the names of nodes that
/// they may refer to.
void RecipePanel::followDocument(const DocumentChanges& changes) {
    const Node* node = controller_.selection().node();
    const bool concerned = !node || changes.list || changes.names || changes.has(node->id) ||
                           changes.has("scene") || changes.has(recipeOwner(controller_.document(), *node).id);
    if (concerned) rebuildIfNeeded();
}

void RecipePanel::rebuildIfNeeded() {
    const Node* node = controller_.selection().node();
    std::string shape = node ? node->id + ":" + node->type : "";
    if (node)
        for (const Step& s : recipeOwner(controller_.document(), *node).steps) shape += "|" + s.id;
    if (shape != shape_) {
        shape_ = shape;
        rebuild();
    }
    refresh();
}

/// What stands in the list for a card: itself, or the shelf that insets a part.
static QWidget* shelfOf(StepCard* card) { return card->in().empty() ? card : card->parentWidget(); }

/// Empties the list. Cards of steps that are still there stay, since making one takes long.
std::map<std::string, StepCard*> RecipePanel::takeCards(const Node* node) {
    std::map<std::string, StepCard*> stay;
    std::set<QWidget*> stands;
    for (StepCard* card : std::exchange(cards_, {})) {
        const bool same = node && card->node() == node->id && node->type == cardsOf_;
        const Step* step = same ? recipeOwner(controller_.document(), *node).step(card->step()) : nullptr;
        if (same && (card->step().empty() || (step && step->type == card->type() && step->in == card->in())))
            stay[card->step()] = card, stands.insert(shelfOf(card));
    }
    while (QLayoutItem* item = cardsLayout_->takeAt(0)) {
        QWidget* w = item->widget();
        if (w && !stands.count(w)) w->hide(), w->deleteLater();
        delete item;
    }
    cardsOf_ = node ? node->type : std::string();
    return stay;
}

StepCard* RecipePanel::newCard(const std::string& node, const std::string& step) {
    auto* card = new StepCard(controller_, node, step);
    connect(card, &StepCard::addPart, this, &RecipePanel::openAddPart);
    connect(card, &StepCard::droppedAt, this, &RecipePanel::dropCard);
    connect(card, &StepCard::addAbove, this, &RecipePanel::openAddStep);
    connect(card, &StepCard::stackToggled, this, &RecipePanel::onStack);
    return card;
}

/// From card to card, whenever each was made.
static void setTabOrderOf(const std::vector<StepCard*>& cards) {
    QWidget* before = nullptr;
    for (const StepCard* card : cards)
        for (QWidget* w : card->findChildren<QWidget*>())
            if (w->focusPolicy() & Qt::TabFocus && w->window() == card->window()) {  // menus are windows
                if (before) QWidget::setTabOrder(before, w);
                before = w;
            }
}

/// Where nothing is chosen.
void RecipePanel::showHint() {
    auto* hint = new QLabel(
        "Choose something in the outline or in the view.\n\nDrop a mesh on the window to begin with a "
        "surface of your own.");
    hint->setWordWrap(true);
    hint->setProperty("muted", true);
    hint->setContentsMargins(px(14), px(10), px(8), 0);
    cardsLayout_->addWidget(hint);
    cardsLayout_->addStretch();
    flow_->setCards({});
}

void RecipePanel::rebuild() {
    const Node* node = controller_.selection().node();
    std::map<std::string, StepCard*> known = takeCards(node);
    const bool some = !known.empty();
    add_ = nullptr;
    flow_->setVisible(node && node->category() == Category::Layer);
    if (!node) return showHint();
    std::vector<std::string> steps;
    for (const Step& s : recipeOwner(controller_.document(), *node).steps) steps.push_back(s.id);
    const bool after = node->category() != Category::Layer && recipeBegins(*node);
    if (node->category() != Category::Layer)
        steps.insert(steps.begin(), "");  // what it is comes before what is done to it
    else
        steps.push_back("");  // what the layer lies on comes last: it is rarely changed
    const auto addButton = [&] {
        add_ = new QPushButton("Add a step");
        add_->setObjectName("addStep");
        add_->setProperty("link", true);
        connect(add_, &QPushButton::clicked, this, [this] { openAddStep(); });
        cardsLayout_->addWidget(add_);
    };
    for (const std::string& step : steps) {
        StepCard* card = known.count(step) ? known[step] : newCard(node->id, step);
        if (step.empty() && node->category() == Category::Layer) addButton();
        const bool reused = known.erase(step) > 0;
        if (reused || card->in().empty()) {
            cardsLayout_->addWidget(shelfOf(card));
        } else {  // a part stands in its step
            auto* shelf = new QWidget;
            auto* inset = new QHBoxLayout(shelf);
            inset->setContentsMargins(px(14), 0, 0, 0);
            inset->addWidget(card);
            cardsLayout_->addWidget(shelf);
        }
        cards_.push_back(card);
        if (reused) continue;  // its stacks stay as they were
        for (ParamRow* row : card->rows())
            if (row->path() == openStack_)
                row->setStackOpen(true), controller_.selection().setOverlay(openStack_);
    }
    if (after) addButton();
    const bool layer = node->category() == Category::Layer;
    if (!layer)
        cardsLayout_->setContentsMargins(px(12), 0, 0, 0);
    else
        cardsLayout_->setContentsMargins(0, 0, 0, 0);
    cardsLayout_->addStretch();
    if (some) setTabOrderOf(cards_);
    std::vector<StepCard*> stages;
    for (StepCard* c : cards_)
        if (c->in().empty()) stages.push_back(c);
    flow_->setCards(stages);
}

void RecipePanel::refreshHead() {
    const Node* node = controller_.selection().node();
    name_->setText(node ? QString::fromStdString(node->name) : "Nothing chosen");
    QString facts;
    if (node && node->category() == Category::Layer) {
        const Node* surface =
            controller_.document().find(controller_.document().value(node->id, kLayer.surface));
        double ms = 0;
        const auto it = controller_.results().layers.find(node->id);
        if (it != controller_.results().layers.end())
            for (const StepReport& r : it->second.steps) ms += r.milliseconds;
        facts = QString("%1%2 ms")
                    .arg(surface ? "on " + QString::fromStdString(surface->name) + " \u00b7 " : "")
                    .arg(ms, 0, 'f', ms < 10 ? 1 : 0);
    } else if (node && node == controller_.document().settings("render")) {
        facts = "film " + QString::fromStdString(
                              byteText(likelyFilmBytes(controller_.document(), controller_.clock().frame())));
    } else if (node) {
        const auto it = controller_.results().objects.find(node->id);
        if (it != controller_.results().objects.end())
            facts = shortCount(double(it->second.mesh->triangles().size())) + " tri";
    }
    facts_->setText(facts);
}

/// A material's picture stands above its parameters, and stays there while they scroll.
void RecipePanel::refreshSwatch() {
    const Node* node = controller_.selection().node();
    const bool material = node && node->category() == Category::Material;
    if (material && !swatch_) {
        swatch_ = new MaterialSwatch(controller_);
        auto* around = new QWidget;
        auto* inset = new QVBoxLayout(around);
        inset->setContentsMargins(px(12), 0, px(10), px(4));
        inset->addWidget(swatch_);
        cloud_ = new CloudReadout(controller_);
        inset->addWidget(cloud_);
        static_cast<QVBoxLayout*>(layout())->insertWidget(1, around);
    }
    if (!swatch_) return;
    swatch_->parentWidget()->setVisible(material);
    if (!material) return;
    swatch_->follow(*node);
    const NodeType* type = findNodeType(node->type);
    cloud_->follow(type && type->forPoints ? node->id : std::string());
}

void RecipePanel::refresh() {
    for (StepCard* c : cards_) c->refresh();
    refreshHead();
    refreshSwatch();
    QTimer::singleShot(0, flow_, [this] { flow_->update(); });
}

void RecipePanel::followResults() {
    for (StepCard* c : cards_) c->followResults();
    refreshHead();
    QTimer::singleShot(0, flow_, [this] { flow_->update(); });
}

StepCard* RecipePanel::card(const std::string& step) const {
    for (StepCard* c : cards_)
        if (c->step() == step) return c;
    return nullptr;
}

void RecipePanel::onStack(const ParamPath& path, bool open) {
    if (open)
        for (StepCard* c : cards_)
            for (ParamRow* row : c->rows())
                if (!(row->path() == path) && row->stackOpen()) row->setStackOpen(false);
    openStack_ = open ? path : ParamPath();
    controller_.selection().setOverlay(openStack_);
}

void RecipePanel::dropCard(const std::string& step, int y) {
    size_t index = 0;
    const StepCard* dropped = card(step);
    if (!dropped) return;
    const auto middle = [](const StepCard* c) {  // parts stand on a shelf of their own
        return c->height() / 2 + (c->in().empty() ? c->y() : c->y() + c->parentWidget()->y());
    };
    if (!dropped->in().empty()) y += dropped->parentWidget()->y();
    for (StepCard* c : cards_)
        if (c != dropped && !c->step().empty() && c->in() == dropped->in() && middle(c) < y) ++index;
    const std::string node = controller_.selection().id();
    controller_.edit("Move step", [&](const Document& d) { return withStepMoved(d, node, step, index); });
    cardsLayout_->invalidate();
    cardsLayout_->activate();
}

namespace {

/// Steps that can be added, each with the last place at which it fits.
template <class Offer>
std::vector<Offer> offers(const Node& layer, const std::string& above) {
    std::vector<Offer> out;
    const auto add = [&](size_t index) {
        for (const StepType* t : fittingSteps(layer, index)) {
            const auto known =
                std::find_if(out.begin(), out.end(), [t](const Offer& o) { return o.type == t; });
            if (known == out.end()) out.push_back({t, index});
        }
    };
    if (const Step* s = layer.step(above))
        add(size_t(s - layer.steps.data()));
    else
        for (size_t index = layer.steps.size() + 1; index-- > 0;) add(index);
    return out;
}

}  // namespace

void RecipePanel::openAddStep(const std::string& above) {
    const Node* chosen = controller_.selection().node();
    if (!chosen || !recipeBegins(*chosen)) return;
    const Node* node = &recipeOwner(controller_.document(), *chosen);
    const std::string layer = node->id;
    offerSteps(offers<Offer>(*node, above), add_ ? static_cast<QWidget*>(add_) : this, false,
               [=, this](const Offer& o) {
                   controller_.edit("Add " + QString::fromStdString(o.type->title), [&](const Document& d) {
                       return withStep(d, layer, o.index, makeStep(o.type->id, d.get(layer)));
                   });
               });
}

void RecipePanel::openAddPart(const std::string& step, QWidget* under) {
    const Node* chosen = controller_.selection().node();
    if (!chosen) return;
    const Node& node = recipeOwner(controller_.document(), *chosen);
    const Step* holder = node.step(step);
    if (!holder) return;
    std::vector<Offer> all;
    for (const StepType* t : fittingParts(*holder)) all.push_back({t, 0});
    const std::string layer = node.id;
    offerSteps(all, under, true, [=, this](const Offer& o) {
        controller_.edit("Add " + QString::fromStdString(o.type->title),
                         [&](const Document& d) { return withPart(d, layer, step, o.type->id); });
    });
}

/// A list to search and pick from.
void RecipePanel::offerSteps(const std::vector<Offer>& all, QWidget* by, bool below,
                             const std::function<void(const Offer&)>& take) {
    auto* popup = new QFrame(this, Qt::Popup);
    popup->setObjectName("card");
    popup->setAttribute(Qt::WA_DeleteOnClose);
    auto* box = new QVBoxLayout(popup);
    auto* search = new QLineEdit;
    search->setPlaceholderText("Search steps");
    auto* list = new QListWidget;
    list->setMinimumSize(px(280), px(160));
    for (size_t i = 0; i < all.size(); ++i) {
        auto* item =
            new QListWidgetItem(QString::fromStdString(all[i].type->title + "\n" + all[i].type->help), list);
        item->setData(Qt::UserRole, int(i));
    }
    if (all.empty()) {
        auto* item = new QListWidgetItem(
            "No step fits here: it would have to take what comes before and give what follows needs", list);
        item->setFlags(Qt::NoItemFlags);
    }
    list->setWordWrap(true);
    list->setCurrentRow(0);
    box->addWidget(search);
    box->addWidget(list);
    const auto chosen = [=] {
        QListWidgetItem* item = list->currentItem();
        if (!item || !(item->flags() & Qt::ItemIsEnabled) || item->isHidden()) return;
        const Offer o = all[size_t(item->data(Qt::UserRole).toInt())];
        popup->close();
        take(o);
    };
    connect(search, &QLineEdit::textChanged, list, [list](const QString& text) {
        for (int i = 0; i < list->count(); ++i)
            list->item(i)->setHidden(!list->item(i)->text().contains(text, Qt::CaseInsensitive));
        // A title that matches comes before a text that does.
        for (const bool title : {true, false})
            for (int i = 0; i < list->count(); ++i) {
                const QString own = list->item(i)->text();
                if (!list->item(i)->isHidden() &&
                    (!title || own.section('\n', 0, 0).contains(text, Qt::CaseInsensitive)))
                    return list->setCurrentRow(i);
            }
    });
    connect(search, &QLineEdit::returnPressed, popup, chosen);
    connect(list, &QListWidget::itemClicked, popup, chosen);
    connect(list, &QListWidget::itemActivated, popup, chosen);
    popup->adjustSize();
    popup->move(by->mapToGlobal(QPoint(0, below ? by->height() : -popup->height())));
    popup->show();
    search->setFocus();
}

}  // namespace ovrix::app
