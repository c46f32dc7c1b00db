#include "app/render/variations_window.h"

#include <QGridLayout>
#include <QHBoxLayout>
#include <QLabel>
#include <QPainter>
#include <QPushButton>
#include <QScrollArea>
#include <QTimer>
#include <QToolButton>
#include <QVBoxLayout>

#include "app/theme/theme.h"
#include "app/widgets/number_box.h"
#include "io/denoiser/denoiser.h"

namespace ovrix::app {

namespace {

constexpr int kWidth = 208, kHeight = 130;  // of a picture
constexpr size_t kOne = 9, kEach = 4;       // pictures over one parameter, and each way over two
constexpr int kPasses = 4, kNoisyPasses = 16;

}  // namespace

VariationsWindow::VariationsWindow(Controller& controller, std::function<std::optional<CameraOptions>()> eye,
                                   QWidget* parent)
    : QDialog(parent),
      controller_(controller),
      eye_(std::move(eye)),
      later_(new QTimer(this)),
      worker_(controller.evaluator(), [this](RenderUpdate u) {
          QMetaObject::invokeMethod(
              this, [this, u = std::move(u)] { onUpdate(u); }, Qt::QueuedConnection);
      }) {
    setObjectName("variations");
    setWindowTitle("Variations");
    worker_.setDenoising(hasDenoiser());
    auto* box = new QVBoxLayout(this);
    box->setContentsMargins(px(14), px(12), px(14), px(12));
    box->setSpacing(px(8));
    numbers_ = new QWidget;
    auto* rows = new QVBoxLayout(numbers_);
    rows->setContentsMargins(0, 0, 0, 0);
    rows->setSpacing(px(4));
    box->addWidget(numbers_);
    auto* scroll = new QScrollArea;
    scroll->setWidgetResizable(true);
    sheet_ = new QWidget;
    grid_ = new QGridLayout(sheet_);
    grid_->setContentsMargins(0, 0, 0, 0);
    grid_->setSpacing(px(6));
    scroll->setWidget(sheet_);
    box->addWidget(scroll, 1);
    auto* foot = new QHBoxLayout;
    state_ = new QLabel;
    state_->setProperty("muted", true);
    refine_ = new QPushButton("Refine");
    refine_->setObjectName("refine");
    refine_->setToolTip("Numbers: closer about the one that was taken. Seeds and colours: others");
    connect(refine_, &QPushButton::clicked, this, &VariationsWindow::refine);
    foot->addWidget(state_, 1);
    foot->addWidget(refine_);
    box->addLayout(foot);
    resize(px(3 * (kWidth + 36) + 44), px(3 * (kHeight + 54) + 120));
    later_->setSingleShot(true);
    later_->setInterval(200);
    connect(later_, &QTimer::timeout, this, &VariationsWindow::begin);
    connect(&controller_, &Controller::sceneChanged, this, &QWidget::hide);
}

void VariationsWindow::makeAxis(const std::vector<ParamPath>& paths, const QString& title) {
    const ParamPath& path = paths.at(0);
    Axis axis{paths, specAt(controller_.document(), path), {}};
    axis.range = usualRange(axis.spec, paramAt(controller_.document(), path).value);
    axis.row = new QWidget;
    auto* line = new QHBoxLayout(axis.row);
    line->setContentsMargins(0, 0, 0, 0);
    auto* name = new QLabel(title.isEmpty() ? QString::fromStdString(axis.spec.title) : title);
    name->setFont(textFont(9.75, true));
    name->setMinimumWidth(px(120));
    line->addWidget(name);
    const bool number =
        (axis.spec.type == ParamType::Number || axis.spec.type == ParamType::Int) && axis.spec.id != "seed";
    if (number) {
        ParamSpec spec = axis.spec;
        spec.type = ParamType::Number;
        const auto end = [&](double value) {
            spec.initial = value;
            auto* box = new NumberBox(spec);
            box->setValue(value);
            box->setFixedWidth(px(92));
            connect(box, &NumberBox::changed, this, [this](double, bool) { later_->start(); });
            line->addWidget(box);
            return box;
        };
        axis.from = end(axis.range.min);
        line->addWidget(new QLabel("to"));
        axis.to = end(axis.range.max);
    }
    line->addStretch();
    numbers_->layout()->addWidget(axis.row);
    axes_.push_back(std::move(axis));
}

void VariationsWindow::startOver() {
    for (Axis& axis : axes_) axis.row->deleteLater();
    axes_.clear();
    for (Cell& cell : cells_) cell.kept = false;
}

void VariationsWindow::vary(const ParamPath& path, bool second) {
    if (!second || axes_.size() != 1 || axes_[0].paths[0] == path) startOver();
    round_ = 0;
    taken_.reset();
    if (!controller_.guarded([&] { makeAxis({path}, {}); })) return;
    show();
    raise();
    begin();
}

void VariationsWindow::varySeeds(const std::string& node) {
    const std::vector<ParamPath> seeds = seedsOf(controller_.document(), node);
    if (seeds.empty()) return controller_.say("Nothing of it goes by chance: there is no seed to vary", true);
    startOver();
    round_ = 0;
    taken_.reset();
    makeAxis(seeds, QString::fromStdString(controller_.document().get(node).name) + ", seeds");
    show();
    raise();
    begin();
}

/// Seeds that go together each become another.
Variation VariationsWindow::valuesOf(const Axis& axis, const Value& value, size_t i) const {
    Variation out;
    for (size_t k = 0; k < axis.paths.size(); ++k) {
        const bool first = i == 0 && round_ == 0;
        const Value own = k == 0  ? value
                          : first ? paramAt(scene_.document, axis.paths[k]).value
                                  : Value(int64_t((std::get<int64_t>(value) + 7919 * int64_t(k)) % 100000));
        out.emplace_back(axis.paths[k], own);
    }
    return out;
}

/// A new sheet, of the scene as it is now.
void VariationsWindow::begin() {
    if (axes_.empty()) return;
    worker_.stop();
    scene_ = controller_.scene();
    for (Cell& cell : cells_) cell.button->deleteLater();
    std::erase_if(cells_, [](const Cell& cell) { return !cell.kept || !cell.done; });
    taken_.reset();
    if (!controller_.guarded([this] { addCells(); })) return hide();  // what was varied is gone
    layOut();
    next_ = 0;
    renderNext();
}

void VariationsWindow::addCells() {
    const size_t each = axes_.size() == 1 ? kOne : kEach;
    std::vector<std::vector<Value>> values;
    for (Axis& axis : axes_) {
        if (axis.from)
            axis.range = {std::min(axis.from->value(), axis.to->value()),
                          std::max(axis.from->value(), axis.to->value())};
        values.push_back(
            variedValues(axis.spec, paramAt(scene_.document, axis.paths[0]).value, axis.range, each, round_));
    }
    const auto text = [&](size_t k, size_t i) {
        return QString::fromStdString(textOfValue(axes_[k].spec, values[k][i]));
    };
    for (size_t i = 0; i < values[0].size(); ++i) {
        const Variation first = valuesOf(axes_[0], values[0][i], i);
        if (axes_.size() == 1) cells_.push_back({first, text(0, i)});
        for (size_t j = 0; axes_.size() > 1 && j < values[1].size(); ++j) {
            Variation both = first;
            for (const auto& more : valuesOf(axes_[1], values[1][j], j)) both.push_back(more);
            cells_.push_back({both, text(0, i) + "  \u00b7  " + text(1, j)});
        }
    }
}

void VariationsWindow::layOut() {
    const size_t columns =
        axes_.size() > 1 ? kEach : size_t(std::ceil(std::sqrt(double(std::min(cells_.size(), kOne)))));
    for (size_t i = 0; i < cells_.size(); ++i) {
        auto* b = new QToolButton;
        b->setObjectName("variation");
        b->setToolButtonStyle(Qt::ToolButtonTextUnderIcon);
        b->setIconSize({px(kWidth), px(kHeight)});
        b->setCheckable(true);
        b->setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Expanding);
        b->setToolTip("Click to take it over; right-click to keep it while others come");
        b->setContextMenuPolicy(Qt::CustomContextMenu);
        connect(b, &QToolButton::clicked, this, [this, i] { take(i); });
        connect(b, &QToolButton::customContextMenuRequested, this, [this, i] { keep(i); });
        cells_[i].button = b;
        grid_->addWidget(b, int(i / columns), int(i % columns));
        showCell(i);
    }
}

void VariationsWindow::showCell(size_t i) {
    Cell& cell = cells_[i];
    QPixmap picture(px(kWidth), px(kHeight));
    picture.fill(tokens().field);
    if (!cell.image.isNull()) picture = QPixmap::fromImage(cell.image);
    if (!cell.problem.isEmpty()) {
        QPainter p(&picture);
        p.setPen(tokens().red);
        p.setFont(textFont(8.5));
        p.drawText(picture.rect().adjusted(px(8), px(8), -px(8), -px(8)), Qt::AlignCenter | Qt::TextWordWrap,
                   cell.problem);
    }
    cell.button->setIcon(QIcon(picture));
    cell.button->setText((cell.kept ? "kept  \u00b7  " : "") + cell.name);
    cell.button->setChecked(taken_ == i);
}

/// Pictures of one size, as the view sees the scene.
void VariationsWindow::renderNext() {
    while (!done() && cells_[next_].done) ++next_;
    if (done()) return state_->setText(QString("%1 variations").arg(cells_.size()));
    state_->setText(QString("%1 of %2").arg(next_ + 1).arg(cells_.size()));
    RenderRequest request{.scene = scene_,
                          .frame = controller_.clock().frame(),
                          .width = px(kWidth),
                          .height = px(kHeight),
                          .camera = eye_(),
                          .draft = !controller_.full(),
                          .region = {},
                          .samples = worker_.denoising() ? kPasses : kNoisyPasses};
    if (!controller_.guarded([&] { request.scene.document = varied(scene_.document, cells_[next_].values); }))
        return hide();
    asked_ = worker_.start(std::move(request));
}

void VariationsWindow::onUpdate(const RenderUpdate& u) {
    if (done() || !isVisible() || u.request != asked_) return;  // of a sheet that is gone
    if (!u.image.isNull() && (u.pass > 0 || cells_[next_].image.isNull())) cells_[next_].image = u.image;
    if (u.failed) cells_[next_].problem = u.state;
    showCell(next_);
    if (!u.done) return;
    cells_[next_].done = true;
    renderNext();
}

/// As one step of undo.
void VariationsWindow::take(size_t i) {
    taken_ = i;
    const Variation values = cells_[i].values;
    controller_.edit("Take variation", [&](const Document& d) { return varied(d, values); });
    for (size_t k = 0; k < cells_.size(); ++k) cells_[k].button->setChecked(k == i);
}

void VariationsWindow::keep(size_t i) {
    cells_[i].kept = !cells_[i].kept;
    showCell(i);
}

void VariationsWindow::refine() {
    ++round_;
    const bool there = controller_.guarded([this] {
        for (Axis& axis : axes_) {
            if (!axis.from) continue;
            const Value now = paramAt(controller_.document(), axis.paths[0]).value;
            axis.range = rangeAround(axis.range, component(now, 0));
            axis.from->setValue(axis.range.min), axis.to->setValue(axis.range.max);
        }
    });
    if (!there) return hide();  // what was varied is gone
    taken_.reset();
    begin();
}

/// Nothing is rendered that nobody sees.
void VariationsWindow::hideEvent(QHideEvent*) {
    worker_.stop();
    later_->stop();
}

}  // namespace ovrix::app
