#include <Eigen/LU>

#include "core/base/error.h"
#include "core/comp/layer.h"
#include "core/comp/sight.h"

namespace zentil::comp {
namespace {

/// From a frame's pixels to another's, as the region went.
map::MapPtr between(const element::OnRegion& place, const moment::Stage& here, const moment::Stage& other) {
  const auto motionOn = [&](const moment::Stage& stage) -> const Mat3& {
    const auto it = stage.regions->find(place.region);
    if (it == stage.regions->end())
      throw Error(fmt::format("the region that it rides is gone, or was not followed to frame {}", stage.frame),
                  "Follow it to there at Track, or choose another place");
    return it->second;
  };
  return std::make_shared<map::Homography>(motionOn(other) * motionOn(here).inverse());
}

}  // namespace

template <>
Box PlaceMaker<element::OnRegion>::reach(const element::OnRegion&, const Making& m, const Made&) {
  return m.here().frameBox;
}

template <>
map::MapPtr PlaceMaker<element::OnRegion>::ride(const element::OnRegion& place, const moment::Stage& here,
                                                const moment::Stage& other, Sees, Workshop&) {
  return between(place, here, other);
}

template <>
map::MapPtr PlaceMaker<element::OnRegion>::map(const element::OnRegion& place, const Making& m, const Made& made) {
  const auto* sight = std::get_if<BySight>(&made.address);
  if (!sight)
    throw Error(fmt::format("\"{}\" cannot ride a region: only what the plate showed can", m.layer.name),
                "Place it on a surface, or on the screen");
  if (!sight->fromM.isZero()) noElsewhere();
  auto chain = std::make_shared<map::Chain>();
  chain->add(between(place, m.here(), *sight->stage));
  if (sight->scale != 1)
    chain->add(std::make_shared<map::Homography>(Vec3(sight->scale, sight->scale, 1).asDiagonal()));
  return chain;
}

template <>
moment::StagePtr PlaceMaker<element::OnRegion>::elsewhere(const element::OnRegion&, const moment::StagePtr&,
                                                          const Vec2&) {
  noElsewhere();
}

}  // namespace zentil::comp
