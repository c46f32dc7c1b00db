#include "app/recipe/param_row.h"

#include <QCheckBox>
#include <QComboBox>
#include <QContextMenuEvent>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QMenu>
#include <QPushButton>
#include <QToolButton>
#include <QVBoxLayout>

#include "app/recipe/atlas_editor.h"
#include "app/recipe/field_stack.h"
#include "app/recipe/mix_editor.h"
#include "app/theme/theme.h"
#include "app/widgets/choices_button.h"
#include "app/widgets/color_button.h"
#include "app/widgets/curve_box.h"
#include "app/widgets/key_button.h"
#include "app/widgets/number_box.h"
#include "base/error.h"
#include "deliver/variations.h"
#include "document/edits/keying.h"
#include "document/edits/paste.h"
#include "document/model/references.h"

namespace ovrix::app {

namespace {

QString toolTipFor(const ParamSpec& s) {
    QString text = QString::fromStdString(s.help);
    if (s.type == ParamType::Int || s.type == ParamType::Number || s.type == ParamType::Range ||
        s.type == ParamType::Vector) {
        const bool whole = s.type == ParamType::Int;
        text +=
            QString("\nUsually %1 to %2, at most %3 to %4 %5")
                .arg(numberText(s.softMin, whole), numberText(s.softMax, whole), numberText(s.hardMin, false),
                     numberText(s.hardMax, false), QString::fromStdString(s.unit));
        text += "\nDrag to change (Ctrl finer, Shift coarser), click to type, double-click for the default";
    }
    return text;
}

}  // namespace

QString ParamRow::rowTitle() const {
    return QString::fromStdString(spec_.detail.empty() ? spec_.title : spec_.detail);
}

ParamRow::ParamRow(Controller& controller, const ParamPath& path, const ParamSpec& spec, QWidget* parent)
    : QWidget(parent), controller_(controller), path_(path), spec_(spec), layout_(new QVBoxLayout(this)) {
    setObjectName("param:" + QString::fromStdString(path.text()));
    layout_->setContentsMargins(0, 0, 0, 0);
    layout_->setSpacing(px(4));
    auto* line = new QHBoxLayout;
    line->setSpacing(px(6));
    const bool tall =
        spec.type == ParamType::PrototypeMix || spec.type == ParamType::Refs || spec.type == ParamType::Cells;
    if (!tall) {
        auto* label = new QLabel(rowTitle());
        label->setFixedWidth(px(path.source >= 0 ? 74 : 88));
        if (!spec.detail.empty()) {
            label->setProperty("muted", true);
            label->setIndent(px(10));
        }
        label->setToolTip(toolTipFor(spec));
        line->addWidget(label);
        name_ = label;
    }
    editor_ = makeEditor();
    editor_->setToolTip(toolTipFor(spec));
    line->addWidget(editor_, 1);
    if (spec.drivable) {
        sources_ = new QToolButton;
        sources_->setObjectName("sources");
        sources_->setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Fixed);
        sources_->setFixedHeight(px(26));
        sources_->setCheckable(true);
        connect(sources_, &QToolButton::clicked, this, &ParamRow::toggleField);
        line->addWidget(sources_, 1);
        fieldButton_ = new QToolButton;
        fieldButton_->setObjectName("fieldButton");
        fieldButton_->setProperty("flat", true);
        fieldButton_->setIcon(icon("field"));
        fieldButton_->setCheckable(true);
        fieldButton_->setFixedSize(px(22), px(22));
        fieldButton_->setToolTip("Drive it by a field: slope, height, noise, an image...");
        connect(fieldButton_, &QToolButton::clicked, this, &ParamRow::toggleField);
        line->addWidget(fieldButton_);
    }
    if (keyable(spec)) {
        key_ = new KeyButton(editor_);
        connect(key_, &KeyButton::clicked, this, [this] { controller_.toggleKey(path_); });
    }
    layout_->addLayout(line);
    connect(&controller_.clock(), &PlayClock::frameChanged, this, [this] {
        if (const auto now = controller_.paramNow(path_); now && now->animated()) refresh();
    });
    refresh();
}

QWidget* ParamRow::makeEditor() {
    switch (spec_.type) {
        case ParamType::Bool:
            return makeBool();
        case ParamType::Int:
            return makeNumber(
                0, [](const Value& v) { return double(std::get<int64_t>(v)); },
                [](const Value&, double x) -> Value { return int64_t(x); },
                double(std::get<int64_t>(spec_.initial)));
        case ParamType::Number:
            return makeNumber(
                0, [](const Value& v) { return std::get<double>(v); },
                [](const Value&, double x) -> Value { return x; }, std::get<double>(spec_.initial));
        case ParamType::Range:
            return makeNumbers(2);
        case ParamType::Vector:
            return makeNumbers(3);
        case ParamType::Color:
            return makeColor();
        case ParamType::Choice:
            return makeChoice();
        case ParamType::Choices:
            return makeChoices();
        case ParamType::Ref:
            return makeRef();
        case ParamType::Refs:
            return makeRefs();
        case ParamType::PrototypeMix:
            return makeMix();
        case ParamType::Text:
            return makeText();
        case ParamType::Map:
            return makeMap();
        case ParamType::Edits:
            return makeEdits();
        case ParamType::Combing:
            return makeCombing();
        case ParamType::Points:
            return makePoints();
        case ParamType::Cells:
            return makeCells();
        case ParamType::Strokes:
            return makeStrokes();
        case ParamType::Profile:
            return makeProfile();
        default:
            return makeFile();
    }
}

QWidget* ParamRow::makeNumber(int component, const std::function<double(const Value&)>& get,
                              const std::function<Value(const Value&, double)>& put, double initial) {
    auto* box = new NumberBox(spec_);
    box->setDefault(initial);
    connect(box, &NumberBox::changed, this, [this, put, component](double x, bool dragging) {
        const Document& d = controller_.document();
        const Param param = paramAt(d, path_);
        if (param.formulas.count(component))
            return controller_.edit("Set a number", [&](const Document& doc) {
                const Document plain = withFormula(doc, path_, component, {});
                return withValueAt(plain, path_, controller_.clock().frame(),
                                   put(paramAt(plain, path_).at(controller_.clock().frame(), doc.rate()), x));
            });
        controller_.setValue(path_, put(param.at(controller_.clock().frame(), d.rate()), x), dragging);
    });
    connect(box, &NumberBox::formulaTyped, this, [this, component](const QString& text) {
        controller_.setFormula(path_, component, text.toStdString());
    });
    connect(box, &NumberBox::finished, this, [this] { controller_.endDrag(); });
    connect(box, &NumberBox::refused, this, [this](const QString& why) { controller_.say(why, true); });
    refreshers_.push_back([this, box, get, component](const Param& p) {
        box->setValue(get(p.at(controller_.clock().frame(), controller_.document().rate())));
        const auto formula = p.formulas.find(component);
        box->setFormula(formula == p.formulas.end() ? QString() : QString::fromStdString(formula->second));
        box->setNotched(component == 0 && !p.keys.empty());
        box->setMark(!p.animated() && p.field && !replacedByField() ? tokens().seaGlass : QColor());
    });
    return box;
}

QWidget* ParamRow::makeNumbers(size_t count) {
    auto* row = new QWidget;
    auto* line = new QHBoxLayout(row);
    line->setContentsMargins(0, 0, 0, 0);
    line->setSpacing(px(4));
    for (size_t i = 0; i < count; ++i) {
        const auto part = [i](const Value& v) {
            if (auto* r = std::get_if<Range>(&v)) return i ? r->max : r->min;
            return std::get<V3d>(v)[int(i)];
        };
        const auto put = [i](const Value& v, double x) -> Value {
            if (auto* r = std::get_if<Range>(&v))
                return i ? Range{std::min(r->min, x), x} : Range{x, std::max(r->max, x)};
            V3d w = std::get<V3d>(v);
            w[int(i)] = x;
            return w;
        };
        line->addWidget(makeNumber(int(i), part, put, part(spec_.initial)), 1);
    }
    return row;
}

QWidget* ParamRow::makeBool() {
    auto* box = new QCheckBox;
    connect(box, &QCheckBox::clicked, this, [this](bool on) { controller_.setValue(path_, on); });
    refreshers_.push_back(
        [this, box](const Param& p) { box->setChecked(std::get<bool>(p.at(controller_.clock().frame()))); });
    return box;
}

QWidget* ParamRow::makeColor() {
    auto* button = new ColorButton;
    connect(button, &ColorButton::changed, this,
            [this](const Color& c, bool dragging) { controller_.setValue(path_, c, dragging); });
    connect(button, &ColorButton::finished, this, [this] { controller_.endDrag(); });
    refreshers_.push_back([this, button](const Param& p) {
        button->setColor(std::get<Color>(p.at(controller_.clock().frame(), controller_.document().rate())));
    });
    return button;
}

QWidget* ParamRow::makeChoice() {
    auto* box = new QComboBox;
    for (const std::string& c : spec_.choices) box->addItem(QString::fromStdString(c));
    connect(box, &QComboBox::activated, this,
            [this, box] { controller_.setValue(path_, box->currentText().toStdString()); });
    refreshers_.push_back([this, box](const Param& p) {
        box->setCurrentText(QString::fromStdString(std::get<std::string>(p.at(controller_.clock().frame()))));
    });
    return box;
}

QWidget* ParamRow::makeChoices() {
    auto* button = new ChoicesButton(spec_.choices);
    connect(button, &ChoicesButton::changed, this,
            [this](const Refs& chosen) { controller_.setValue(path_, chosen); });
    refreshers_.push_back([this, button](const Param& p) {
        button->setChosen(std::get<Refs>(p.at(controller_.clock().frame())));
    });
    return button;
}

namespace {

/// All nodes of a kind in a box, after "none"; the item's data is the id.
void fillNodes(QComboBox& box, const Document& document, const std::string& kind, const std::string& chosen) {
    std::vector<std::pair<QString, QString>> items{{"none", QString()}};
    const QString id = QString::fromStdString(chosen);
    bool there = chosen.empty();
    for (const NodePtr& n : document.nodes()) {
        if (!isOfKind(*n, kind)) continue;
        items.emplace_back(QString::fromStdString(n->name), QString::fromStdString(n->id));
        there |= n->id == chosen;
    }
    if (!there) items.emplace_back("missing: " + id, id);
    bool same = box.count() == int(items.size());
    for (int i = 0; i < box.count() && same; ++i)
        same = box.itemText(i) == items[size_t(i)].first &&
               box.itemData(i).toString() == items[size_t(i)].second;
    if (!same) {
        box.clear();
        for (const auto& [name, data] : items) box.addItem(name, data);
    }
    box.setCurrentIndex(box.findData(id));
}

}  // namespace

QWidget* ParamRow::makeRef() {
    auto* box = new QComboBox;
    connect(box, &QComboBox::activated, this,
            [this, box] { controller_.setValue(path_, box->currentData().toString().toStdString()); });
    refreshers_.push_back([this, box](const Param& p) {
        fillNodes(*box, controller_.document(), spec_.refKind, std::get<std::string>(p.value));
    });
    return box;
}

QWidget* ParamRow::makeText() {
    auto* line = new QLineEdit;
    line->setObjectName("text");
    connect(line, &QLineEdit::editingFinished, this, [this, line] {
        const std::string text = line->text().toStdString();
        if (std::get<std::string>(paramAt(controller_.document(), path_).value) != text)
            controller_.setValue(path_, text);
    });
    refreshers_.push_back([line](const Param& p) {
        const QString text = QString::fromStdString(std::get<std::string>(p.value));
        if (!line->hasFocus() || line->text().isEmpty()) line->setText(text);
    });
    return line;
}

/// One of those rows; @p change is given what changes the list.
QWidget* ParamRow::makeRefRow(QWidget* list, int i, const RefsChange& change) {
    const bool slots = spec_.id == kObject.slots.id();
    auto* row = new QWidget(list);
    auto* line = new QHBoxLayout(row);
    line->setContentsMargins(0, 0, 0, 0);
    auto* box = new QComboBox;
    box->setObjectName("ref");
    if (slots) {
        auto* label = new QLabel(QString("Slot %1").arg(i + 1));
        label->setFixedWidth(px(88));
        line->addWidget(label);
    }
    line->addWidget(box, 1);
    if (!slots) {
        auto* remove = new QToolButton;
        remove->setProperty("flat", true);
        remove->setIcon(icon("close"));
        remove->setToolTip("Take it out of the list");
        connect(remove, &QToolButton::clicked, this,
                [change, i] { change([i](Refs& r) { r.erase(r.begin() + i); }); });
        line->addWidget(remove);
    }
    connect(box, &QComboBox::activated, this, [change, box, i] {
        change([&](Refs& r) { r[size_t(i)] = box->currentData().toString().toStdString(); });
    });
    return row;
}

/// A row for each node that is named. Slots are as many as the mesh has; other lists grow and shrink.
QWidget* ParamRow::makeRefs() {
    const bool slots = spec_.id == kObject.slots.id();
    auto* list = new QWidget;
    auto* all = new QVBoxLayout(list);
    all->setContentsMargins(0, 0, 0, 0);
    all->setSpacing(px(4));
    auto* rows = new QVBoxLayout;
    rows->setSpacing(px(4));
    if (!slots) {
        auto* title = new QLabel(QString::fromStdString(spec_.title));
        title->setToolTip(toolTipFor(spec_));
        all->addWidget(title);
    }
    all->addLayout(rows);
    const RefsChange change = [this](const std::function<void(Refs&)>& edit) {
        Refs now = std::get<Refs>(paramAt(controller_.document(), path_).value);
        edit(now);
        controller_.setValue(path_, now);
    };
    if (!slots) {
        auto* add = new QPushButton("Add one");
        add->setObjectName("addRef");
        add->setProperty("link", true);
        connect(add, &QPushButton::clicked, this,
                [change] { change([](Refs& refs) { refs.emplace_back(); }); });
        all->addWidget(add, 0, Qt::AlignLeft);
    }
    refreshers_.push_back([this, list, rows, change](const Param& p) {
        const Refs refs = std::get<Refs>(p.value);
        while (rows->count() > int(refs.size())) {
            QLayoutItem* item = rows->takeAt(rows->count() - 1);
            item->widget()->hide(), item->widget()->deleteLater();
            delete item;
        }
        for (int i = rows->count(); i < int(refs.size()); ++i) {
            rows->addWidget(makeRefRow(list, i, change));
        }
        for (size_t i = 0; i < refs.size(); ++i)
            fillNodes(*rows->itemAt(int(i))->widget()->findChild<QComboBox*>(), controller_.document(),
                      spec_.refKind, refs[i]);
    });
    return list;
}

QWidget* ParamRow::makeMix() {
    auto* editor = new MixEditor(controller_, path_);
    refreshers_.push_back([editor](const Param& p) { editor->refresh(std::get<PrototypeMix>(p.value)); });
    return editor;
}

namespace {

/// The input that was copied last, of any scene; one for the whole program.
struct CopiedInput {
    ParamSpec spec;
    Param param;
};
std::optional<CopiedInput>& copiedInput() {
    static std::optional<CopiedInput> copied;
    return copied;
}

}  // namespace

void ParamRow::contextMenuEvent(QContextMenuEvent* e) {
    QMenu menu(this);
    menu.addAction("Copy", this, [this] {
        copiedInput() = {spec_, paramAt(controller_.document(), path_)};
        controller_.say("Copied " + QString::fromStdString(spec_.title));
    });
    QAction* paste = menu.addAction("Paste", this, [this] {
        controller_.edit("Paste", [&](const Document& d) {
            return withParam(d, path_, pasted(copiedInput()->param, copiedInput()->spec, spec_));
        });
    });
    paste->setEnabled(copiedInput().has_value());
    if (canVary(spec_)) {
        menu.addSeparator();
        menu.addAction("Variations...", this, [this] { Q_EMIT controller_.variationsWanted(path_, false); });
        menu.addAction("Vary beside the other one", this,
                       [this] { Q_EMIT controller_.variationsWanted(path_, true); });
    }
    if (path_.source < 0 && isOwnValue(controller_.document(), path_))
        menu.addAction("Take the shared value again", this, [this] {
            controller_.edit("Take the shared value",
                             [&](const Document& d) { return withSharedValue(d, path_); });
        });
    menu.exec(e->globalPos());
}

void ParamRow::addFirstSource() {
    QMenu menu(this);
    FieldStack::fillSourceMenu(menu, [this](const std::string& type) {
        auto field = std::make_shared<Field>();
        field->sources.push_back(makeSource(type));
        controller_.edit("Drive by a field", [&](const Document& d) { return withField(d, path_, field); });
        Q_EMIT stackToggled(path_, true);
        setStackOpen(true);
    });
    menu.exec(fieldButton_->mapToGlobal(QPoint(0, fieldButton_->height())));
}

void ParamRow::toggleField() {
    if (!paramAt(controller_.document(), path_).field) {
        addFirstSource();
        return refresh();
    }
    const bool open = !stackOpen();
    setStackOpen(open);
    Q_EMIT stackToggled(path_, open);
}

bool ParamRow::stackOpen() const { return stack_ && !stack_->isHidden(); }

void ParamRow::setStackOpen(bool open) {
    const bool has = spec_.drivable && paramAt(controller_.document(), path_).field != nullptr;
    if (open && has && !stack_) {
        stack_ = new FieldStack(controller_, path_);
        layout_->addWidget(stack_);
    }
    if (stack_) stack_->setVisible(open && has);
    refresh();
}

void ParamRow::followResults() {
    static const std::set<ParamType> ofResults{ParamType::Refs,    ParamType::Map,    ParamType::Edits,
                                               ParamType::Combing, ParamType::Points, ParamType::Cells};
    if (ofResults.count(spec_.type)) refresh();
}

void ParamRow::refresh() {
    const auto now = controller_.paramNow(path_);
    if (!now) return;  // the row is about to go
    const Param& param = *now;
    for (const Refresh& r : refreshers_) r(param);
    if (name_) {
        const bool own = path_.source < 0 && isOwnValue(controller_.document(), path_);
        QFont font = name_->font();
        font.setItalic(own);
        name_->setFont(font);
        name_->setText(rowTitle() + (own ? " *" : ""));
        name_->setToolTip(
            own ? "This layer's own value; the rest of the recipe is shared.\nRight click takes "
                  "the shared value again"
                : toolTipFor(spec_));
    }
    if (key_) key_->showParam(param, controller_.clock().frame());
    if (!spec_.drivable) return;
    const bool has = param.field != nullptr;
    editor_->setVisible(!has || !replacedByField());
    sources_->setVisible(has && replacedByField());
    if (has) {
        const size_t n = param.field->sources.size();
        sources_->setText(n == 1 ? QString::fromStdString(findSourceType(param.field->sources[0].type)->title)
                                 : QString("%1 sources").arg(n));
    }
    if (stack_ && !has) stack_->hide();
    if (stackOpen()) stack_->refresh();
    sources_->setChecked(stackOpen());
    fieldButton_->setChecked(has);
}

}  // namespace ovrix::app
