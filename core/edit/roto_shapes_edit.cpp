#include "core/matte/roto_shapes.h"

#include "core/base/error.h"
#include "core/comp/sight.h"
#include "core/edit/make.h"
#include "core/edit/matte_kinds.h"
#include "core/evaluate/shot_evaluator.h"

namespace zentil::edit {

using shot::Shot;

template <>
matte::RotoShapes freshContent(const Shot&, int frame) {
  return {{}, frame};
}

std::string addShapes(Shot& shot, const std::string& matteId, const std::string& name, int frame) {
  return addPart(shot, matteId, matte::RotoShapes{{}, frame}, name);
}

void addShape(Shot& shot, const std::string& matteId, const std::string& partId, const matte::ShapePoints& points,
              bool adds, int frame, const std::string& elementSurface, comp::RenderCache& cache) {
  auto* m = shot.matte(matteId);
  auto* p = m ? m->part(partId) : nullptr;
  auto* drawn = p ? matte::shapesOf(*p) : nullptr;
  if (!drawn) throw Error("there is no part of shapes to draw in", "Choose one, or add one");
  matte::ShapePoints there = points;
  if (drawn->shapes.empty()) {
    drawn->frame = frame;
  } else if (drawn->frame != frame && p->follows != matte::Follows::Screen) {
    const auto evaluator = evaluate::ShotEvaluator::of(shot);
    const auto ride =
        comp::ridingMap(evaluator->partAt(*m, *p, elementSurface, frame), *evaluator->stage(frame), false, cache);
    for (auto& q : there) {
      Vec2 at = q.at, in = q.at + q.in, out = q.at + q.out;
      if (ride && map::through(*ride, q.at, at) && map::through(*ride, q.at + q.in, in) &&
          map::through(*ride, q.at + q.out, out))
        q.at = at, q.in = in - at, q.out = out - at;
    }
  }
  matte::Shape shape;
  shape.points = there;
  shape.adds = adds;
  drawn->shapes.push_back(shape);
}

std::string addMatte(Shot& shot, const std::string& name, int frame, const std::string& surface) {
  matte::Matte m;
  m.id = freshId(shot, 'm');
  m.name = name.empty() ? "outline " + m.id.substr(1) : name;
  matte::Part p;
  p.id = "p1", p.name = "shapes";
  p.content = matte::RotoShapes{{}, frame};
  // A sixtieth of the picture's height: 12 px of 720.
  p.softPx = std::max(2.0, std::round(shot.height / 60.0));
  p.follows = surface.empty() ? matte::Follows::Screen : matte::Follows::Surface;
  p.surface = surface;
  m.parts = {p};
  shot.mattes.push_back(m);
  return m.id;
}

std::string matteFor(Shot& shot, const std::string& elementId, int frame) {
  auto* e = shot.element(elementId);
  if (!e) return addMatte(shot, "", frame, "");
  if (shot.matte(e->matte())) return e->matte();
  std::string id = addMatte(shot, e->name + " outline", frame, "");
  // What lands on a surface is limited on it; what does not has none that its matte could ride.
  if (!e->surface().empty()) shot.matte(id)->parts.front().follows = matte::Follows::Surface;
  if (const int region = regionOf(e->place); region >= 0) {
    auto& part = shot.matte(id)->parts.front();
    part.follows = matte::Follows::Region, part.region = region;
  }
  e->cover = {{id}};
  return id;
}

void changeShape(Shot& shot, const std::string& matteId, const std::string& partId, int shape, int frame,
                 const std::function<void(matte::ShapePoints&)>& change) {
  auto* m = shot.matte(matteId);
  auto* p = m ? m->part(partId) : nullptr;
  auto* drawn = p ? matte::shapesOf(*p) : nullptr;
  if (!drawn || shape < 0 || shape >= static_cast<int>(drawn->shapes.size()))
    throw Error("that shape is not there any more", "Choose one that is");
  auto& points = drawn->shapes[static_cast<size_t>(shape)].points;
  matte::ShapePoints now = points.at(frame);
  change(now);
  if (now.size() < 3)
    drawn->shapes.erase(drawn->shapes.begin() + shape);
  else
    points.put(frame, now);
}

}  // namespace zentil::edit
