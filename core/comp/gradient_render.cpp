#include "core/matte/gradient.h"

#include <algorithm>

#include "core/comp/matte_content.h"

namespace zentil::comp {

using evaluate::MattePart;
using evaluate::SceneState;

template <>
image::Picture coverageOf(const matte::Gradient& gradient, const MattePart& p, const SceneState& here,
                          const Box& region, RenderCache&) {
  image::Picture out(region, here.frameBox, 1);
  Vec2 from = gradient.from.constant() + p.shiftPx, to = gradient.to.constant() + p.shiftPx;
  if (from == to) return out;
  // Grown, all of the ramp begins and ends sooner; softened, it begins sooner alone.
  const Vec2 along = (to - from).normalized();
  from -= along * (p.growPx + p.softPx), to -= along * p.growPx;
  const Vec2 way = to - from;
  const double length2 = way.squaredNorm();
  for (int y = region.y0; y < region.y1; ++y)
    for (int x = region.x0; x < region.x1; ++x) {
      const double t = std::clamp((Vec2(x + 0.5, y + 0.5) - from).dot(way) / length2, 0.0, 1.0);
      *out.pixel(x, y) = static_cast<float>(gradient.smooth ? t * t * (3 - 2 * t) : t);
    }
  return out;
}

template <>
Box boxOf(const matte::Gradient&, const MattePart&, const SceneState& here, RenderCache&) {
  return here.frameBox;
}

template <>
std::vector<Outline> outlinesOf(const matte::Gradient&, const MattePart&, const SceneState&, RenderCache&) {
  return {};
}

}  // namespace zentil::comp
