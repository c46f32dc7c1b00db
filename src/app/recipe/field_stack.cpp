#include "app/recipe/field_stack.h"

#include <QCheckBox>
#include <QHBoxLayout>
#include <QLabel>
#include <QMenu>
#include <QMouseEvent>
#include <QPainter>
#include <QPushButton>
#include <QTimer>
#include <QToolButton>
#include <QVBoxLayout>

#include "app/recipe/param_row.h"
#include "app/theme/theme.h"
#include "app/widgets/color_button.h"
#include "app/widgets/curve_box.h"
#include "app/widgets/key_button.h"
#include "app/widgets/menu_button.h"
#include "app/widgets/number_box.h"

namespace ovrix::app {

StripPreview::StripPreview(QWidget* parent) : QWidget(parent) {
    setFixedSize(px(26), px(18));
    setToolTip("What this source gives along the surface, from one end to the other");
}

void StripPreview::setValues(const std::vector<float>& values) {
    values_ = values;
    update();
}

void StripPreview::paintEvent(QPaintEvent*) {
    QPainter p(this);
    p.setPen(Qt::NoPen);
    p.setBrush(tokens().raised);
    p.drawRoundedRect(rect(), px(2), px(2));
    for (int x = 0; x < width() && !values_.empty(); ++x) {
        const size_t i = size_t(x) * values_.size() / size_t(width());
        p.fillRect(x, 0, 1, height(), heatColor(values_[i]));
    }
}

namespace {

struct BlendLook {
    Blend blend;
    const char* sign;
    const char* help;
};
const BlendLook kBlends[] = {{Blend::Replace, "=", "Replace what is above"},
                             {Blend::Multiply, "\u00d7", "Multiply with what is above: only where both pass"},
                             {Blend::Add, "+", "Add to what is above"},
                             {Blend::Min, "\u2227", "The smaller of the two"},
                             {Blend::Max, "\u2228", "The larger of the two"},
                             {Blend::Subtract, "\u2212", "Take it from what is above"},
                             {Blend::Screen, "\u25d1", "Screen: brighter where either is bright"},
                             {Blend::Overlay, "\u25d0", "Overlay: more contrast where it is bright or dark"},
                             {Blend::Difference, "\u2260", "How far both are apart"}};

QToolButton* flatButton(const QString& tip) {
    auto* b = new QToolButton;
    b->setProperty("flat", true);
    b->setToolTip(tip);
    b->setAutoRaise(true);
    return b;
}

}  // namespace

FieldStack::FieldStack(Controller& controller, const ParamPath& path, QWidget* parent)
    : QFrame(parent), controller_(controller), path_(path), layout_(new QVBoxLayout(this)) {
    setObjectName("fieldStack");
    layout_->setContentsMargins(px(6), px(6), px(6), px(6));
    layout_->setSpacing(px(4));
    connect(&controller_, &Controller::resultsChanged, this, &FieldStack::updateStrips);
}

void FieldStack::fillSourceMenu(QMenu& menu, const std::function<void(const std::string&)>& add) {
    for (const SourceType& t : sourceTypes()) {
        QAction* a = menu.addAction(QString::fromStdString(t.title), &menu, [add, id = t.id] { add(id); });
        a->setToolTip(QString::fromStdString(t.help));
    }
    menu.setToolTipsVisible(true);
}

void FieldStack::change(const QString& label, const std::function<void(Field&)>& edit, bool dragging) {
    Param param = paramAt(controller_.document(), path_);
    Field field = param.field ? *param.field : Field();
    edit(field);
    param.field = field.sources.empty() ? nullptr : std::make_shared<const Field>(std::move(field));
    controller_.edit(
        label, [&](const Document& d) { return withParam(d, path_, param); },
        dragging ? path_.text() + "/" + label.toStdString() : std::string());
}

void FieldStack::refresh() {
    const Param param = paramAt(controller_.document(), path_);
    if (!param.field) return;
    std::string shape = std::to_string(openSource_);
    for (const FieldSource& s : param.field->sources) shape += "|" + s.type;
    if (shape != shape_) {
        shape_ = shape;
        rebuild(*param.field);
    }
    for (size_t i = 0; i < rowRefreshers_.size(); ++i) rowRefreshers_[i](param.field->sources[i]);
    for (ParamRow* row : paramRows_) {
        row->refresh();
        row->setVisible(appliesAt(controller_.document(), row->path(), row->spec()));
    }
    for (const auto& refreshEnd : endRefreshers_) refreshEnd();
    updateStrips();
}

void FieldStack::rebuild(const Field& field) {
    while (QLayoutItem* item = layout_->takeAt(0)) {
        if (item->widget()) item->widget()->hide(), item->widget()->deleteLater();
        delete item;
    }
    strips_.clear();
    sourceRows_.clear();
    pressed_.reset();
    dropBefore_.reset();
    rowRefreshers_.clear();
    endRefreshers_.clear();
    paramRows_.clear();
    for (size_t i = 0; i < field.sources.size(); ++i) {
        sourceRows_.push_back(makeRow(i, field.sources[i]));
        layout_->addWidget(sourceRows_.back());
        if (int(i) != openSource_) continue;
        const SourceType* type = findSourceType(field.sources[i].type);
        for (const ParamSpec& spec : type ? type->params : std::vector<ParamSpec>()) {
            ParamPath path = path_;
            path.source = int(i);
            path.sourceParam = spec.id;
            paramRows_.push_back(new ParamRow(controller_, path, spec));
            paramRows_.back()->setContentsMargins(px(14), 0, 0, 0);
            layout_->addWidget(paramRows_.back());
        }
    }
    if (QWidget* ends = makeEnds()) layout_->addWidget(ends);
    auto* add = new QPushButton("Add a source");
    add->setObjectName("addSource");
    add->setProperty("link", true);
    auto* menu = new QMenu(add);
    fillSourceMenu(*menu, [this](const std::string& type) {
        change("Add a source", [&](Field& f) { f.sources.push_back(makeSource(type)); });
    });
    add->setMenu(menu);
    layout_->addWidget(add);
}

/// What the parameter is where the field is 0, and where it is 1. A range has its two ends in its own row.
QWidget* FieldStack::makeEnds() {
    const ParamSpec& spec = specAt(controller_.document(), path_);
    if (spec.type != ParamType::Number && spec.type != ParamType::Color) return nullptr;
    auto* row = new QWidget;
    row->setObjectName("fieldEnds");
    auto* line = new QHBoxLayout(row);
    line->setContentsMargins(px(2), px(2), 0, 0);
    line->setSpacing(px(6));
    for (const bool high : {false, true}) {
        auto* label = new QLabel(high ? "1 is" : "0 is");
        label->setProperty("muted", true);
        line->addWidget(label);
        const auto put = [this, high](const Value& value, bool dragging) {
            Param param = paramAt(controller_.document(), path_);
            (high ? param.value : param.low) = value;
            controller_.setParam(path_, param, dragging);
        };
        const auto shown = [this, high] {
            const Param param = paramAt(controller_.document(), path_);
            return high ? param.value : param.low;
        };
        if (spec.type == ParamType::Number) {
            auto* box = new NumberBox(spec);
            box->setToolTip(high ? "The number where the field is 1" : "The number where the field is 0");
            connect(box, &NumberBox::changed, this, [put](double v, bool dragging) { put(v, dragging); });
            connect(box, &NumberBox::finished, this, [this] { controller_.endDrag(); });
            endRefreshers_.push_back([box, shown] {
                const Value v = shown();
                if (const double* x = std::get_if<double>(&v)) box->setValue(*x);
            });
            line->addWidget(box, 1);
        } else {
            auto* button = new ColorButton;
            connect(button, &ColorButton::changed, this,
                    [put](const Color& c, bool dragging) { put(c, dragging); });
            connect(button, &ColorButton::finished, this, [this] { controller_.endDrag(); });
            endRefreshers_.push_back([button, shown] {
                const Value v = shown();
                if (const Color* c = std::get_if<Color>(&v)) button->setColor(*c);
            });
            line->addWidget(button, 1);
        }
    }
    if (spec.type != ParamType::Color) return row;
    auto* both = new QWidget;
    auto* column = new QVBoxLayout(both);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(px(4));
    column->addWidget(row);
    column->addWidget(makeRamp());
    column->addWidget(makeCurves());
    return both;
}

QToolButton* FieldStack::makeBlend(size_t index) {
    QToolButton* blend = flatButton("How it is blended with what is above");
    blend->setFixedWidth(px(18));
    auto* blends = new QMenu(blend);
    for (const BlendLook& b : kBlends)
        blends->addAction(QString("%1   %2").arg(b.sign, b.help), this, [this, index, b] {
            change("Change blend", [&](Field& f) { f.sources[index].blend = b.blend; });
        });
    blend->setMenu(blends);
    blend->setPopupMode(QToolButton::InstantPopup);
    return blend;
}

QPushButton* FieldStack::makeTitle(size_t index, const FieldSource& source) {
    const SourceType* type = findSourceType(source.type);
    auto* title =
        new QPushButton(type ? QString::fromStdString(type->title) : QString::fromStdString(source.type));
    title->setProperty("link", true);
    title->setToolTip((type ? QString::fromStdString(type->help) : QString()) +
                      "\nClick for its numbers, drag to move it in the stack");
    title->setMinimumWidth(px(30));
    title->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Fixed);
    title->setObjectName("sourceTitle");
    title->setProperty("source", int(index));
    title->installEventFilter(this);
    connect(title, &QPushButton::clicked, this, [this, index] {
        openSource_ = openSource_ == int(index) ? -1 : int(index);
        refresh();
    });
    return title;
}

NumberBox* FieldStack::makeStrength(const ParamPath& strengthPath) {
    auto* strength = new NumberBox(strengthSpec());
    strength->setFixedWidth(px(38));
    strength->setDefault(1.0);
    strength->setToolTip("Strength: 0 leaves what is above, 1 is the full blend");
    connect(strength, &NumberBox::changed, this, [this, strengthPath](double v, bool dragging) {
        controller_.setValue(strengthPath, v, dragging);  // in its key, where it has some
    });
    connect(strength, &NumberBox::finished, this, [this] { controller_.endDrag(); });
    return strength;
}

QWidget* FieldStack::makeRow(size_t index, const FieldSource& source) {
    auto* row = new QWidget;
    auto* line = new QHBoxLayout(row);
    line->setContentsMargins(0, 0, 0, 0);
    line->setSpacing(px(4));
    const SourceType* type = findSourceType(source.type);
    QToolButton* blend = makeBlend(index);
    QPushButton* title = makeTitle(index, source);
    auto* strip = new StripPreview;
    strip->setVisible(width() >= px(215));
    strips_.push_back(strip);
    auto* curve = new CurveBox;
    curve->setFixedWidth(px(30));  // the name of the source comes first
    connect(curve, &CurveBox::changed, this, [this, index](const Curve& c, bool dragging) {
        change(
            "Bend remap curve", [&](Field& f) { f.sources[index].remap = c; }, dragging);
    });
    connect(curve, &CurveBox::finished, this, [this] { controller_.endDrag(); });
    ParamPath strengthPath = path_;
    strengthPath.source = int(index), strengthPath.sourceParam = "strength";
    NumberBox* strength = makeStrength(strengthPath);
    auto* key = new KeyButton(strength);
    key->setObjectName("strengthKey");
    connect(key, &KeyButton::clicked, this, [this, strengthPath] { controller_.toggleKey(strengthPath); });
    connect(&controller_.clock(), &PlayClock::frameChanged, key, [this, strengthPath] {
        if (const auto now = controller_.paramNow(strengthPath); now && now->animated()) refresh();
    });

    auto* more = menuButton("sourceMenu", "Invert, move or remove this source",
                            [this, index](QMenu& menu) { fillRowMenu(menu, index); });
    more->setIcon(icon("more"));
    more->setFixedWidth(px(20));

    for (QWidget* w :
         {static_cast<QWidget*>(blend), static_cast<QWidget*>(title), static_cast<QWidget*>(strip),
          static_cast<QWidget*>(curve), static_cast<QWidget*>(strength), static_cast<QWidget*>(more)})
        line->addWidget(w, w == title ? 1 : 0);
    rowRefreshers_.push_back([=, this](const FieldSource& s) {
        blend->setText(kBlends[size_t(s.blend)].sign);
        curve->setCurve(s.remap);
        const Value now = s.strength.at(controller_.clock().frame(), controller_.document().rate());
        if (const double* v = std::get_if<double>(&now)) strength->setValue(*v);
        key->showParam(s.strength, controller_.clock().frame());
        strength->setNotched(!s.strength.keys.empty());
        QString name = type ? QString::fromStdString(type->title) : QString::fromStdString(s.type);
        if (s.invert) name = "not " + name.toLower();
        title->setText(name);
        for (QWidget* w :
             {static_cast<QWidget*>(strip), static_cast<QWidget*>(curve), static_cast<QWidget*>(strength)})
            w->setEnabled(s.on);
        QFont font = title->font();
        font.setStrikeOut(!s.on);
        title->setFont(font);
    });
    return row;
}

void FieldStack::fillRowMenu(QMenu& menu, size_t index) {
    menu.clear();
    const Param param = paramAt(controller_.document(), path_);
    const FieldSource& s = param.field->sources[index];
    const auto toggle = [&](const QString& text, bool on, const std::function<void(FieldSource&)>& flip) {
        QAction* a = menu.addAction(text, this, [this, index, flip, text] {
            change(text, [&](Field& f) { flip(f.sources[index]); });
        });
        a->setCheckable(true);
        a->setChecked(on);
    };
    toggle("On", s.on, [](FieldSource& x) { x.on = !x.on; });
    toggle("Invert", s.invert, [](FieldSource& x) { x.invert = !x.invert; });
    menu.addSeparator();
    QAction* up = menu.addAction("Move up", this, [this, index] {
        change("Move source", [&](Field& f) { std::swap(f.sources[index], f.sources[index - 1]); });
    });
    up->setEnabled(index > 0);
    QAction* down = menu.addAction("Move down", this, [this, index] {
        change("Move source", [&](Field& f) { std::swap(f.sources[index], f.sources[index + 1]); });
    });
    down->setEnabled(index + 1 < param.field->sources.size());
    menu.addAction("Remove", this, [this, index] {
        openSource_ = -1;
        change("Remove source",
               [&](Field& f) { f.sources.erase(f.sources.begin() + std::ptrdiff_t(index)); });
    });
}

/// Before which row something let go at a height of the stack comes.
size_t FieldStack::placeAt(int y) const {
    size_t index = 0;
    for (QWidget* row : sourceRows_)
        if (row->y() + row->height() / 2 < y) ++index;
    return index;
}

bool FieldStack::eventFilter(QObject* watched, QEvent* event) {
    auto* title = qobject_cast<QPushButton*>(watched);
    return (title && dragSource(title, event)) || QFrame::eventFilter(watched, event);
}

bool FieldStack::dragSource(QWidget* title, QEvent* event) {
    const auto pointer = [&] {
        return title->mapTo(this, static_cast<QMouseEvent*>(event)->position().toPoint());
    };
    if (event->type() == QEvent::MouseButtonPress) {
        pressed_ = pointer();
        return false;  // it may still be a click
    }
    if (event->type() == QEvent::MouseMove && pressed_) {
        if (!dropBefore_ && std::abs(pointer().y() - pressed_->y()) < px(8)) return false;
        dropBefore_ = placeAt(pointer().y());
        update();
        return true;
    }
    if (event->type() != QEvent::MouseButtonRelease) return false;
    pressed_.reset();
    if (!dropBefore_) return false;
    static_cast<QPushButton*>(title)->setDown(false);
    const size_t from = size_t(title->property("source").toInt());
    const size_t to = *dropBefore_ - (*dropBefore_ > from ? 1 : 0);
    dropBefore_.reset();
    update();
    if (from == to) return true;
    openSource_ = -1;
    // Later: the rows are made anew, and this one's event is not through.
    QTimer::singleShot(0, this, [this, from, to] {
        change("Move source", [&](Field& f) {
            if (from >= f.sources.size() || to >= f.sources.size()) return;
            FieldSource moved = std::move(f.sources[from]);
            f.sources.erase(f.sources.begin() + std::ptrdiff_t(from));
            f.sources.insert(f.sources.begin() + std::ptrdiff_t(to), std::move(moved));
        });
    });
    return true;
}

void FieldStack::paintEvent(QPaintEvent* e) {
    QFrame::paintEvent(e);
    if (!dropBefore_ || sourceRows_.empty()) return;
    const QWidget* row = sourceRows_[std::min(*dropBefore_, sourceRows_.size() - 1)];
    const int y = *dropBefore_ < sourceRows_.size() ? row->y() - px(2) : row->geometry().bottom() + px(2);
    QPainter p(this);
    p.setPen(QPen(tokens().seaGlass, px(2)));
    p.drawLine(px(6), y, width() - px(6), y);
}

/// Where there is little room, names come before previews.
void FieldStack::resizeEvent(QResizeEvent* e) {
    QFrame::resizeEvent(e);
    for (StripPreview* strip : strips_) strip->setVisible(width() >= px(215));
}

void FieldStack::updateStrips() {
    const auto& overlay = controller_.results().overlay;
    const bool mine = overlay && overlay->path == path_;
    const auto param = controller_.paramNow(path_);
    size_t shown = 0;
    for (size_t i = 0; i < strips_.size() && param && param->field && i < param->field->sources.size(); ++i) {
        const bool on = param->field->sources[i].on;
        strips_[i]->setValues(mine && on && shown < overlay->strips.size() ? overlay->strips[shown]
                                                                           : std::vector<float>());
        shown += on;
    }
}

}  // namespace ovrix::app
