#include "core/edit/card.h"

#include "core/base/error.h"
#include "core/edit/make.h"
#include "core/set/ray_scene.h"

namespace zentil::edit {
namespace {

constexpr double kMargin = 1.3;  ///< a card's size to what it carries

/// Whether a part is drawn on the element's own surface.
bool drawnOn(const matte::Part& part, const std::string& surface) {
  const auto* drawn = shapesOf(part);
  return drawn && !drawn->shapes.empty() && part.on && part.follows == matte::Follows::Surface &&
         (part.surface.empty() || part.surface == surface);
}

}  // namespace

Outlined outlinedBy(const shot::Shot& shot, const std::string& elementId) {
  const auto* e = shot.element(elementId);
  if (!e || e->surface().empty()) throw Error("it is on no surface", "Put it on the surface behind");
  Outlined out;
  if (const auto* m = shot.matte(e->matte()))
    for (const auto& part : m->parts) {
      const auto* drawn = drawnOn(part, e->surface()) ? shapesOf(part) : nullptr;
      if (const auto* other = drawn ? nullptr : shot.surface(part.surface); other && out.outlines.empty())
        throw Error(fmt::format("the outline of \"{}\" follows \"{}\" already", e->name, other->name),
                    "Choose another under more, or draw another part");
      if (!drawn || (!out.outlines.empty() && drawn->frame != out.frame)) continue;
      out.frame = drawn->frame;
      for (const auto& shape : drawn->shapes)
        if (shape.adds) out.outlines.push_back(matte::flatten(shape.points.at(drawn->frame)));
    }
  if (out.outlines.empty())
    throw Error(fmt::format("nothing is outlined on the surface of \"{}\"", e->name),
                "Draw its matte around the occluder");
  return out;
}

measure::DepthEstimate depthEstimate(const shot::Shot& shot, const std::string& elementId, comp::RenderCache& cache,
                                     const Job& job) {
  const Outlined what = outlinedBy(shot, elementId);
  return measure::depthEstimate(*evaluate::ShotEvaluator::of(shot), shot.element(elementId)->surface(), what.frame,
                                what.outlines, cache, job);
}

std::string standBefore(shot::Shot& shot, const std::string& elementId, double distanceM) {
  if (!(distanceM > 0 && distanceM < 1e6))
    throw Error(fmt::format("{} m is not in front of the camera", distanceM), "Give one above 0");
  const Outlined what = outlinedBy(shot, elementId);
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
    if (drawnOn(part, behind)) part.surface = id;
  m.removal = true;
  return id;
}

}  // namespace zentil::edit
