#include "core/comp/sight.h"

#include <Eigen/LU>
#include <cmath>

#include "core/base/error.h"
#include "core/set/form.h"
#include "core/set/surface_map.h"
#include "core/value/hash.h"

namespace zentil::comp {

using evaluate::SceneState;

void requireCamera(const SceneState& stage) {
  if (!stage.hasCamera)
    throw Error(fmt::format("frame {}: the camera has no pose there", stage.frame),
                "Choose a frame the camera covers, or load a camera for the whole shot");
}

Box clipTo(const Box& frame, const Vec2& lo, const Vec2& hi, double slack) {
  // Both ends are brought near the frame first: far away they would not fit a whole number.
  const auto whole = [](double v) { return static_cast<int>(std::floor(std::clamp(v, -1e6, 1e6))); };
  return intersect(
      frame, {whole(lo.x() - slack), whole(lo.y() - slack), whole(hi.x() + slack) + 1, whole(hi.y() + slack) + 1});
}

Box boxAround(const SceneState& stage, const std::vector<std::pair<Vec3, Vec3>>& lines) {
  requireCamera(stage);
  // On a sphere a box may lie on both sides of where its ends meet.
  if (stage.around) return stage.frameBox;
  Vec2 lo(1e9, 1e9), hi(-1e9, -1e9);
  for (const auto& [a, b] : lines)
    for (int k = 0; k <= 8; ++k) {
      Vec2 p;
      if (!stage.view->see(a + (b - a) * (k / 8.0), p) || !p.allFinite()) return stage.frameBox;
      lo = lo.cwiseMin(p), hi = hi.cwiseMax(p);
    }
  return clipTo(stage.frameBox, lo, hi, 4 + 0.01 * (hi - lo).norm());
}

map::MapPtr plateToPlate(const SceneState& here, const std::string& surfaceId, const SceneState& other, bool needsSight,
                         RenderCache& cache) {
  requireCamera(here);
  requireCamera(other);
  const auto scene = cache.scene(here), otherScene = cache.scene(other);
  const int index = scene->indexOf(surfaceId);
  if (index < 0) throw Error("the surface is gone", "Choose another");
  return std::make_shared<set::SeenBy>(here.view, scene, index, other.view, otherScene, needsSight);
}

map::MapPtr faceToPlate(const SceneState& here, const std::string& surfaceId, const SceneState& other,
                        RenderCache& cache) {
  SceneState clear = here;
  auto surfaces = *here.surfaces;
  for (auto& s : surfaces) s.occludes = false;
  clear.surfaces = std::make_shared<const std::vector<set::Surface>>(std::move(surfaces));
  clear.surfacesKey = value::Hasher().add("clear").add(here.surfacesKey).key();
  return plateToPlate(clear, surfaceId, other, true, cache);
}

evaluate::SceneStatePtr slid(const evaluate::SceneStatePtr& stage, const std::string& surfaceId, const Vec2& byM) {
  if (byM.isZero()) return stage;
  auto out = std::make_shared<SceneState>(*stage);
  auto surfaces = *stage->surfaces;
  for (auto& s : surfaces) {
    if (s.id != surfaceId) continue;
    const auto there = set::formOf(s.kind).slid(s, byM);
    if (!there)
      throw Error(fmt::format("nothing can be taken from elsewhere on \"{}\"", s.name),
                  "Only along planes and cylinders; make the shift 0");
    s = *there;
  }
  out->surfaces = std::make_shared<const std::vector<set::Surface>>(std::move(surfaces));
  out->surfacesKey = value::Hasher().add("slid").add(stage->surfacesKey).add(surfaceId).add(byM).key();
  return out;
}

map::MapPtr carrying(const SceneState& from, const std::string& surfaceId, const SceneState& to, RenderCache& cache) {
  const set::Surface *here = from.surface(surfaceId), *there = to.surface(surfaceId);
  if (!here || !there || !from.hasCamera || !to.hasCamera) return nullptr;
  const auto alone = [&](set::Surface s) {
    // What is drawn may lie beyond its border.
    if (set::formOf(s.kind).isFlat()) s.size *= 1000;
    return cache.sceneOf(s);
  };
  return std::make_shared<set::SeenBy>(from.view, alone(*here), 0, to.view, alone(*there), false);
}

map::MapPtr ridingMap(const evaluate::MattePart& part, const SceneState& here, bool back, RenderCache& cache) {
  map::MapPtr ride;
  if (part.follows == matte::Follows::Region) {
    if (part.motion) ride = std::make_shared<map::Homography>(back ? Mat3(part.motion->inverse()) : *part.motion);
  } else if (part.follows == matte::Follows::Surface) {
    if (part.drawnOn != here.frame || here.asShot)
      ride = back ? carrying(*part.there, part.surface, here, cache) : carrying(here, part.surface, *part.there, cache);
    else if (part.shiftPx.isZero())
      return nullptr;
    else
      ride = std::make_shared<map::Homography>(Mat3::Identity());
  } else if (part.shiftPx.isZero()) {
    return nullptr;
  } else {
    ride = std::make_shared<map::Homography>(Mat3::Identity());
  }
  if (!ride)
    throw Error(
        fmt::format("matte \"{}\" cannot follow from frame {} to {}: its surface, its region or a camera is missing",
                    part.matte, part.drawnOn, here.frame),
        "Choose something else to follow, or track the region to there");
  if (part.shiftPx.isZero()) return ride;
  // A correction moves what is seen, on this frame's screen.
  Mat3 shift = Mat3::Identity();
  shift.topRightCorner<2, 1>() = back ? part.shiftPx : Vec2(-part.shiftPx);
  auto chain = std::make_shared<map::Chain>();
  if (back) chain->add(ride);
  chain->add(std::make_shared<map::Homography>(shift));
  if (!back) chain->add(ride);
  return chain;
}

}  // namespace zentil::comp
