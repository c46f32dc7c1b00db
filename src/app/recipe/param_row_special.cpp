// Editors of files, and of values that are worked on in the view, or on a picture.
#include <QFileDialog>
#include <QFileInfo>
#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QToolButton>

#include "app/recipe/atlas_editor.h"
#include "app/recipe/param_row.h"
#include "app/theme/theme.h"
#include "app/widgets/curve_box.h"
#include "base/file_sequence.h"
#include "field/paint.h"

namespace ovrix::app {

namespace {

/// What a dialog for a file offers.
QString filesOf(const ParamSpec& spec, bool object) {
    if (object) return fileFilter("Meshes", Use::ReadMesh);
    if (spec.refKind == "vectors") return fileFilter("Grids of vectors", Use::ReadVectors);
    if (spec.refKind == "strands") return fileFilter("Strands", Use::ReadStrands);
    if (spec.refKind == "sequence") return fileFilter("Points and strands", Use::ReadElements);
    return fileFilter("Images", Use::ReadImage);
}

}  // namespace

QWidget* ParamRow::makeFile() {
    auto* both = new QWidget;
    auto* line = new QHBoxLayout(both);
    line->setContentsMargins(0, 0, 0, 0);
    line->setSpacing(px(2));
    auto* button = new QPushButton;
    button->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Fixed);
    auto* none = new QToolButton;
    none->setObjectName("noFile");
    none->setProperty("flat", true);
    none->setIcon(icon("close"));
    none->setFixedSize(px(22), px(22));
    none->setToolTip("Without a file");
    line->addWidget(button, 1);
    line->addWidget(none);
    const bool mesh = path_.source < 0 && path_.step.empty() &&
                      controller_.document().get(path_.node).category() == Category::Object;
    connect(button, &QPushButton::clicked, this, [this, mesh] {
        const QString file = QFileDialog::getOpenFileName(
            this, "Choose a file", QString::fromStdString(controller_.session().folder().string()),
            filesOf(spec_, mesh));
        if (file.isEmpty()) return;
        // A frame stands for its whole sequence where the step can show one, a tile for all of its picture.
        const std::string chosen = spec_.refKind == "sequence" ? sequenceOf(file.toStdString())
                                   : spec_.refKind == "tiled"  ? tiledOf(file.toStdString())
                                                               : file.toStdString();
        const auto relative =
            std::filesystem::path(chosen).lexically_relative(controller_.session().folder());
        controller_.setValue(path_, relative.empty() ? chosen : relative.string());
    });
    connect(none, &QToolButton::clicked, this, [this] { controller_.setValue(path_, std::string()); });
    refreshers_.push_back([button, none, mesh](const Param& p) {
        const QString file = QString::fromStdString(std::get<std::string>(p.value));
        button->setText(file.isEmpty() ? "Choose..." : QFileInfo(file).fileName());
        button->setToolTip(file);
        none->setVisible(!file.isEmpty() && !mesh);
    });
    return both;
}

/// A button that opens a brush while it is down, and one that takes all off.
ParamRow::PaintButtons ParamRow::makePaintButtons(const QString& tip) {
    auto* row = new QWidget;
    auto* line = new QHBoxLayout(row);
    line->setContentsMargins(0, 0, 0, 0);
    line->setSpacing(px(4));
    auto* paint = new QPushButton("Paint");
    paint->setObjectName("paintMap");
    paint->setCheckable(true);
    paint->setToolTip(tip);
    auto* clear = new QToolButton;
    clear->setObjectName("clearMap");
    clear->setProperty("flat", true);
    clear->setIcon(icon("close"));
    clear->setToolTip("Takes everything off that was painted");
    line->addWidget(paint, 1);
    line->addWidget(clear);
    return {row, paint, clear};
}

QWidget* ParamRow::makeMap() {
    const auto [row, paintButton, clearButton] = makePaintButtons("Opens the brush in the view");
    QPushButton* paint = paintButton;
    QToolButton* clear = clearButton;
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

QWidget* ParamRow::makeStrokes() {
    const auto [row, paintButton, clearButton] = makePaintButtons("Opens the brush on the rendered picture");
    QPushButton* paint = paintButton;
    QToolButton* clear = clearButton;
    const auto show = [this, paint] { paint->setChecked(controller_.selection().masking() == path_); };
    connect(paint, &QPushButton::clicked, this,
            [this](bool on) { controller_.selection().setMasking(on ? path_ : ParamPath()); });
    connect(&controller_.selection(), &Selection::maskingChanged, paint, show);
    connect(clear, &QToolButton::clicked, this, [this] { controller_.setValue(path_, PictureStrokes()); });
    refreshers_.push_back([show, clear](const Param& p) {
        show();
        clear->setEnabled(!std::get<PictureStrokes>(p.value).list.empty());
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
