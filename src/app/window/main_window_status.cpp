// What the window says: its title, the line of figures, Draft and Full.
#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QStyle>
#include <QTimer>
#include <QToolButton>

#include "app/theme/theme.h"
#include "app/window/main_window.h"

namespace ovrix::app {

namespace {

QLabel* statusLabel(bool figures = true) {
    auto* l = new QLabel;
    if (figures) l->setFont(figureFont(8.75));
    l->setProperty("muted", true);
    return l;
}

}  // namespace

void MainWindow::makeStatus() {
    status_ = new QWidget;
    status_->setObjectName("status");
    status_->setFixedHeight(px(27));
    auto* line = new QHBoxLayout(status_);
    line->setContentsMargins(px(14), 0, px(6), 0);
    line->setSpacing(px(20));
    shown_ = statusLabel();
    memory_ = statusLabel();
    time_ = statusLabel();
    message_ = statusLabel(false);
    message_->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Preferred);
    message_->setTextFormat(Qt::PlainText);
    working_ = statusLabel(false);
    cancel_ = new QPushButton("Cancel");
    connect(cancel_, &QPushButton::clicked, this, [this] {
        controller_.jobs().cancel();
        controller_.say("Cancelled; the view shows what was there before");
    });
    working_->hide();
    cancel_->hide();
    checks_ = new QPushButton;
    checks_->setObjectName("checksButton");
    checks_->setProperty("link", true);
    connect(checks_, &QPushButton::clicked, this, [this] {
        auto* popup = new ChecksPopup(controller_, this);
        popup->move(status_->mapToGlobal(
            QPoint(status_->width() - popup->width() - px(8), -popup->height() - px(4))));
        popup->show();
    });
    for (QLabel* l : {shown_, memory_, time_}) line->addWidget(l);
    line->addWidget(message_, 1);
    line->addWidget(working_);
    line->addWidget(cancel_);
    line->addWidget(checks_);
}

void MainWindow::showMessage(const QString& text, bool bad) {
    message_->setText(text);
    message_->setToolTip(text);
    message_->setStyleSheet("color:" + (bad ? tokens().red : tokens().text).name());
    messageTimer_->start(bad ? 20000 : 5000);
}

QString MainWindow::statusText() const { return message_->text(); }

void MainWindow::refreshTitle() {
    const auto& path = controller_.session().path();
    const QString name =
        path.empty() ? "Untitled" : QString::fromStdString(path.stem().string()).replace('_', ' ');
    title_->setText(name.left(1).toUpper() + name.mid(1));
    edited_->setText(controller_.session().dirty() ? "edited" : "");
    setWindowTitle(title_->text() + (controller_.session().dirty() ? " (edited)" : "") + " - Ovrix");
    undo_->setEnabled(controller_.session().canUndo());
    redo_->setEnabled(controller_.session().canRedo());
    undo_->setToolTip("Undo " + QString::fromStdString(controller_.session().undoLabel()));
    redo_->setToolTip("Redo " + QString::fromStdString(controller_.session().redoLabel()));
}

void MainWindow::refreshStatus() {
    const EvalSnapshot& r = controller_.results();
    shown_->setText(QString("%1 of %2 shown").arg(shortCount(double(r.shown)), shortCount(r.total)));
    const double limit = controller_.document().sceneSetting(kScene.memory);
    memory_->setText(QString("%1 of %2 GB").arg(double(r.bytes) / 1e9, 0, 'f', 2).arg(limit, 0, 'g', 3));
    time_->setText(QString("last change %1 ms").arg(r.milliseconds, 0, 'f', 0));
    size_t serious = 0;
    const Check* first = nullptr;
    const std::vector<Check> checks = controller_.checks();
    for (const Check& c : checks)
        if (c.severity != Severity::Note) {
            ++serious;
            if (!first) first = &c;
        }
    QString text = checks.empty()
                       ? "Checks: all well"
                       : QString("%1 note%2").arg(checks.size()).arg(checks.size() == 1 ? "" : "s");
    if (serious)
        text = QString("%1 check%2: %3")
                   .arg(serious)
                   .arg(serious == 1 ? "" : "s")
                   .arg(QString::fromStdString(first->text));
    checks_->setText(fontMetrics().elidedText(text, Qt::ElideRight, px(420)));
    if (const bool bad = serious > 0; checks_->property("bad") != bad) {
        checks_->setProperty("bad", bad);
        checks_->style()->unpolish(checks_);
        checks_->style()->polish(checks_);
    }
    refreshMode();
}

void MainWindow::refreshMode() {
    const EvalSnapshot& r = controller_.results();
    const Document& d = controller_.document();
    const double share = d.sceneSetting(kScene.draft);
    draft_->setText(QString("Draft %1%").arg(share * 100, 0, 'g', 3));
    full_->setText("Full " + shortCount(r.total));
    full_->setToolTip("Shows everything: " + fullCost());
    draft_->setChecked(!controller_.full());
    full_->setChecked(controller_.full());
}

double MainWindow::fullBytes() const {
    double bytes = 0;
    for (const auto& [id, layer] : controller_.results().layers)
        bytes += double(bytesOf(layer.geometry)) / layer.share;
    return bytes;
}

QString MainWindow::fullCost() const {
    return QString("%1 elements, about %2")
        .arg(shortCount(controller_.results().total), QString::fromStdString(byteText(fullBytes())));
}

/// Full shows everything, so the memory it takes is said first where it is much.
void MainWindow::askFull() {
    refreshMode();
    if (controller_.full()) return;
    const QString cost = fullCost();
    if (fullBytes() > 1e9 && !unattended_ &&
        ask(this, "Show in Full", "Full will show " + cost + ".", {"Show it", "Stay in Draft"}) != 0)
        return;
    controller_.setFull(true);
    controller_.say("Full: " + cost);
    refreshMode();
}

}  // namespace ovrix::app
