#include "app/render/render_pane.h"

#include <QComboBox>
#include <QFileDialog>
#include <QHBoxLayout>
#include <QKeyEvent>
#include <QLabel>
#include <QMenu>
#include <QMouseEvent>
#include <QPainter>
#include <QSettings>
#include <QTimer>
#include <QToolButton>
#include <QVBoxLayout>

#include "app/render/history_window.h"
#include "app/render/mask_brush.h"
#include "app/render/scope.h"
#include "app/render/sequence_player.h"
#include "app/theme/theme.h"
#include "app/view/view_widget.h"
#include "app/widgets/menu_button.h"
#include "base/error.h"
#include "deliver/pictures/render_file.h"
#include "io/denoiser/denoiser.h"

namespace ovrix::app {

namespace {

QToolButton* barButton(const char* name, const QString& tip, bool checkable) {
    auto* b = new QToolButton;
    b->setProperty("flat", true);
    b->setIcon(icon(name));
    b->setIconSize({px(16), px(16)});
    b->setFixedSize(px(26), px(26));
    b->setToolTip(tip);
    b->setCheckable(checkable);
    b->setObjectName(name);
    return b;
}

QString clockText(double seconds) {
    return QString("%1:%2").arg(int(seconds) / 60).arg(int(seconds) % 60, 2, 10, QChar('0'));
}

}  // namespace

RenderPane::RenderPane(Controller& controller, ViewWidget* view, QWidget* parent)
    : QWidget(parent),
      controller_(controller),
      view_(view),
      later_(new QTimer(this)),
      worker_(controller.evaluator(), [this](RenderUpdate u) {
          QMetaObject::invokeMethod(
              this, [this, u = std::move(u)] { onUpdate(u); }, Qt::QueuedConnection);
      }) {
    setObjectName("dock");
    auto* box = new QVBoxLayout(this);
    box->setContentsMargins(0, 0, 0, 0);
    box->setSpacing(0);
    box->addWidget(makeHead());
    picture_ = new PictureArea;
    box->addWidget(picture_, 1);
    new MaskBrush(controller, picture_);
    box->addWidget(player_ = new SequencePlayer(controller));
    scope_ = new Scope;
    box->addWidget(scope_);
    box->addWidget(makeBar());
    auto* picking = new QHBoxLayout;  // what a click picks, and how the picture is looked at
    picking->setContentsMargins(px(8), 0, px(6), px(2));
    picking->setSpacing(px(4));
    for (QWidget* w : {regionButton_, focusButton_, whiteButton_}) picking->addWidget(w);
    picking->addStretch();
    picking->addWidget(makeLook());
    picking->addWidget(makeZoom());
    box->addLayout(picking);
    auto* pins = new QWidget;
    pins_ = new QHBoxLayout(pins);
    pins_->setContentsMargins(px(8), 0, px(8), px(4));
    pins_->setSpacing(px(6));
    pins_->addStretch();
    box->addWidget(pins);
    probe_ = new QLabel(" ");
    probe_->setFont(figureFont(8.25));
    probe_->setProperty("muted", true);
    probe_->setContentsMargins(px(10), 0, px(6), px(5));
    probe_->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Preferred);
    box->addWidget(probe_);
    followScene();
    followControls();
    followPlayer();
    beginDenoising();
    worker_.show({}, heatTable());
}

void RenderPane::beginDenoising() {
    connect(denoise_, &QToolButton::toggled, this, [this](bool on) { worker_.setDenoising(on); });
    connect(denoise_, &QToolButton::clicked, this, [](bool on) { QSettings().setValue("denoise", on); });
    if (hasDenoiser()) return denoise_->setChecked(QSettings().value("denoise", true).toBool());
    denoise_->setEnabled(false);
    denoise_->setToolTip("Denoising takes weights that are not here: ./dev denoiser fetches them");
}

/// What is rendered, how far it is, and the switch.
QWidget* RenderPane::makeHead() {
    auto* head = new QWidget;
    head->setFixedHeight(px(36));
    auto* line = new QHBoxLayout(head);
    line->setContentsMargins(px(10), 0, px(6), 0);
    line->setSpacing(px(2));
    title_ = new QLabel("Render");
    title_->setFont(textFont(9.75, true));
    state_ = new QLabel;
    state_->setFont(figureFont(8.5));
    state_->setProperty("muted", true);
    state_->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Preferred);
    state_->setAlignment(Qt::AlignRight | Qt::AlignVCenter);
    shown_ = new QComboBox;
    shown_->setObjectName("shown");
    shown_->addItem("Picture");
    shown_->setToolTip("What is shown of the render: the picture, the light of one group, or another pass");
    shown_->setFixedWidth(px(124));
    shown_->hide();
    line->addWidget(title_);
    line->addWidget(shown_);
    line->addSpacing(px(6));
    line->addWidget(state_, 1);
    play_ = barButton("play", "Render on every change, or stop (Space)", true);
    line->addWidget(play_);
    return head;
}

/// How it is looked at: brighter, with more of the dark, or by stops; what is saved stays as it is.
QWidget* RenderPane::makeLook() {
    auto* button =
        menuButton("look", "Looks at the picture brighter or by stops; what is saved stays as it is");
    button->setFont(figureFont(8.25));
    button->setText("As it is");
    QMenu* menu = button->menu();
    const auto show = [this, button] {
        worker_.lookAs(look_);
        picture_->setLegend(look_.stops);
        QStringList parts;
        if (look_.exposure != 0)
            parts << QString("%1%2 EV").arg(look_.exposure > 0 ? "+" : "").arg(double(look_.exposure));
        if (look_.gamma != 1) parts << QString("gamma %1").arg(double(look_.gamma));
        if (look_.stops) parts << "stops";
        button->setText(parts.isEmpty() ? "As it is" : parts.join(", "));
    };
    const auto add = [&](const QString& text, PictureLook look) {
        menu->addAction(text, this, [this, show, look] {
            look_ = look;
            show();
        });
    };
    add("As it is", {});
    menu->addSeparator();
    for (const int ev : {-4, -2, 2, 4, 8})
        add(QString("%1%2 EV").arg(ev > 0 ? "+" : "").arg(ev), {float(ev), 1, false});
    menu->addSeparator();
    for (const double gamma : {1.5, 2.2}) add(QString("Gamma %1").arg(gamma), {0, float(gamma), false});
    menu->addSeparator();
    add("Stops from grey, by colours", {0, 1, true});
    menu->addSeparator();
    for (const auto& [text, kind] :
         {std::pair("No scope", Scope::Kind::None), std::pair("Histogram", Scope::Kind::Histogram),
          std::pair("Waveform", Scope::Kind::Waveform)})
        menu->addAction(text, this, [this, kind = kind] { scope_->setKind(kind); });
    return button;
}

/// How large the picture is shown; the wheel changes it, too.
QWidget* RenderPane::makeZoom() {
    auto* button = menuButton(
        "zoom", "Size of the picture: the wheel zooms about the pointer, the middle button moves it");
    button->setFont(figureFont(8.25));
    button->setText("Fit");
    for (const int percent : {0, 50, 100, 200, 400, 800})
        button->menu()->addAction(percent ? QString("%1%").arg(percent) : "Fit", this,
                                  [this, percent] { picture_->setZoom(percent / 100.0); });
    connect(picture_, &PictureArea::zoomChanged, button, [button](double zoom) {
        button->setText(zoom > 0 ? QString("%1%").arg(std::lround(zoom * 100)) : "Fit");
    });
    return button;
}

QWidget* RenderPane::makeBar() {
    auto* bar = new QWidget;
    auto* tools = new QHBoxLayout(bar);
    tools->setContentsMargins(px(8), px(4), px(6), px(4));
    tools->setSpacing(px(4));
    camera_ = new QComboBox;
    camera_->addItems({"View", "Camera"});
    camera_->setToolTip("What the render looks through: as the view, or the scene's camera");
    size_ = new QComboBox;
    size_->addItems({"Fit", "Half", "Full"});
    size_->setToolTip("Pixels to render: as many as the pane has, or the size in the render settings");
    draft_ =
        barButton("layer", "Draft: only the share of each layer that the view shows; off renders all", true);
    denoise_ = barButton("denoise", "Denoise: takes the grain of few passes out of what is shown", true);
    regionButton_ = barButton("region", "Region: drag over the picture to render only that", true);
    focusButton_ = barButton(
        "focus",
        "Focus: click in the picture on what shall be sharp; with Shift it stays so, wherever that goes",
        true);
    whiteButton_ = barButton(
        "white",
        "White: click in the picture on what shall be a neutral grey; it sets the finish's white balance",
        true);
    auto* historyButton = barButton("history", "Pictures of before, with their notes and scenes", false);
    history_ = new HistoryWindow(controller_, this);
    connect(historyButton, &QToolButton::clicked, history_, [this] {
        history_->show();
        history_->raise();
    });
    connect(history_, &HistoryWindow::compareWanted, this, &RenderPane::pinImage);
    auto* pinButton = barButton("pin", "Pin this picture to compare with", false);
    auto* saveButton =
        barButton("save", "Save the picture: EXR with all passes, TIFF or PNG as it is shown", false);
    connect(pinButton, &QToolButton::clicked, this, &RenderPane::pin);
    connect(saveButton, &QToolButton::clicked, this, &RenderPane::chooseFileAndSave);
    for (QComboBox* b : {camera_, size_})
        b->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Fixed), tools->addWidget(b, 1);
    for (QWidget* w : {draft_, denoise_, pinButton, historyButton, saveButton}) tools->addWidget(w);
    return bar;
}

void RenderPane::restartSoon() {
    if (live_) later_->start();
}

void RenderPane::followScene() {
    later_->setSingleShot(true);
    later_->setInterval(25);  // several signals of one change make one restart
    connect(later_, &QTimer::timeout, this, &RenderPane::restart);
    connect(&controller_, &Controller::documentChanged, this, [this](const DocumentChanges& changes) {
        if (changes.none()) return;
        const Node* finish = controller_.document().settings("finish");
        // What happens to the picture after needs no other one.
        if (finish && !changes.list && changes.nodes == std::set<std::string>{finish->id})
            return worker_.finishAs(controller_.scene());
        restartSoon();
    });
    connect(&controller_, &Controller::fileChanged, this, &RenderPane::restartSoon);
    // While it plays the picture waits: it is of the frame at which playing ends.
    for (auto signal : {&PlayClock::frameChanged, &PlayClock::playingChanged})
        connect(&controller_.clock(), signal, this, [this] {
            if (!controller_.clock().playing()) restartSoon();
        });
    if (view_)
        connect(view_, &ViewWidget::cameraChanged, this, [this] {
            if (camera_->currentIndex() == 0) restartSoon();
        });
}

void RenderPane::followControls() {
    connect(picture_, &PictureArea::resized, this, [this] {
        if (size_->currentIndex() == 0) restartSoon();
    });
    for (QComboBox* b : {camera_, size_})
        connect(b, &QComboBox::currentIndexChanged, this, &RenderPane::restartSoon);
    connect(shown_, &QComboBox::currentIndexChanged, this, &RenderPane::showChosen);
    connect(draft_, &QToolButton::toggled, this, &RenderPane::restartSoon);
    connect(play_, &QToolButton::clicked, this, [this](bool on) { setLive(on); });
    connect(picture_, &PictureArea::probed, this, &RenderPane::probe);
    connect(regionButton_, &QToolButton::toggled, this, [this](bool on) {
        if (on) focusButton_->setChecked(false), whiteButton_->setChecked(false);
        picture_->setRegionMode(on);
        if (on) return;
        region_.reset();
        picture_->setRegion(region_);
        restartSoon();
    });
    using Pick = PictureArea::Pick;
    for (const auto& [button, other, pick] : {std::tuple(focusButton_, whiteButton_, Pick::Focus),
                                              std::tuple(whiteButton_, focusButton_, Pick::White)})
        connect(button, &QToolButton::toggled, this, [this, other = other, pick = pick](bool on) {
            if (on) regionButton_->setChecked(false), other->setChecked(false);
            if (on) controller_.selection().setMasking({});
            if (on || !other->isChecked()) picture_->setPick(on ? pick : Pick::Nothing);
        });
    connect(&controller_.selection(), &Selection::maskingChanged, this, [this] {
        const bool on = !controller_.selection().masking().node.empty();
        if (on) focusButton_->setChecked(false), whiteButton_->setChecked(false);
        if (!focusButton_->isChecked() && !whiteButton_->isChecked())
            picture_->setPick(on ? Pick::Brush : Pick::Nothing);
    });
    connect(picture_, &PictureArea::whitePicked, this, &RenderPane::whiteAt);
    connect(picture_, &PictureArea::focusPicked, this, &RenderPane::focusAt);
    connect(picture_, &PictureArea::regionDragged, this, [this](const Rect& r) {
        region_ = r;
        regionSize_ = renderSize();
        picture_->setRegion(region_);
        setLive(true);
        restart();
    });
}

void RenderPane::setLive(bool live) {
    live_ = live;
    play_->setChecked(live);
    play_->setIcon(icon(live ? "stop" : "play"));
    if (live)
        restart();
    else
        worker_.stop();
    Q_EMIT liveChanged(live);
}

QSize RenderPane::renderSize() const {
    const Document& d = controller_.document();
    const QSize full(int(d.renderSetting(kRender.width)), int(d.renderSetting(kRender.height)));
    if (size_->currentIndex() == 2) return full;
    if (size_->currentIndex() == 1) return (full / 2).expandedTo({1, 1});
    const QSize available = picture_->size() * picture_->devicePixelRatio();
    // As the view: its own shape, unless it looks through the camera and so shows the camera's picture.
    const QSize shape =
        view_ && camera_->currentIndex() == 0 && !view_->throughCamera() ? view_->size() : full;
    return shape.scaled(available, Qt::KeepAspectRatio).expandedTo({1, 1});
}

void RenderPane::restart() {
    if (!live_) return;
    const QSize size = renderSize();
    if (region_ && size != regionSize_) {
        const double s = double(size.width()) / std::max(1, regionSize_.width());
        Rect r{int(region_->x * s), int(region_->y * s), int(region_->width * s), int(region_->height * s)};
        r.width = std::clamp(r.width, 1, size.width() - std::min(r.x, size.width() - 1));
        r.height = std::clamp(r.height, 1, size.height() - std::min(r.y, size.height() - 1));
        region_ = r;
        regionSize_ = size;
        picture_->setRegion(region_);
    }
    RenderRequest request{.scene = controller_.scene(),
                          .frame = controller_.clock().frame(),
                          .width = size.width(),
                          .height = size.height(),
                          .camera = std::nullopt,
                          .draft = draft_->isChecked(),
                          .region = region_};
    if (view_ && camera_->currentIndex() == 0 && !view_->throughCamera())
        request.camera = view_->camera().options();
    worker_.start(std::move(request));
}

void RenderPane::stop() { setLive(false); }

void RenderPane::showChosen() { worker_.show(shown_->currentData().toString().toStdString(), heatTable()); }

static void addView(QComboBox& box, const FilmViewEntry& entry) {
    box.addItem(QString::fromStdString(entry.title), QString::fromStdString(entry.id));
    box.setItemData(box.count() - 1, QString::fromStdString(entry.help), Qt::ToolTipRole);
}

/// What the film has to be looked at; what was chosen stays so where it is there.
void RenderPane::listViews(const FilmLayout& layout) {
    if (shown_->count() > 1 && layout == layout_) return;
    const QString chosen = shown_->currentData().toString();
    layout_ = layout;
    {
        const QSignalBlocker quiet(shown_);
        shown_->clear();
        shown_->addItem("Picture", QString());
        for (const FilmViewEntry& entry :
             filmViews(layout, [&](size_t group) { return groupTitle(layout.groups, group); }))
            addView(*shown_, entry);
        shown_->setCurrentIndex(std::max(0, shown_->findData(chosen)));
    }
    showChosen();
    shown_->show();
    title_->hide();  // there is room for one
}

void RenderPane::onUpdate(const RenderUpdate& u) {
    last_ = u;
    if (!u.image.isNull()) pictured_ = u;
    if (!u.image.isNull()) listViews(u.layout);
    if (!u.image.isNull() && !player_->isOpen())
        picture_->setImage(u.image, u.window, u.film), scope_->setImage(u.image);
    if (!u.image.isNull()) controller_.setFinishReports(u.finish);
    QString text;
    if (u.failed)
        text = "failed";
    else if (u.image.isNull())
        text = u.state;
    else if (u.pass == 0)
        text = QString("%1 of %2").arg(u.state).arg(u.passes);
    else if (u.done)
        text = QString("%1 passes \u00b7 %2").arg(u.pass).arg(clockText(u.seconds));
    else
        text = QString("%1 of %2 \u00b7 %3 to go")
                   .arg(u.pass)
                   .arg(u.passes)
                   .arg(clockText(u.seconds / u.pass * (u.passes - u.pass)));
    state_->setText(text);
    const double bytes = u.layout.bytesOfPixel() * u.image.width() * u.image.height();
    state_->setToolTip(u.failed           ? u.state
                       : u.image.isNull() ? QString()
                                          : QString("%1 x %2 pixels; the film takes %3")
                                                .arg(u.image.width())
                                                .arg(u.image.height())
                                                .arg(QString::fromStdString(byteText(bytes))));
    if (u.failed) controller_.say(u.state, true);
    if (u.done && !u.failed && u.pass > 0 && !u.image.isNull() && live_ && !again_) keepPicture();
    again_ = u.done;
    if (!u.note.isEmpty()) {
        controller_.say(u.note, true);
        denoise_->setChecked(worker_.denoising());
    }
    if (u.done && !u.failed) noteCut(u.cut);
    for (const std::string& problem : u.problems)
        if (u.pass == 1) controller_.say("Left out of the render: " + QString::fromStdString(problem), true);
}

}  // namespace ovrix::app
