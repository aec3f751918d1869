#pragma once
// Colours, type and number formats of the whole application, in one place.

#include <QColor>
#include <QFont>
#include <QPainter>
#include <QString>

#include "core/run/plan.h"

class QApplication;

namespace glenhaze::desktop {

namespace look {
inline const QColor kDeep(0x2B, 0x2C, 0x2D), kGround(0x36, 0x37, 0x38), kRaised(0x41, 0x42, 0x43),
    kLine(0x50, 0x51, 0x52), kDim(0x6B, 0x6C, 0x6D), kSurround(0x4A, 0x4A, 0x4A), kText(0xEC, 0xEC, 0xEA),
    kQuiet(0xB4, 0xB5, 0xB3), kPaper(0xDC, 0xDC, 0xD8), kInk(0x24, 0x25, 0x26), kThrift(0xE5, 0x9A, 0xB4),
    kGorse(0xE3, 0xBF, 0x55), kRust(0xD9, 0x77, 0x5A);
}

/// Loads the fonts, sets palette and style sheet.
void dressApplication(QApplication& application);

QFont textFont(int pixels = 13, bool bold = false);

/// "0:21", "1:02:05".
QString lengthText(double seconds);
/// "1.9 GB"; thin space before the unit.
QString bytesText(double bytes);
/// A number with its unit and a thin space between; a proper minus sign.
QString withUnit(double value, int digits, const QString& unit);
/// "≈ 6 min 40 s".
QString spanText(double seconds);

/// One coverage cell: its ground tells the kind by shape as well as tint.
void paintCoverage(QPainter& painter, const QRectF& area, Coverage kind, const QString& figure);
/// What a coverage kind is called.
QString coverageName(Coverage kind);

/// The glyph of "look at this" (gorse) or "wrong" (rust), drawn into a square.
void paintGlyph(QPainter& painter, const QRectF& area, bool wrong);

}  // namespace glenhaze::desktop
