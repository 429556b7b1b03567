#include "app/document/shown_picture.h"

#include <cmath>

#include "core/image/colour.h"

namespace zentil::app {
namespace {

const image::ViewTable& tableFor(double exposure, double gamma) {
  thread_local double e = 1e9, g = 0;
  thread_local std::unique_ptr<image::ViewTable> table;
  if (!table || e != exposure || g != gamma)
    table = std::make_unique<image::ViewTable>(exposure, gamma), e = exposure, g = gamma;
  return *table;
}

}  // namespace

QImage shownPicture(const image::Picture& p, const View& view) {
  QImage out(p.data.width(), p.data.height(), QImage::Format_RGB32);
  const image::ViewTable& table = tableFor(view.exposure, view.gamma);
  const int w = p.data.width();
  for (int y = 0; y < p.data.height(); ++y) {
    auto* line = reinterpret_cast<QRgb*>(out.scanLine(y));
    const float* v = p.pixel(p.data.x0, p.data.y0 + y);
    switch (view.channel) {
      case Channel::Colour:
        for (int x = 0; x < w; ++x, v += 4) line[x] = qRgb(table(v[0]), table(v[1]), table(v[2]));
        break;
      case Channel::Alpha:
        for (int x = 0; x < w; ++x, v += 4) {
          const int a = static_cast<int>(std::lround(std::clamp(v[3], 0.0f, 1.0f) * 255));
          line[x] = qRgb(a, a, a);
        }
        break;
      default: {
        const int c = static_cast<int>(view.channel) - 1;
        for (int x = 0; x < w; ++x, v += 4) {
          const int a = table(v[c]);
          line[x] = qRgb(a, a, a);
        }
      }
    }
  }
  return out;
}

}  // namespace zentil::app
