#include "app/recipe/step_card.h"

#include <QContextMenuEvent>
#include <QGraphicsOpacityEffect>
#include <QHBoxLayout>
#include <QLabel>
#include <QMenu>
#include <QPainter>
#include <QPushButton>
#include <QToolButton>
#include <QVBoxLayout>

#include "app/theme/theme.h"
#include "app/widgets/flow_layout.h"
#include "app/widgets/menu_button.h"
#include "document/edits/aim.h"
#include "document/model/step_registry.h"

namespace ovrix::app {

StepCard::StepCard(Controller& controller, const std::string& node, const std::string& step, QWidget* parent)
    : QFrame(parent), controller_(controller), node_(node), step_(step) {
    setObjectName("card");
    setAccessibleName(QString::fromStdString(step.empty() ? node : step));
    auto* box = new QVBoxLayout(this);
    box->setContentsMargins(px(13), px(8), px(9), px(9));
    box->setSpacing(px(6));
    makeHead();
    box->addWidget(head_);
    problem_ = new QLabel;
    problem_->setWordWrap(true);
    problem_->hide();
    box->addWidget(problem_);
    body_ = new QWidget;
    auto* rows = new QVBoxLayout(body_);
    rows->setContentsMargins(0, 0, 0, 0);
    rows->setSpacing(px(5));
    for (const ParamSpec& spec : specs()) {
        auto* row = new ParamRow(controller_, {node_, step_, spec.id}, spec);
        connect(row, &ParamRow::stackToggled, this, &StepCard::stackToggled);
        rows->addWidget(row);
        rows_.push_back(row);
    }
    box->addWidget(body_);
    const Step* own = step.empty() ? nullptr : recipe()->step(step);
    if (own) in_ = own->in, type_ = own->type;
    if (const StepType* type = own ? findStepType(own->type) : nullptr; type && !type->holds.empty()) {
        auto* add = new QPushButton("Add a force, a contact, a rule...");
        add->setObjectName("addPart");
        add->setProperty("link", true);
        connect(add, &QPushButton::clicked, this, [this, add] { Q_EMIT addPart(step_, add); });
        rows->addWidget(add);
        rows->addWidget(makeUsual(*type));
    }
    refresh();
}

/// The parts that are wanted most, a click each.
QWidget* StepCard::makeUsual(const StepType& type) {
    auto* row = new QWidget;
    auto* line = new FlowLayout(row, px(4));
    line->setContentsMargins(0, 0, 0, 0);
    for (const std::string& id : type.usual) {
        const StepType* part = findStepType(id);
        auto* button = new QPushButton;
        button->setObjectName("add_" + QString::fromStdString(id));
        button->setText("+ " + QString::fromStdString(part->title));
        button->setToolTip(QString::fromStdString(part->help));
        button->setProperty("chip", true);
        // Once the click is through: the card is made anew.
        connect(
            button, &QPushButton::clicked, this,
            [this, id, title = QString::fromStdString(part->title)] {
                controller_.edit("Add " + title.toLower(),
                                 [&](const Document& d) { return withPart(d, recipe()->id, step_, id); });
            },
            Qt::QueuedConnection);
        line->addWidget(button);
    }
    return row;
}

void StepCard::makeHead() {
    head_ = new QWidget;
    auto* line = new QHBoxLayout(head_);
    line->setContentsMargins(0, 0, 0, 0);
    line->setSpacing(px(4));
    title_ = new QLabel;
    title_->setFont(textFont(9.75, true));
    figures_ = new QLabel;
    figures_->setFont(figureFont(8.75));
    figures_->setProperty("muted", true);
    figures_->setAlignment(Qt::AlignRight | Qt::AlignVCenter);
    figures_->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Preferred);
    line->addWidget(title_);
    line->addWidget(figures_, 1);
    if (step_.empty()) return;
    fold_ = new QToolButton;
    fold_->setProperty("flat", true);
    fold_->setIcon(icon("down"));
    fold_->setToolTip("Fold this card");
    connect(fold_, &QToolButton::clicked, this, [this] {
        body_->setVisible(body_->isHidden());
        fold_->setIcon(icon(body_->isHidden() ? "right" : "down"));
    });
    auto* more =
        menuButton("cardMenu", "Turn off, move or remove this step", [this](QMenu& menu) { fillMenu(menu); });
    more->setIcon(icon("more"));
    line->addWidget(fold_);
    line->addWidget(more);
    head_->setCursor(Qt::OpenHandCursor);
    head_->installEventFilter(this);
}

const std::vector<ParamSpec>& StepCard::specs() const {
    const Node& node = controller_.document().get(node_);
    return step_.empty() ? specsOf(node) : specsOf(*recipeOwner(controller_.document(), node).step(step_));
}

/// Where there is no room for all, counts come before milliseconds.
void StepCard::fitFigures() {
    const bool fits = figures_->fontMetrics().horizontalAdvance(figuresText_) <= figures_->width();
    figures_->setText(fits ? figuresText_ : figuresText_.section("  ", 0, 0));
}

void StepCard::resizeEvent(QResizeEvent* e) {
    QFrame::resizeEvent(e);
    if (layout()) layout()->activate();
    fitFigures();
}

const Node* StepCard::recipe() const {
    const Node* node = controller_.document().find(node_);
    return node ? &recipeOwner(controller_.document(), *node) : nullptr;
}

void StepCard::fillMenu(QMenu& menu) {
    menu.clear();
    const Node* node = recipe();
    const Step* step = node ? node->step(step_) : nullptr;
    if (!step) return;
    QAction* on = menu.addAction("On", this, [this, now = step->on] {
        controller_.edit(now ? "Turn step off" : "Turn step on",
                         [&](const Document& d) { return withStepOn(d, node_, step_, !now); });
    });
    on->setCheckable(true);
    on->setChecked(step->on);
    size_t index = 0, siblings = 0;
    for (const Step& s : node->steps)
        if (s.in == step->in) index = s.id == step_ ? siblings : index, ++siblings;
    const auto move = [this](size_t to) {
        controller_.edit("Move step", [&](const Document& d) { return withStepMoved(d, node_, step_, to); });
    };
    menu.addSeparator();
    if (in_.empty()) menu.addAction("Add a step above", this, [this] { Q_EMIT addAbove(step_); });
    menu.addAction("Move up", this, [=] { move(index - 1); })->setEnabled(index > 0);
    menu.addAction("Move down", this, [=] { move(index + 1); })->setEnabled(index + 1 < siblings);
    const auto others = replacementsOf(*step);
    if (!others.empty()) {
        QMenu* swap = menu.addMenu("Change to");
        for (const StepType* t : others)
            swap->addAction(QString::fromStdString(t->title), this, [this, id = t->id] {
                controller_.edit("Change step",
                                 [&](const Document& d) { return withStepReplaced(d, node_, step_, id); });
            });
    }
    if (findSpec(specsOf(*step), "starts_as"))
        menu.addAction("Start as it is now", this, [this] { controller_.files().startAsNow(node_, step_); })
            ->setToolTip("Keeps the pose of this frame beside the scene, and starts from it");
    if (step->type == lightGroupStep().id)
        menu.addAction("Write into the lights", this,
                       [this] {
                           controller_.edit("Write balance",
                                            [&](const Document& d) { return withBalanceWritten(d, step_); });
                       })
            ->setToolTip("Lights of the group take it over, and this card goes");
    menu.addSeparator();
    menu.addAction("Remove", this, [this] {
        controller_.edit("Remove step", [&](const Document& d) { return withoutStep(d, node_, step_); });
    });
}

void StepCard::contextMenuEvent(QContextMenuEvent* e) {
    if (step_.empty()) return;
    QMenu menu(this);
    fillMenu(menu);
    menu.exec(e->globalPos());
}

bool StepCard::eventFilter(QObject* object, QEvent* event) {
    if (object != head_) return QFrame::eventFilter(object, event);
    auto* mouse = dynamic_cast<QMouseEvent*>(event);
    if (!mouse) return false;
    if (event->type() == QEvent::MouseButtonPress && mouse->button() == Qt::LeftButton) {
        press_ = mouse->globalPosition().toPoint();
        pressed_ = true;
    } else if (event->type() == QEvent::MouseMove && pressed_) {
        if ((mouse->globalPosition().toPoint() - press_).manhattanLength() > 8) {
            dragging_ = true;
            head_->setCursor(Qt::ClosedHandCursor);
            raise();
            move(x(), y() + mouse->globalPosition().toPoint().y() - press_.y());
            press_ = mouse->globalPosition().toPoint();
        }
    } else if (event->type() == QEvent::MouseButtonRelease && pressed_) {
        pressed_ = false;
        head_->setCursor(Qt::OpenHandCursor);
        if (std::exchange(dragging_, false)) Q_EMIT droppedAt(step_, y() + height() / 2);
    }
    return false;
}

const StepReport* StepCard::report() const {
    const EvalSnapshot& all = controller_.results();
    const Node* node = controller_.document().find(node_);
    if (node && recipeBegins(*node) == GeometryKind::Picture) {
        for (const StepReport& r : controller_.finishReports())
            if (r.step == step_) return &r;
        return nullptr;
    }
    const auto layer = all.layers.find(node_);
    const auto object = all.objects.find(node_);
    const std::vector<StepReport>* steps = layer != all.layers.end()     ? &layer->second.steps
                                           : object != all.objects.end() ? &object->second.steps
                                                                         : nullptr;
    for (size_t i = 0; steps && i < steps->size(); ++i)
        if ((*steps)[i].step == step_) return &(*steps)[i];
    return nullptr;
}

QColor StepCard::edge() const {
    const Node* node = recipe();
    const Step* step = node ? node->step(step_) : nullptr;
    const StepType* type = step ? findStepType(step->type) : nullptr;
    return type && step->on ? phaseColor(type->phase) : tokens().line;
}

bool StepCard::shown(const ParamSpec& spec) const {
    return appliesAt(controller_.document(), {node_, step_, spec.id}, spec);
}

void StepCard::showProblem(const QColor& color, const std::string& text, const std::string& remedy) {
    problem_->setVisible(!text.empty());
    if (text.empty()) return;
    const QString said = QString::fromStdString(text);
    QString rich = QString("<span style='color:%1'>%2</span>")
                       .arg(color.name(), (said.left(1).toUpper() + said.mid(1)).toHtmlEscaped());
    if (!remedy.empty()) rich += "<br>" + QString::fromStdString(remedy).toHtmlEscaped();
    problem_->setText(rich);
}

static QString figuresOf(const Step& step, const StepReport* r) {
    if (!step.on) return "off";
    if (!r) return {};
    QString time = QString("%1 ms").arg(r->milliseconds, 0, 'f', r->milliseconds < 10 ? 1 : 0);
    const QString out = shortCount(double(r->out));
    if (!r->in) return time;
    if (r->in == r->out) return out + "  " + time;
    return QString("%1 \u2192 %2  %3").arg(shortCount(double(r->in)), out, time);
}

void StepCard::followResults() {
    if (step_.empty()) {
        const auto& errors = controller_.results().objectErrors;
        const auto error = errors.find(node_);
        showProblem(tokens().red, error == errors.end() ? "" : error->second);
    } else {
        const Node* node = recipe();
        const Step* step = node ? node->step(step_) : nullptr;
        if (!step) return;
        const StepReport* r = report();
        figuresText_ = figuresOf(*step, r);
        fitFigures();
        const bool bad = r && !r->error.empty();
        showProblem(bad ? tokens().red : tokens().amber,
                    !r    ? ""
                    : bad ? r->error
                          : r->note,
                    bad ? r->remedy : "");
        dim(!step->on || (r && r->stale));
    }
    for (ParamRow* row : rows_) row->followResults();
    update();
}

void StepCard::dim(bool on) {
    if (on == (body_->graphicsEffect() != nullptr)) return;
    auto* effect = on ? new QGraphicsOpacityEffect(body_) : nullptr;
    if (effect) effect->setOpacity(0.45);
    body_->setGraphicsEffect(effect);
}

void StepCard::refresh() {
    const Node* node = controller_.document().find(node_);
    if (!node) return;
    const Step* step = step_.empty() ? nullptr : recipe()->step(step_);
    if (!step_.empty() && !step) return;
    const NodeType* nodeType = findNodeType(node->type);
    const StepType* stepType = step ? findStepType(step->type) : nullptr;
    const std::string title = stepType   ? stepType->title
                              : step     ? step->type
                              : nodeType ? nodeType->title
                                         : node->type;
    title_->setText(QString::fromStdString(title));
    const auto& all = specs();
    for (size_t i = 0; i < rows_.size() && i < all.size(); ++i) {
        rows_[i]->setVisible(shown(all[i]));
        rows_[i]->refresh();
    }
    followResults();
}

void StepCard::paintEvent(QPaintEvent* e) {
    QFrame::paintEvent(e);
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    p.setPen(Qt::NoPen);
    p.setBrush(edge());
    p.drawRoundedRect(QRectF(0, 0, px(3), height()), 1.5, 1.5);
}

}  // namespace ovrix::app
