#include "core/base/error.h"
#include "core/comp/layer.h"
#include "core/comp/sight.h"
#include "core/map/between.h"
#include "core/set/behind_set.h"
#include "core/value/hash.h"
#include "core/view/far_picture.h"

namespace zentil::comp {
namespace {

/// How a picture's pixels see that stands at infinity, with the world.
view::ViewPtr viewOf(const element::AtInfinity& place, const ByFace& face) {
  return view::farView(place.picture, {face.width,
                                       face.height,
                                       {place.yaw.constant(), place.pitch.constant(), place.roll.constant(),
                                        place.fovDegrees.constant()}});
}

}  // namespace

template <>
Box PlaceMaker<element::AtInfinity>::reach(const element::AtInfinity&, const SourceContext& m, const SourceResult&) {
  return m.here().frameBox;
}

template <>
map::MapPtr PlaceMaker<element::AtInfinity>::map(const element::AtInfinity& place, const SourceContext& m,
                                                 const SourceResult& made) {
  requireCamera(m.here());
  auto chain = std::make_shared<map::Chain>();
  if (const auto* sight = std::get_if<BySight>(&made.address)) {
    requireCamera(*sight->stage);
    chain->add(std::make_shared<map::Between>(m.here().view, sight->stage->view));
    if (sight->scale != 1)
      chain->add(std::make_shared<map::Homography>(Vec3(sight->scale, sight->scale, 1).asDiagonal()));
  } else if (const auto* face = std::get_if<ByFace>(&made.address)) {
    chain->add(std::make_shared<map::Between>(m.here().view, viewOf(place, *face)));
  } else {
    throw Error(fmt::format("\"{}\" cannot be seen at infinity: it was rendered through the camera", m.layer.name),
                "Place it through the camera");
  }
  if (!place.behindSet) return chain;
  evaluate::SceneState hiding = m.here();
  auto surfaces = *m.here().surfaces;
  std::erase_if(surfaces, [](const set::Surface& s) { return !s.occludes; });
  if (surfaces.empty()) return chain;
  hiding.surfaces = std::make_shared<const std::vector<set::Surface>>(std::move(surfaces));
  hiding.surfacesKey = value::Hasher().add("hiding").add(m.here().surfacesKey).key();
  return std::make_shared<set::BehindSet>(m.here().view, m.cache.scene(hiding), chain);
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
