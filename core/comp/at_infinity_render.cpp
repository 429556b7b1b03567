#include "core/base/error.h"
#include "core/comp/layer.h"
#include "core/comp/sight.h"
#include "core/map/between.h"

namespace zentil::comp {

template <>
Box PlaceMaker<element::AtInfinity>::reach(const element::AtInfinity&, const SourceContext& m, const SourceResult&) {
  return m.here().frameBox;
}

template <>
map::MapPtr PlaceMaker<element::AtInfinity>::map(const element::AtInfinity&, const SourceContext& m,
                                                 const SourceResult& made) {
  const auto* sight = std::get_if<BySight>(&made.address);
  if (!sight)
    throw Error(fmt::format("\"{}\" cannot be seen at infinity: no camera saw it", m.layer.name),
                "Place it on a surface or through the camera");
  requireCamera(m.here());
  requireCamera(*sight->stage);
  auto chain = std::make_shared<map::Chain>();
  chain->add(std::make_shared<map::Between>(m.here().view, sight->stage->view));
  if (sight->scale != 1)
    chain->add(std::make_shared<map::Homography>(Vec3(sight->scale, sight->scale, 1).asDiagonal()));
  return chain;
}

template <>
map::MapPtr PlaceMaker<element::AtInfinity>::ride(const element::AtInfinity&, const evaluate::SceneState&,
                                                  const evaluate::SceneState&, Sees, RenderCache&) {
  nothingCarries();
}

template <>
evaluate::SceneStatePtr PlaceMaker<element::AtInfinity>::elsewhere(const element::AtInfinity&,
                                                                   const evaluate::SceneStatePtr&, const Vec2&) {
  noElsewhere();
}

}  // namespace zentil::comp
