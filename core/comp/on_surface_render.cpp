#include "core/base/error.h"
#include "core/comp/layer.h"
#include "core/comp/sight.h"
#include "core/set/surface_map.h"

namespace zentil::comp {
namespace {

int surfaceIndex(const set::RayScene& scene, const std::string& id, const std::string& name) {
  const int i = scene.indexOf(id);
  if (i < 0) throw Error(fmt::format("\"{}\" has no surface to land on", name), "Choose a surface for it");
  return i;
}

}  // namespace

template <>
Box PlaceMaker<element::OnSurface>::reach(const element::OnSurface& place, const SourceContext& m,
                                          const SourceResult&) {
  const set::Surface* s = m.here().surface(place.surface);
  if (!s) throw Error(fmt::format("\"{}\" has no surface to land on", m.layer.name), "Choose a surface for it");
  return boxAround(m.here(), set::hullOf(*s));
}

template <>
map::MapPtr PlaceMaker<element::OnSurface>::map(const element::OnSurface& place, const SourceContext& m,
                                                const SourceResult& made) {
  if (const auto* sight = std::get_if<BySight>(&made.address)) {
    auto ride = plateToPlate(m.here(), place.surface, *slid(sight->stage, place.surface, sight->fromM), true, m.cache);
    if (sight->scale == 1) return ride;
    auto chain = std::make_shared<map::Chain>();
    chain->add(ride);
    chain->add(std::make_shared<map::Homography>(Vec3(sight->scale, sight->scale, 1).asDiagonal()));
    return chain;
  }
  if (const auto* face = std::get_if<ByFace>(&made.address)) {
    requireCamera(m.here());
    const auto scene = m.cache.scene(m.here());
    const int index = surfaceIndex(*scene, place.surface, m.layer.name);
    // The face as pixels of the source: its own size, or as much as holds it with its aspect.
    Vec2 whole(face->width, face->height);
    if (face->keepsAspect) {
      const Vec2 size = set::faceSize(scene->surfaces()[static_cast<size_t>(index)]);
      const double perM = std::max(face->width / size.x(), face->height / size.y());
      whole = size * perM;
    }
    auto wrapped = std::make_shared<set::Unwrapped>(m.here().view, scene, index, whole.x(), whole.y());
    if (!face->keepsAspect) return wrapped;
    Mat3 middle = Mat3::Identity();
    middle.topRightCorner<2, 1>() = (Vec2(face->width, face->height) - whole) / 2;
    auto chain = std::make_shared<map::Chain>();
    chain->add(wrapped);
    chain->add(std::make_shared<map::Homography>(middle));
    return chain;
  }
  throw Error(fmt::format("\"{}\" was rendered through the camera: it has no place on a surface", m.layer.name),
              "Place it through the camera");
}

template <>
map::MapPtr PlaceMaker<element::OnSurface>::ride(const element::OnSurface& place, const evaluate::SceneState& here,
                                                 const evaluate::SceneState& other, Sees sees, RenderCache& cache) {
  if (sees == Sees::Face) return faceToPlate(here, place.surface, other, cache);
  return plateToPlate(here, place.surface, other, sees == Sees::Seen, cache);
}

template <>
evaluate::SceneStatePtr PlaceMaker<element::OnSurface>::elsewhere(const element::OnSurface& place,
                                                                  const evaluate::SceneStatePtr& stage,
                                                                  const Vec2& byM) {
  return slid(stage, place.surface, byM);
}

}  // namespace zentil::comp
