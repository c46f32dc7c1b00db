// Colours, fonts and icons of the window. No colour is written anywhere else.
#pragma once
#include <QColor>
#include <QFont>
#include <QIcon>
#include <QString>

#include "ops/step.h"

class QApplication;

namespace ovrix::app {

struct Tokens {
    QColor ink, panel, raised, line, text, muted;
    QColor seaGlass, sand, water, anemone, violet, amber, red;
    QColor field;    ///< ground of number boxes
    QColor heat[5];  ///< the heat map from 0 to 1
};

enum class ThemeKind { Dark, Light };

/// Loads the fonts that are built in, and applies colours and styles. May be called again to change.
void applyTheme(QApplication& application, ThemeKind kind, double scale);
const Tokens& tokens();
/// A length of the 8-pixel grid, scaled.
int px(double length);

QColor phaseColor(Phase phase);
/// 0 to 1 to the heat map's colour.
QColor heatColor(float t);
QFont textFont(double size = 9.75, bool bold = false);
QFont figureFont(double size = 9.5);
/// An icon drawn for Ovrix on a 16-pixel grid, in a token's colour.
QIcon icon(const QString& name);
QPixmap iconPixmap(const QString& name, const QColor& color, int size);

/// "48 000", "1.24 M", "212 k".
QString shortCount(double n);

}  // namespace ovrix::app
