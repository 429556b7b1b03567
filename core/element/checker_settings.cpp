#include "core/element/checker_settings.h"

#include <cmath>

#include "core/base/parallel.h"

namespace zentil::element {

image::Picture checkerPicture(double widthM, double heightM, double squareM, bool lines) {
  const double square = std::max(squareM, 1e-4);
  // About 48 pixels a square, within sensible sizes.
  const double perM = std::min(48.0 / square, 4096.0 / std::max({widthM, heightM, 1e-6}));
  const int w = std::clamp(static_cast<int>(std::lround(widthM * perM)), 16, 4096),
            h = std::clamp(static_cast<int>(std::lround(heightM * perM)), 16, 4096);
  image::Picture out(w, h, 4, 1.0f);
  const double halfLine = 0.035 * square;
  parallelRanges(0, h, 64, [&](int first, int last) {
    for (int y = first; y < last; ++y)
      for (int x = 0; x < w; ++x) {
        const double u = ((x + 0.5) / w - 0.5) * widthM, v = ((y + 0.5) / h - 0.5) * heightM;
        const double iu = std::floor(u / square), iv = std::floor(v / square);
        float* p = out.pixel(x, y);
        if (lines) {
          const double du = std::min(u - iu * square, (iu + 1) * square - u),
                       dv = std::min(v - iv * square, (iv + 1) * square - v);
          const bool line = std::min(du, dv) < halfLine;
          p[0] = p[1] = p[2] = line ? 0.9f : 0.0f;
          p[3] = line ? 1.0f : 0.0f;
        } else {
          const bool light = (static_cast<long>(iu) + static_cast<long>(iv)) % 2 == 0;
          p[0] = p[1] = p[2] = light ? 0.62f : 0.05f;
        }
        // The square up and right of the centre is tinted: a mirrored or turned surface shows.
        if (iu == 0 && iv == -1 && p[3] > 0) p[0] *= 1.3f, p[1] *= 0.75f, p[2] *= 0.35f;
      }
  });
  return out;
}

}  // namespace zentil::element
