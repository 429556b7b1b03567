#include "core/matte/keyer.h"

#include <cmath>

#include "core/comp/layer.h"
#include "core/comp/matte_content.h"
#include "core/evaluate/matte_content.h"
#include "core/image/crop.h"
#include "core/matte/matte.h"

namespace zentil::comp {

using image::Picture;

Picture over(const evaluate::KeyerNow& now, const evaluate::MattePart& p, const evaluate::SceneState& here,
             const Box& region, RenderCache& cache) {
  const auto whole = cache.picture(evaluate::keyOf(now), 0, [&] {
    const auto plate = cache.frame(now.plate);
    Picture against;
    if (now.against) {
      against = image::over(buildLayer(*now.against, now.against->layers.front(), cache, map::Filter::Sharp),
                            plate->picture.data);
    }
    return matte::grown(matte::keyed(plate->forReading(), now.against ? &against : nullptr, now.question), now.growPx,
                        now.softPx);
  });
  const int dx = static_cast<int>(std::lround(p.shiftPx.x())), dy = static_cast<int>(std::lround(p.shiftPx.y()));
  Picture out(region, here.frameBox, 1);
  const Box moved{whole->data.x0 + dx, whole->data.y0 + dy, whole->data.x1 + dx, whole->data.y1 + dy};
  const Box common = intersect(moved, region);
  for (int y = common.y0; y < common.y1; ++y)
    std::copy_n(whole->pixel(common.x0 - dx, y - dy), common.width(), out.pixel(common.x0, y));
  return out;
}

Box boxOf(const evaluate::KeyerNow&, const evaluate::MattePart&, const evaluate::SceneState& here, RenderCache&) {
  return here.frameBox;
}

}  // namespace zentil::comp
