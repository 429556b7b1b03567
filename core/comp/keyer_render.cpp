#include "core/matte/keyer.h"

#include <cmath>

#include "core/comp/layer.h"
#include "core/comp/matte_content.h"
#include "core/evaluate/matte_content.h"
#include "core/image/crop.h"
#include "core/matte/matte.h"

namespace zentil::comp {

using evaluate::MattePart;
using evaluate::SceneState;
using image::Picture;

template <>
Picture coverageOf(const matte::Keyer& keyed, const MattePart& p, const SceneState& here, const Box& region,
                   RenderCache& cache) {
  const auto whole = cache.picture(evaluate::contentKey(keyed, p), 0, [&] {
    const auto plate = cache.frame(p.reads.front());
    const matte::KeySettings question{keyed.by, keyed.low.constant(), keyed.high.constant(), keyed.backing.constant()};
    Picture against;
    if (p.against) {
      against = image::over(buildLayer(*p.against, p.against->layers.front(), cache, map::Filter::Sharp),
                            plate->picture.data);
    }
    return matte::grown(matte::keyed(plate->forReading(), p.against ? &against : nullptr, question), p.growPx,
                        p.softPx);
  });
  const int dx = static_cast<int>(std::lround(p.shiftPx.x())), dy = static_cast<int>(std::lround(p.shiftPx.y()));
  Picture out(region, here.frameBox, 1);
  const Box moved{whole->data.x0 + dx, whole->data.y0 + dy, whole->data.x1 + dx, whole->data.y1 + dy};
  const Box common = intersect(moved, region);
  for (int y = common.y0; y < common.y1; ++y)
    std::copy_n(whole->pixel(common.x0 - dx, y - dy), common.width(), out.pixel(common.x0, y));
  return out;
}

template <>
Box boxOf(const matte::Keyer&, const MattePart&, const SceneState& here, RenderCache&) {
  return here.frameBox;
}

template <>
std::vector<Outline> outlinesOf(const matte::Keyer&, const MattePart&, const SceneState&, RenderCache&) {
  return {};
}

}  // namespace zentil::comp
