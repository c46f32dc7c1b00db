#include "app/recipe/cloud_readout.h"

#include <QLabel>
#include <QPainter>
#include <QPushButton>
#include <QVBoxLayout>

#include "app/theme/theme.h"
#include "document/materials/cloud_material.h"
#include "eval/checks/cloud_checks.h"

namespace ovrix::app {

namespace {

constexpr double kLeast = 0.01, kMost = 1000.0;  // of the scale

struct Zone {
    const char* name;
    double from, to;
};
constexpr Zone kZones[] = {
    {"unseen", kLeast, 0.05}, {"veil", 0.05, 1.0}, {"body", 1.0, 15.0}, {"wall", 15.0, kMost}};

}  // namespace

DepthScale::DepthScale(QWidget* parent) : QWidget(parent) {
    setFixedHeight(px(30));
    setToolTip(
        "Optical depth: what is seen through it is so many times thinned. 1 leaves a third, 3 a twentieth");
}

void DepthScale::setDepth(double depth) {
    if (depth == depth_) return;
    depth_ = depth;
    update();
}

double DepthScale::at(double depth) const {
    const double part = std::log(std::clamp(depth, kLeast, kMost) / kLeast) / std::log(kMost / kLeast);
    return px(1) + part * (width() - px(2));
}

void DepthScale::paintEvent(QPaintEvent*) {
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    const Tokens& t = tokens();
    const double top = px(5), high = px(6);
    p.setFont(textFont(8.0));
    for (const Zone& zone : kZones) {
        const bool within = depth_ > 0.0 && depth_ >= zone.from && (depth_ < zone.to || zone.to == kMost);
        const QRectF part(at(zone.from) + px(1), top, at(zone.to) - at(zone.from) - px(2), high);
        p.setPen(Qt::NoPen);
        p.setBrush(within ? t.seaGlass : t.line);
        p.drawRoundedRect(part, px(2), px(2));
        p.setPen(within ? t.text : t.muted);
        p.drawText(QRectF(part.left(), part.bottom() + px(2), part.width(), px(15)), Qt::AlignCenter,
                   zone.name);
    }
    if (!(depth_ > 0.0)) return;
    p.setPen(QPen(t.text, px(2)));
    p.drawLine(QPointF(at(depth_), px(1)), QPointF(at(depth_), top + high + px(3)));
}

CloudReadout::CloudReadout(Controller& controller, QWidget* parent)
    : QWidget(parent), controller_(controller) {
    auto* box = new QVBoxLayout(this);
    box->setContentsMargins(0, px(2), 0, px(4));
    box->setSpacing(px(2));
    auto* line = new QHBoxLayout;
    text_ = new QLabel;
    text_->setObjectName("cloudDepth");
    text_->setFont(textFont(9.0));
    text_->setWordWrap(true);
    fit_ = new QPushButton("Fit density");
    fit_->setObjectName("fitDensity");
    fit_->setProperty("link", true);
    fit_->setToolTip("So dense that a twentieth of what lies behind is seen through it");
    line->addWidget(text_, 1);
    line->addWidget(fit_);
    box->addLayout(line);
    scale_ = new DepthScale;
    box->addWidget(scale_);
    connect(fit_, &QPushButton::clicked, this, [this] { fit(); });
    connect(&controller_, &Controller::checksChanged, this, &CloudReadout::refresh);
    connect(&controller_, &Controller::resultsChanged, this, &CloudReadout::refresh);
}

void CloudReadout::follow(const std::string& material) {
    material_ = material;
    refresh();
}

/// Of the layer of most points that wears it.
void CloudReadout::refresh() {
    const CloudSummary* most = nullptr;
    const std::vector<Check> checks = controller_.checks();
    for (const Check& c : checks)
        if (c.cloud && c.cloud->material == material_ && (!most || c.cloud->points > most->points))
            most = c.cloud.get();
    setVisible(most && !material_.empty());
    if (!most) return;
    thickness_ = most->thickness;
    const Node* layer = controller_.document().find(most->layer);
    text_->setText(
        QString("%1 deep through %2 cm of %3, %4 points")
            .arg(most->depth, 0, 'g', 2)
            .arg(most->thickness * 100.0, 0, 'g', 3)
            .arg(QString::fromStdString(layer ? layer->name : most->layer), shortCount(most->points)));
    scale_->setDepth(most->depth);
    fit_->setEnabled(thickness_ > 0.0);
}

void CloudReadout::fit() {
    controller_.edit("Fit density", [this](const Document& d) {
        return d.find(material_)
                   ? withCloudDensity(d, material_, kFittingDepth / thickness_, controller_.clock().frame())
                   : d;
    });
}

}  // namespace ovrix::app
