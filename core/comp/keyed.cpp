#include "core/matte/keyed.h"

#include <cmath>

#include "core/comp/layer.h"
#include "core/comp/matte_content.h"
#include "core/image/crop.h"
#include "core/matte/matte.h"
#include "core/moment/matte_content.h"

namespace zentil::comp {

using image::Picture;

Picture over(const moment::KeyedNow& now, const moment::MattePart& p, const moment::Stage& here, const Box& region,
             Workshop& workshop) {
  const auto whole = workshop.picture(moment::keyOf(now), 0, [&] {
    const auto plate = workshop.frame(now.plate);
    Picture against;
    if (now.against) {
      against = image::over(buildLayer(*now.against, now.against->layers.front(), workshop, map::Filter::Sharp),
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

Box boxOf(const moment::KeyedNow&, const moment::MattePart&, const moment::Stage& here, Workshop&) {
  return here.frameBox;
}

}  // namespace zentil::comp
