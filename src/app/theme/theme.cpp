#include "app/theme/theme.h"

#include <QApplication>
#include <QFontDatabase>
#include <QPainter>
#include <QPalette>
#include <QRegularExpression>
#include <QSvgRenderer>

#include "app/theme/icons.h"
#include "app/theme/style.h"

namespace ovrix::app {

namespace {

Tokens darkTokens() {
    return {
        "#12181B", "#1A2226", "#232D32", "#33414A", "#DCE6E4",
        "#8DA09F", "#5CCFB4", "#D8B878", "#78AEEA", "#E48BAE",
        "#B59BF2", "#E6B450", "#EE6E68", "#141B1E", {"#1B2B4A", "#235E7D", "#3F9F95", "#A5C68F", "#EFE6B8"}};
}

Tokens lightTokens() {
    return {
        "#E9EEEC", "#F5F8F7", "#FFFFFF", "#C6D1CF", "#17211F",
        "#566765", "#0F7A63", "#86641A", "#2563A8", "#A93C6A",
        "#6A4BC0", "#8A5F00", "#B3312B", "#E6ECEA", {"#1B2B4A", "#235E7D", "#3F9F95", "#A5C68F", "#EFE6B8"}};
}

Tokens current = darkTokens();
double currentScale = 1.0;

QString hex(const QColor& c) { return c.name(); }

/// Colours and sizes are put in: @panel, 4px.
const char* const kStyle = R"(
* { outline: 0; }
QMainWindow, QDialog { background: @panel; }
QWidget { color: @text; selection-background-color: @accent; selection-color: @ink; }
QToolTip { background: @raised; color: @text; border: 1px solid @line; padding: 6px; }
QLabel[muted="true"] { color: @muted; }
QLabel[title="true"] { font-weight: 600; }
QPushButton, QToolButton { background: @raised; border: 1px solid transparent; border-radius: 4px; padding: 3px 10px; min-height: 18px; }
QPushButton:hover, QToolButton:hover { border-color: @line; }
QPushButton:pressed, QToolButton:pressed { background: @line; }
QPushButton:focus, QToolButton:focus { border: 1px solid @accent; }
QPushButton:checked, QToolButton:checked { background: @accentDim; color: @accent; }
QPushButton:disabled, QToolButton:disabled { color: @muted; }
QPushButton[primary="true"] { background: @accentDim; color: @accent; font-weight: 600; }
QPushButton[link="true"] { background: transparent; color: @muted; text-align: left; padding: 3px 2px; }
QPushButton[link="true"]:hover { color: @text; border-color: transparent; }
QPushButton[link="true"]:focus { color: @accent; border: 1px solid @accent; }
QPushButton[chip="true"] { padding: 2px 8px; color: @muted; }
QPushButton[chip="true"]:hover { color: @text; }
QToolButton[flat="true"] { background: transparent; padding: 2px; min-height: 0; }
QToolButton::menu-indicator, QPushButton::menu-indicator { image: none; width: 0; }
QLineEdit, QPlainTextEdit { background: @field; border: 1px solid transparent; border-radius: 4px; padding: 3px 6px; }
QLineEdit:focus { border-color: @accent; }
#fieldStack QLineEdit { border-color: @line; }
#fieldStack QLineEdit:focus { border-color: @accent; }
QComboBox QAbstractItemView { background: @raised; border: 1px solid @line; }
QCheckBox { spacing: 8px; }
QCheckBox:focus { color: @accent; }
QMenu { background: @raised; border: 1px solid @line; padding: 4px; }
QMenu::item { padding: 5px 22px 5px 12px; border-radius: 3px; }
QMenu::item:selected { background: @accentDim; color: @text; }
QMenu::item:disabled { color: @muted; }
QMenu::separator { height: 1px; background: @line; margin: 4px 8px; }
QScrollArea { border: 0; background: transparent; }
QScrollBar:vertical { background: transparent; width: 8px; margin: 0; }
QScrollBar:horizontal { background: transparent; height: 8px; margin: 0; }
QScrollBar::handle { background: @line; border-radius: 4px; min-height: 28px; min-width: 28px; }
QScrollBar::add-line, QScrollBar::sub-line { width: 0; height: 0; }
QScrollBar::add-page, QScrollBar::sub-page { background: transparent; }
QTreeView, QListView { background: transparent; border: 0; show-decoration-selected: 0; }
QTreeView::item:selected, QTreeView::branch:selected, QTreeView::branch { background: transparent; }
QTreeView#bringTree::item:selected { background: @raised; color: @text; }
QListView#commandList { show-decoration-selected: 1; }
QListView#commandList::item { padding: 3px 6px; border-radius: 3px; }
QListView#commandList::item:selected { background: @accentDim; color: @text; }
QSplitter::handle { background: @line; }
QSplitter::handle:horizontal { width: 1px; }
QProgressBar { background: @line; border: 0; max-height: 2px; }
QProgressBar::chunk { background: @accent; }
#card { background: @raised; border-radius: 4px; }
#bar, #dock, #status { background: @panel; }
#segment { border-radius: 0; }
#segment:checked { background: @accentDim; color: @accent; }
#fieldStack { background: @field; border-radius: 4px; }
#checksButton[bad="true"] { color: @amber; background: transparent; }
#checksButton[bad="false"] { color: @muted; background: transparent; }
)";

/// All sizes as large as the interface is; hairlines stay.
QString withSizes(const QString& s) {
    static const QRegularExpression pixels("(\\d+)px");
    QString scaled;
    qsizetype last = 0;
    for (auto it = pixels.globalMatch(s); it.hasNext();) {
        const auto m = it.next();
        const int n = m.captured(1).toInt();
        scaled += s.mid(last, m.capturedStart() - last) + QString::number(n <= 1 ? n : px(n)) + "px";
        last = m.capturedEnd();
    }
    return scaled + s.mid(last);
}

QString styleSheet(const Tokens& t) {
    QString s = kStyle;
    QColor dim = t.seaGlass;
    dim = QColor::fromRgbF(float(dim.redF() * 0.28 + t.panel.redF() * 0.72),
                           float(dim.greenF() * 0.28 + t.panel.greenF() * 0.72),
                           float(dim.blueF() * 0.28 + t.panel.blueF() * 0.72));
    const std::pair<const char*, QColor> colors[] = {
        {"@accentDim", dim},   {"@accent", t.seaGlass}, {"@panel", t.panel}, {"@ink", t.ink},
        {"@raised", t.raised}, {"@line", t.line},       {"@text", t.text},   {"@muted", t.muted},
        {"@field", t.field},   {"@amber", t.amber}};
    for (const auto& [name, color] : colors) s.replace(name, hex(color));
    return withSizes(s);
}

}  // namespace

const Tokens& tokens() { return current; }
int px(double length) { return int(std::lround(length * currentScale)); }

void applyTheme(QApplication& application, ThemeKind kind, double scale) {
    static const bool loaded = [] {
        for (const char* file :
             {":/fonts/Inter-Regular.otf", ":/fonts/Inter-SemiBold.otf", ":/fonts/JetBrainsMono-Regular.ttf"})
            QFontDatabase::addApplicationFont(file);
        return true;
    }();
    (void)loaded;
    current = kind == ThemeKind::Dark ? darkTokens() : lightTokens();
    currentScale = std::clamp(scale, 0.75, 3.0);
    application.setStyle(new Style);
    QPalette p;
    p.setColor(QPalette::Window, current.panel);
    p.setColor(QPalette::Base, current.field);
    p.setColor(QPalette::AlternateBase, current.raised);
    p.setColor(QPalette::Text, current.text);
    p.setColor(QPalette::WindowText, current.text);
    p.setColor(QPalette::ButtonText, current.text);
    p.setColor(QPalette::Button, current.raised);
    p.setColor(QPalette::Highlight, current.seaGlass);
    p.setColor(QPalette::HighlightedText, current.ink);
    p.setColor(QPalette::PlaceholderText, current.muted);
    p.setColor(QPalette::ToolTipBase, current.raised);
    p.setColor(QPalette::ToolTipText, current.text);
    application.setPalette(p);
    application.setFont(textFont());
    application.setStyleSheet(styleSheet(current));
}

QColor phaseColor(Phase phase) {
    const QColor colors[] = {current.seaGlass, current.sand, current.water, current.anemone};
    return colors[size_t(phase)];
}

QColor heatColor(float t) {
    const float x = std::clamp(t, 0.0f, 1.0f) * 4.0f;
    const int i = std::min(int(x), 3);
    const float f = x - float(i);
    const QColor &a = current.heat[i], &b = current.heat[i + 1];
    return QColor::fromRgbF(lerp(float(a.redF()), float(b.redF()), f),
                            lerp(float(a.greenF()), float(b.greenF()), f),
                            lerp(float(a.blueF()), float(b.blueF()), f));
}

QFont textFont(double size, bool bold) {
    QFont f("Inter");
    f.setPixelSize(px(size * 4.0 / 3.0));
    f.setWeight(bold ? QFont::DemiBold : QFont::Normal);
    return f;
}

QFont figureFont(double size) {
    QFont f("JetBrains Mono");
    f.setPixelSize(px(size * 4.0 / 3.0));
    return f;
}

QPixmap iconPixmap(const QString& name, const QColor& color, int size) {
    const QString body = iconBody(name);
    const QString svg = QString(
                            "<svg xmlns='http://www.w3.org/2000/svg' viewBox='0 0 16 16' fill='none' "
                            "stroke='%1' stroke-width='1.5' "
                            "stroke-linecap='round' stroke-linejoin='round'>%2</svg>")
                            .arg(color.name(), body);
    QPixmap pixmap(size, size);
    pixmap.fill(Qt::transparent);
    QPainter painter(&pixmap);
    QSvgRenderer(svg.toUtf8()).render(&painter);
    return pixmap;
}

QIcon icon(const QString& name) {
    QIcon made;
    made.addPixmap(iconPixmap(name, current.text, px(32)));
    made.addPixmap(iconPixmap(name, current.seaGlass, px(32)), QIcon::Normal, QIcon::On);
    made.addPixmap(iconPixmap(name, current.muted, px(32)), QIcon::Disabled);
    return made;
}

QString shortCount(double n) {
    const auto figures = [](double x) {
        return x >= 100  ? QString::number(x, 'f', 0)
               : x >= 10 ? QString::number(x, 'f', 1)
                         : QString::number(x, 'f', 2);
    };
    if (n >= 1e9) return figures(n / 1e9) + " G";
    if (n >= 1e6) return figures(n / 1e6) + " M";
    if (n >= 1e4) return figures(n / 1e3) + " k";
    return QLocale(QLocale::C).toString(qlonglong(n)).replace(',', ' ');
}

}  // namespace ovrix::app
