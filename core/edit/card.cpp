#include "core/edit/card.h"

#include "core/base/error.h"
#include "core/edit/make.h"
#include "core/set/ray_scene.h"

namespace zentil::edit {
namespace {

constexpr double kMargin = 1.3;  ///< a card's size to what it carries

}  // namespace

std::string putOnCard(shot::Shot& shot, const std::string& elementId, double distanceM) {
  if (!(distanceM > 0 && distanceM < 1e6))
    throw Error(fmt::format("{} m is not in front of the camera", distanceM), "Give one above 0");
  const estimate::Outlined what = estimate::outlinedBy(shot, elementId);
  auto& m = *shot.matte(shot.element(elementId)->matte());
  const std::string behind = shot.element(elementId)->surface();
  const auto view = shot.viewAt(what.frame);
  Vec2 lo(1e9, 1e9), hi(-1e9, -1e9);
  for (const auto& outline : what.outlines)
    for (const Vec2& p : outline) lo = lo.cwiseMin(p), hi = hi.cwiseMax(p);
  const Vec2 middle = (lo + hi) / 2;
  Vec3 axis;
  if (!view->unproject(middle, axis))
    throw Error("the outline is outside the lens's field of view", "Draw it within the frame");
  const Vec3 eye = view->positionAt(middle);
  set::Surface card;  // a plane, as a new one is
  card.occludes = false, card.name = m.name + " card";
  card.turn = set::turnFor(set::uprightTowards(axis));
  card.position = eye + distanceM * axis.normalized();
  Vec2 reach(0, 0);
  for (const auto& outline : what.outlines)
    for (const Vec2& p : outline) {
      Vec3 way;
      if (!view->unproject(p, way)) continue;
      way.normalize();
      if (const auto hit = set::meet(card, eye, way))
        reach = reach.cwiseMax(card.toOwn(eye + hit->distance * way).head<2>().cwiseAbs());
    }
  card.size = Vec3(2 * kMargin * reach.x(), 2 * kMargin * reach.y(), 1);
  std::string id = addSurface(shot, card);
  for (auto& part : m.parts)
    if (estimate::isDrawnOn(part, behind)) part.surface = id;
  m.removal = true;
  return id;
}

}  // namespace zentil::edit
