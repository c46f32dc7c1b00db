// Editors of values that are worked on in the view, or on a picture.
#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QToolButton>

#include "app/recipe/atlas_editor.h"
#include "app/recipe/param_row.h"
#include "app/theme/theme.h"
#include "app/widgets/curve_box.h"

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
    source.sourceParam = "map";
    connect(paint, &QPushButton::clicked, this,
            [this, source](bool on) { controller_.setPainting(on ? source : ParamPath()); });
    connect(&controller_, &Controller::paintingChanged, paint,
            [this, paint, source] { paint->setChecked(controller_.painting() == source); });
    connect(clear, &QToolButton::clicked, this, [this] { controller_.setValue(path_, MapValue()); });
    refreshers_.push_back([this, paint, clear, source](const Param& p) {
        paint->setChecked(controller_.painting() == source);
        clear->setEnabled(std::get<MapValue>(p.value).map != nullptr);
    });
    return row;
}

/// What was changed by hand, in short; the work itself is done in the view.
QWidget* ParamRow::makeEdits() {
    auto* row = new QWidget;
    auto* line = new QHBoxLayout(row);
    line->setContentsMargins(0, 0, 0, 0);
    auto* text = new QLabel;
    text->setProperty("muted", true);
    text->setWordWrap(true);
    auto* clear = new QPushButton("Clear");
    clear->setObjectName("clearEdits");
    clear->setToolTip("Gives every element back to the recipe");
    line->addWidget(text, 1);
    line->addWidget(clear);
    connect(clear, &QPushButton::clicked, this, [this] { controller_.setValue(path_, HandEdits()); });
    refreshers_.push_back([text, clear](const Param& p) {
        size_t added = 0, removed = 0, changed = 0;
        for (const HandEdit& e : std::get<HandEdits>(p.value).list)
            ++(e.added ? added : e.removed ? removed : changed);
        QStringList parts;
        if (changed) parts << QString("%1 changed").arg(changed);
        if (added) parts << QString("%1 placed").arg(added);
        if (removed) parts << QString("%1 taken out").arg(removed);
        text->setText(parts.isEmpty() ? "Press 5 and work in the view" : parts.join(", "));
        clear->setEnabled(!parts.isEmpty());
    });
    return row;
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
        [this, box](const Param& p) { box->setCurve(std::get<Curve>(p.at(controller_.frame()))); });
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
