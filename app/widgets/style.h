#pragma once
#include <QColor>

class QApplication;

namespace zentil::style {

// Neutral greys around pictures, one calm accent, one warning colour, one for source frames.
inline const QColor kAround(0x18, 0x19, 0x1a), kPanel(0x20, 0x21, 0x23), kLine(0x3a, 0x3d, 0x41),
    kText(0xd4, 0xd6, 0xd8), kQuiet(0x8f, 0x94, 0x99);
inline const QColor kAccent(0x6f, 0xc3, 0xb2), kWarn(0xe2, 0xa4, 0x58), kPin(0xb7, 0x9b, 0xe8);

/// A perceptually even ramp for errors, 0 good to 1 bad.
QColor errorRamp(double t);

/// Fonts, palette and style sheet, all from the application's own resources.
void apply(QApplication& app);

}  // namespace zentil::style
