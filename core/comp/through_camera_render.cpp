#include "core/base/error.h"
#include "core/comp/layer.h"
#include "core/comp/plate_layer.h"
#include "core/map/between.h"

namespace zentil::comp {

template <>
Box PlaceMaker<element::ThroughCamera>::reach(const element::ThroughCamera&, const SourceContext& m,
                                              const SourceResult& made) {
  const auto* straight = std::get_if<ByStraightPixel>(&made.address);
  if (!straight || !straight->reach) return m.here().frameBox;
  const Box onPlate = straight->reach(platePixelsOf(m.here(), m.cache).frameBox);
  return boxFromPlate(onPlate, m.here(), m.cache);
}

template <>
map::MapPtr PlaceMaker<element::ThroughCamera>::map(const element::ThroughCamera&, const SourceContext& m,
                                                    const SourceResult& made) {
  const auto* straight = std::get_if<ByStraightPixel>(&made.address);
  if (!straight)
    throw Error(fmt::format("\"{}\" was not rendered through the camera", m.layer.name),
                "Place it on a surface, at infinity or on the screen");
  auto chain = std::make_shared<map::Chain>();
  const evaluate::SceneState& plate = m.here().plateScene();
  if (const auto onPlate = toPlate(m.here(), m.cache); onPlate && !seesFromPlate(m.here()))
    chain->add(onPlate),
        chain->add(std::make_shared<map::Between>(plate.view, std::make_shared<view::Perspective>(plate.camera)));
  else if (m.here().asShot || (plate.hasCamera && !plate.view->standsStill()))
    // Rendered at once, as the middle row sees: rows turn as the camera does; how it travels meanwhile is not known of
    // what it shows. Another view looks at it by rays, which go on where the lens ends.
    chain->add(std::make_shared<map::Between>(m.here().view, std::make_shared<view::Perspective>(plate.camera)));
  else if (!plate.lens.lens.isStraight())
    chain->add(std::make_shared<map::Undistort>(plate.lens));
  chain->add(std::make_shared<map::Homography>(straight->toSource));
  return chain;
}

template <>
map::MapPtr PlaceMaker<element::ThroughCamera>::ride(const element::ThroughCamera&, const evaluate::SceneState&,
                                                     const evaluate::SceneState&, Sees, RenderCache&) {
  nothingCarries();
}

template <>
evaluate::SceneStatePtr PlaceMaker<element::ThroughCamera>::elsewhere(const element::ThroughCamera&,
                                                                      const evaluate::SceneStatePtr&, const Vec2&) {
  noElsewhere();
}

}  // namespace zentil::comp
