#include "core/image/rim.h"

#include <algorithm>

#include "core/base/parallel.h"

namespace zentil::image {

Picture withRim(const Picture& p, int rim) {
  const int w = p.data.width(), h = p.data.height(), c = p.channels;
  const Box wide = p.data.grown(rim);
  Picture out = Picture::unset(wide, p.display, c);
  parallelRanges(wide.y0, wide.y1, 32, [&](int first, int last) {
    for (int y = first; y < last; ++y) {
      int v = y - p.data.y0, turn = 0;
      // Over a pole: down the other side, half a turn further.
      if (v < 0) v = -1 - v, turn = w / 2;
      if (v >= h) v = 2 * h - 1 - v, turn = w / 2;
      v = std::clamp(v, 0, h - 1);
      // As many at a time as lie side by side where they come from.
      for (int x = wide.x0, n = 0; x < wide.x1; x += n) {
        const int u = (((x - p.data.x0 + turn) % w) + w) % w;
        n = std::min(wide.x1 - x, w - u);
        std::copy_n(p.pixel(p.data.x0 + u, p.data.y0 + v), static_cast<size_t>(n) * static_cast<size_t>(c),
                    out.pixel(x, y));
      }
    }
  });
  return out;
}

}  // namespace zentil::image
