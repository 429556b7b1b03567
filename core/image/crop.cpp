#include "core/image/crop.h"

#include <algorithm>

namespace zentil::image {

Picture over(const Picture& p, const Box& box) {
  if (p.data == box) return p;
  Picture out(box, p.display, p.channels);
  const Box common = intersect(p.data, box);
  if (common.empty()) return out;
  for (int y = common.y0; y < common.y1; ++y)
    std::copy_n(p.pixel(common.x0, y), static_cast<size_t>(common.width()) * p.channels, out.pixel(common.x0, y));
  return out;
}

}  // namespace zentil::image
