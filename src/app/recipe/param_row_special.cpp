// Editors of values that are worked on in the view, or on a picture.
#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QToolButton>

#include "app/recipe/atlas_editor.h"
#include "app/recipe/param_row.h"
#include "app/theme/theme.h"
#include "app/widgets/curve_box.h"
#include "field/paint.h"

namespace ovrix::app {

QWidget* ParamRow::makeMap() {
    auto* row = new QWidget;
    auto* line = new QHBoxLayout(row);
    line->setContentsMargins(0, 0, 0, 0);
    line->setSpacing(px(4));
    auto* paint = new QPushButton("Paint");
    paint->setObjectName("paintMap");
    paint->setCheckable(true);
    paint->setToolTip("Opens the brush in the view");
    auto* clear = new QToolButton;
    clear->setObjectName("clearMap");
    clear->setProperty("flat", true);
    clear->setIcon(icon("close"));
    clear->setToolTip("Takes everything off that was painted");
    line->addWidget(paint, 1);
    line->addWidget(clear);
    ParamPath source = path_;
    source.sourceParam = kPaint.map.id();
    connect(paint, &QPushButton::clicked, this,
            [this, source](bool on) { controller_.selection().setPainting(on ? source : ParamPath()); });
    connect(&controller_.selection(), &Selection::paintingChanged, paint,
            [this, paint, source] { paint->setChecked(controller_.selection().painting() == source); });
    connect(clear, &QToolButton::clicked, this, [this] { controller_.setValue(path_, MapValue()); });
    refreshers_.push_back([this, paint, clear, source](const Param& p) {
        paint->setChecked(controller_.selection().painting() == source);
        clear->setEnabled(std::get<MapValue>(p.value).map != nullptr);
    });
    return row;
}

/// Work that is done in the view, in short, and a way to be rid of it.
QWidget* ParamRow::makeTally(const QString& tip, const Value& none,
                             const std::function<QString(const Value&)>& tell, const QString& hint) {
    auto* row = new QWidget;
    auto* line = new QHBoxLayout(row);
    line->setContentsMargins(0, 0, 0, 0);
    auto* text = new QLabel;
    text->setProperty("muted", true);
    text->setWordWrap(true);
    auto* clear = new QPushButton("Clear");
    clear->setObjectName("clearEdits");
    clear->setToolTip(tip);
    line->addWidget(text, 1);
    line->addWidget(clear);
    connect(clear, &QPushButton::clicked, this, [this, none] { controller_.setValue(path_, none); });
    refreshers_.push_back([=](const Param& p) {
        const QString summary = tell(p.value);
        text->setText(summary.isEmpty() ? hint : summary);
        clear->setEnabled(!summary.isEmpty());
    });
    return row;
}

namespace {

QString tally(std::initializer_list<std::pair<size_t, const char*>> counts) {
    QStringList parts;
    for (const auto& [count, what] : counts)
        if (count) parts << QString("%1 %2").arg(count).arg(what);
    return parts.join(", ");
}

}  // namespace

QWidget* ParamRow::makeEdits() {
    return makeTally(
        "Gives every element back to the recipe", ManualEdits(),
        [](const Value& value) {
            size_t added = 0, removed = 0, changed = 0;
            for (const ManualEdit& e : std::get<ManualEdits>(value).list)
                ++(e.added ? added : e.removed ? removed : changed);
            return tally({{changed, "changed"}, {added, "placed"}, {removed, "taken out"}});
        },
        "Press 5 and work in the view");
}

QWidget* ParamRow::makeCombing() {
    return makeTally(
        "Gives every strand back to the recipe", StrandEdits(),
        [](const Value& value) {
            size_t added = 0, removed = 0, changed = 0;
            for (const StrandEditPtr& e : std::get<StrandEdits>(value).list)
                ++(e->added ? added : e->removed ? removed : changed);
            return tally({{changed, "combed"}, {added, "planted"}, {removed, "taken out"}});
        },
        "Press 7 and comb in the view");
}

/// The blades' image, cut into its pictures, to choose from.
QWidget* ParamRow::makeCells() {
    auto* editor = new AtlasEditor(controller_, path_.node);
    connect(editor, &AtlasEditor::changed, this,
            [this](const QString& cells) { controller_.setValue(path_, cells.toStdString()); });
    refreshers_.push_back([editor](const Param& p) { editor->refresh(std::get<std::string>(p.value)); });
    return editor;
}

QWidget* ParamRow::makeProfile() {
    auto* box = new CurveBox;
    box->setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Fixed);
    box->setMaximumWidth(QWIDGETSIZE_MAX);
    connect(box, &CurveBox::changed, this,
            [this](const Curve& c, bool dragging) { controller_.setValue(path_, c, dragging); });
    connect(box, &CurveBox::finished, this, [this] { controller_.endDrag(); });
    refreshers_.push_back(
        [this, box](const Param& p) { box->setCurve(std::get<Curve>(p.at(controller_.clock().frame()))); });
    return box;
}

/// How many points a curve has; they are drawn in the view.
QWidget* ParamRow::makePoints() {
    auto* text = new QLabel;
    text->setProperty("muted", true);
    text->setWordWrap(true);
    refreshers_.push_back([text](const Param& p) {
        const size_t n = std::get<CurvePoints>(p.value).list.size();
        text->setText(n ? QString("%1, drawn with key 6").arg(n) : "Press 6 and draw in the view");
    });
    return text;
}

}  // namespace ovrix::app
