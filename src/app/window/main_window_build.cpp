// What the window is made of, from the toolbar to the status line.
#include <QFrame>
#include <QLabel>
#include <QPushButton>
#include <QSplitter>
#include <QToolButton>
#include <QVBoxLayout>

#include "app/outline/outline.h"
#include "app/queue/queue_panel.h"
#include "app/recipe/recipe_panel.h"
#include "app/render/render_pane.h"
#include "app/render/variations_window.h"
#include "app/theme/theme.h"
#include "app/time/key_curves.h"
#include "app/time/time_strip.h"
#include "app/view/view_widget.h"
#include "app/window/main_window.h"

namespace ovrix::app {

/// The outline, the view with the picture beside it, and the recipe.
QWidget* MainWindow::makeColumns() {
    auto* columns = new QSplitter(Qt::Horizontal);
    columns->setHandleWidth(1);
    outline_ = new Outline(controller_);
    outline_->setContentsMargins(px(8), px(6), 0, 0);
    outline_->setMinimumWidth(px(160));
    columns->addWidget(outline_);
    middle_ = new QSplitter(Qt::Horizontal);
    middle_->setHandleWidth(1);
    const QString missing = missingOpenGl();
    if (missing.isEmpty()) {
        view_ = new ViewWidget(controller_);
        middle_->addWidget(view_);
    } else {
        auto* text = new QLabel(missing);
        text->setObjectName("noOpenGl");
        text->setAlignment(Qt::AlignCenter);
        text->setWordWrap(true);
        text->setMinimumWidth(px(200));
        middle_->addWidget(text);
    }
    render_ = new RenderPane(controller_, view_);
    middle_->addWidget(render_);
    middle_->setStretchFactor(0, 3);
    middle_->setStretchFactor(1, 2);
    middle_->setCollapsible(0, false);
    middle_->setCollapsible(1, false);
    render_->hide();
    columns->addWidget(middle_);
    recipe_ = new RecipePanel(controller_);
    recipe_->setMinimumWidth(px(280));
    columns->addWidget(recipe_);
    columns->setStretchFactor(0, 0);
    columns->setStretchFactor(1, 1);
    columns->setStretchFactor(2, 0);
    columns->setSizes({px(232), 1280 - px(232) - px(328), px(328)});
    columns->setCollapsible(1, false);
    return columns;
}

/// Everything in the window. Called again when the theme or the scale changes: sizes and icons are made for
/// them.
void MainWindow::buildInterface() {
    auto* whole = new QWidget;
    auto* rows = new QVBoxLayout(whole);
    rows->setContentsMargins(0, 0, 0, 0);
    rows->setSpacing(0);
    makeToolbar();
    makeStatus();
    rows->addWidget(bar_);
    const auto line = [&] {
        auto* l = new QFrame;
        l->setFixedHeight(1);
        l->setStyleSheet("background:" + tokens().line.name());
        return l;
    };
    rows->addWidget(line());
    auto* upper = new QSplitter(Qt::Vertical);
    upper->setHandleWidth(1);
    upper->addWidget(makeColumns());
    curves_ = new KeyCurves(controller_);
    curves_->hide();
    upper->addWidget(curves_);
    variations_ = new VariationsWindow(
        controller_,
        [this]() -> std::optional<CameraOptions> {
            if (!view_ || view_->throughCamera()) return std::nullopt;
            return view_->camera().options();
        },
        whole);
    connect(&controller_, &Controller::variationsWanted, variations_,
            [this](const ParamPath& path, bool second) {
                path.param.empty() ? variations_->varySeeds(path.node) : variations_->vary(path, second);
            });
    queue_ = new QueuePanel(controller_);
    queue_->hide();
    upper->addWidget(queue_);
    upper->setStretchFactor(0, 1);
    upper->setStretchFactor(1, 0);
    upper->setCollapsible(0, false);
    upper->setCollapsible(1, false);
    upper->setSizes({px(520), px(210), px(190)});
    rows->addWidget(upper, 1);
    rows->addWidget(line());
    strip_ = new TimeStrip(controller_);
    connect(strip_, &TimeStrip::curvesToggled, this, [this](bool on) { curves_->setVisible(on); });
    connect(strip_, &TimeStrip::queueToggled, queue_, &QWidget::setVisible);
    connect(queue_, &QueuePanel::playWanted, this, [this](const auto& files) {
        showRender(true);
        render_->play(files);
    });
    rows->addWidget(strip_);
    rows->addWidget(line());
    rows->addWidget(status_);
    setCentralWidget(whole);
    connect(&controller_.selection(), &Selection::maskingChanged, this, [this] {
        if (!controller_.selection().masking().node.empty()) showRender(true);
    });
    connect(render_, &RenderPane::liveChanged, this,
            [this](bool live) { renderButton_->setText(live ? "Stop" : "Render"); });
    refreshTitle();
    refreshStatus();
    refreshMode();
}

}  // namespace ovrix::app
