#include "core/matte/image_matte.h"

#include <cmath>

#include "core/comp/matte_content.h"

namespace zentil::comp {

using evaluate::MattePart;
using evaluate::SceneState;
using image::Picture;

template <>
Picture coverageOf(const matte::ImageMatte&, const MattePart& p, const SceneState& here, const Box& region,
                   RenderCache& cache) {
  const auto file = cache.frame(p.reads.front());
  const int channel = file->hasAlpha ? 3 : 0;
  const Picture& from = file->forReading();
  const auto fill = [&](const Box& box) {
    Picture one(box, here.frameBox, 1);
    const Box common = intersect(from.data, box);
    for (int y = common.y0; y < common.y1; ++y)
      for (int x = common.x0; x < common.x1; ++x) *one.pixel(x, y) = std::clamp(from.pixel(x, y)[channel], 0.0f, 1.0f);
    return one;
  };
  const int dx = static_cast<int>(std::lround(p.shiftPx.x())), dy = static_cast<int>(std::lround(p.shiftPx.y()));
  if (p.growPx == 0 && p.softPx == 0 && dx == 0 && dy == 0) return fill(region);
  Picture out(region, here.frameBox, 1);
  const Picture whole = matte::grown(fill(from.data), p.growPx, p.softPx);
  const Box moved{whole.data.x0 + dx, whole.data.y0 + dy, whole.data.x1 + dx, whole.data.y1 + dy};
  const Box common = intersect(moved, region);
  for (int y = common.y0; y < common.y1; ++y)
    std::copy_n(whole.pixel(common.x0 - dx, y - dy), common.width(), out.pixel(common.x0, y));
  return out;
}

template <>
Box boxOf(const matte::ImageMatte&, const MattePart&, const SceneState& here, RenderCache&) {
  return here.frameBox;
}

template <>
std::vector<Outline> outlinesOf(const matte::ImageMatte&, const MattePart&, const SceneState&, RenderCache&) {
  return {};
}

}  // namespace zentil::comp
