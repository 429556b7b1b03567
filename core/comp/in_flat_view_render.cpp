#include "core/base/error.h"
#include "core/comp/layer.h"
#include "core/comp/plate_layer.h"
#include "core/map/between.h"

namespace zentil::comp {

template <>
Box PlaceMaker<element::InFlatView>::reach(const element::InFlatView&, const SourceContext& m, const SourceResult&) {
  return m.here().frameBox;
}

template <>
map::MapPtr PlaceMaker<element::InFlatView>::map(const element::InFlatView& place, const SourceContext& m,
                                                 const SourceResult& made) {
  const auto* face = std::get_if<ByFace>(&made.address);
  if (!face)
    throw Error(fmt::format("\"{}\" is no picture of a flat view", m.layer.name),
                "Give a picture that was written as one");
  // Steered in the sphere's own axes: the same part of its picture on every frame; in the world's, where it turned.
  const auto flat = std::make_shared<view::Perspective>(
      view::steered({place.yaw.constant(), place.pitch.constant(), place.roll.constant(), place.fovDegrees.constant()},
                    face->width, face->height));
  const evaluate::SceneState& plate = m.here().plateScene();
  const auto sphere = std::make_shared<view::Sphere>(plate.frameBox.width(), plate.frameBox.height(),
                                                     place.ofWorld ? plate.camera.rotation : Mat3(Mat3::Identity()));
  if (!plate.around)
    throw Error(fmt::format("\"{}\" belongs into a 2:1 picture, and the shot's is none", m.layer.name),
                "Say at Plate that the picture is a sphere, or place it elsewhere");
  const auto fromSphere = std::make_shared<map::Between>(sphere, flat);
  if (!m.here().asShot) return fromSphere;
  auto chain = std::make_shared<map::Chain>();
  chain->add(toPlate(m.here(), m.cache)), chain->add(fromSphere);
  return chain;
}

template <>
map::MapPtr PlaceMaker<element::InFlatView>::ride(const element::InFlatView&, const evaluate::SceneState&,
                                                  const evaluate::SceneState&, Sees, RenderCache&) {
  nothingCarries();
}

template <>
evaluate::SceneStatePtr PlaceMaker<element::InFlatView>::elsewhere(const element::InFlatView&,
                                                                   const evaluate::SceneStatePtr&, const Vec2&) {
  noElsewhere();
}

}  // namespace zentil::comp
