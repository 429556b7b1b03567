#include "core/matte/roto_shapes.h"

#include "core/comp/matte_content.h"
#include "core/comp/sight.h"
#include "core/image/crop.h"
#include "core/map/resample.h"
#include "core/set/form.h"
#include "core/value/hash.h"

namespace zentil::comp {

using evaluate::MattePart;
using evaluate::SceneState;
using image::Picture;

template <>
Picture coverageOf(const matte::RotoShapes& shapes, const MattePart& p, const SceneState& here, const Box& region,
                   RenderCache& cache) {
  const auto now = matte::constant(shapes, p.softPx, p.growPx);
  // In the pixels that it is drawn in: of the plate.
  const Box& display = here.plateScene().frameBox;
  const uint64_t key = value::Hasher()
                           .add("matte")
                           .add(keyOf(now))
                           .add(display.x0)
                           .add(display.y0)
                           .add(display.x1)
                           .add(display.y1)
                           .key();
  const auto drawn = cache.picture(key, 0, [&] { return matte::rasterise(now, display); });
  const auto ride = ridingMap(p, here, false, cache);
  if (drawn->empty()) return Picture(region, here.frameBox, 1);
  if (ride) return map::resample(*drawn, *ride, region, here.frameBox, map::Filter::Draft);
  return image::over(*drawn, region);
}

template <>
Box boxOf(const matte::RotoShapes& shapes, const MattePart& p, const SceneState& here, RenderCache& cache) {
  const Box drawn = matte::boundsOf(matte::constant(shapes, p.softPx, p.growPx));
  if (drawn.empty()) return {};
  const auto toHere = ridingMap(p, here, true, cache);
  if (!toHere) return intersect(here.frameBox, drawn);
  if (p.follows == matte::Follows::Surface) {
    // On what is flat the border of the drawn area stays the border.
    const set::Surface* under = here.surface(p.surface);
    if (!under || !set::formOf(under->kind).isFlat()) return here.frameBox;
  }
  Vec2 lo(1e9, 1e9), hi(-1e9, -1e9);
  constexpr int kSteps = 12;
  for (int k = 0; k <= kSteps; ++k) {
    const double t = static_cast<double>(k) / kSteps, x = drawn.x0 + t * drawn.width(),
                 y = drawn.y0 + t * drawn.height();
    for (const Vec2& q : {Vec2(x, drawn.y0), Vec2(x, drawn.y1), Vec2(drawn.x0, y), Vec2(drawn.x1, y)}) {
      Vec2 at;
      if (!map::through(*toHere, q, at) || !at.allFinite()) return here.frameBox;
      lo = lo.cwiseMin(at), hi = hi.cwiseMax(at);
    }
  }
  return clipTo(here.frameBox, lo, hi, 3 + 0.01 * (hi - lo).norm());
}

template <>
std::vector<Outline> outlinesOf(const matte::RotoShapes& shapes, const MattePart& p, const SceneState& here,
                                RenderCache& cache) {
  const auto toHere = ridingMap(p, here, true, cache);
  std::vector<Outline> out;
  for (const auto& shape : shapes.shapes) {
    Outline o{{}, shape.adds, p.softPx};
    for (const Vec2& q : matte::flatten(shape.points.constant())) {
      Vec2 at = q;
      // What lies behind the camera, or beyond the fold of the lens, is left out of the line.
      if (!toHere || (map::through(*toHere, q, at) && at.allFinite())) o.points.push_back(at);
    }
    if (o.points.size() >= 3) out.push_back(std::move(o));
  }
  return out;
}

}  // namespace zentil::comp
