#include "core/comp/around.h"

#include "core/base/parallel.h"
#include "core/value/hash.h"

namespace zentil::comp {

image::Picture withRim(const image::Picture& p, int rim) {
  const int w = p.data.width(), h = p.data.height(), c = p.channels;
  const Box wide = p.data.grown(rim);
  image::Picture out = image::Picture::unset(wide, p.display, c);
  parallelRanges(wide.y0, wide.y1, 32, [&](int first, int last) {
    for (int y = first; y < last; ++y) {
      int v = y - p.data.y0, turn = 0;
      // Over a pole: down the other side, half a turn further.
      if (v < 0) v = -1 - v, turn = w / 2;
      if (v >= h) v = 2 * h - 1 - v, turn = w / 2;
      v = std::clamp(v, 0, h - 1);
      for (int x = wide.x0; x < wide.x1; ++x) {
        const int u = (((x - p.data.x0 + turn) % w) + w) % w;
        std::copy_n(p.pixel(p.data.x0 + u, p.data.y0 + v), c, out.pixel(x, y));
      }
    }
  });
  return out;
}

std::shared_ptr<const image::Picture> readable(const Workshop::FramePtr& frame, uint64_t key, bool around,
                                               Workshop& workshop) {
  if (!around) return {frame, &frame->forReading()};
  // Six pixels are what the widest filter reads; more is for where a view reduces.
  constexpr int kRim = 32;
  return workshop.picture(value::Hasher().add("rim").add(key).key(), frame->bytes(),
                          [&] { return withRim(frame->forReading(), kRim); });
}

}  // namespace zentil::comp
