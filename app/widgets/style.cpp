#include "app/widgets/style.h"

#include <QApplication>
#include <QFile>
#include <QFontDatabase>
#include <QPalette>
#include <QStyleFactory>
#include <algorithm>

// Qt wants this outside of any namespace.
static void initResources() { Q_INIT_RESOURCE(resources); }

namespace zentil::style {

QColor errorRamp(double t) {
  // Lightness falls evenly while the hue goes from the accent to the warning colour, in the OKLab-like order of the
  // stops below.
  static const QColor stops[] = {QColor(0x9f, 0xe8, 0xd6), QColor(0x8c, 0xc9, 0xa0), QColor(0xc2, 0xb5, 0x6a),
                                 QColor(0xd9, 0x8f, 0x4c), QColor(0xc9, 0x5a, 0x3c)};
  const double x = std::clamp(t, 0.0, 1.0) * 4;
  const int i = std::min(3, static_cast<int>(x));
  const double f = x - i;
  const auto mix = [&](int a, int b) { return static_cast<int>(a + f * (b - a)); };
  return {mix(stops[i].red(), stops[i + 1].red()), mix(stops[i].green(), stops[i + 1].green()),
          mix(stops[i].blue(), stops[i + 1].blue())};
}

void apply(QApplication& app) {
  initResources();
  for (const char* f : {":/fonts/Inter-Regular.otf", ":/fonts/Inter-SemiBold.otf", ":/fonts/DejaVuSansMono.ttf"})
    QFontDatabase::addApplicationFont(f);
  app.setStyle(QStyleFactory::create("Fusion"));
  QFont font("Inter");
  font.setPixelSize(13);
  app.setFont(font);
  QPalette p;
  p.setColor(QPalette::Window, QColor(0x23, 0x24, 0x26));
  p.setColor(QPalette::Base, QColor(0x1c, 0x1d, 0x1f));
  p.setColor(QPalette::AlternateBase, kPanel);
  p.setColor(QPalette::Button, QColor(0x2b, 0x2d, 0x30));
  for (const auto role : {QPalette::WindowText, QPalette::Text, QPalette::ButtonText, QPalette::ToolTipText})
    p.setColor(role, kText);
  p.setColor(QPalette::Highlight, QColor(0x3f, 0x7f, 0x73));
  p.setColor(QPalette::HighlightedText, Qt::white);
  p.setColor(QPalette::PlaceholderText, kQuiet);
  app.setPalette(p);
  QFile sheet(":/style.qss");
  if (sheet.open(QIODevice::ReadOnly)) app.setStyleSheet(QString::fromUtf8(sheet.readAll()));
}

}  // namespace zentil::style
