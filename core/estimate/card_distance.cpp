#include "core/estimate/card_distance.h"

#include "core/base/error.h"
#include "core/evaluate/shot_evaluator.h"

namespace zentil::estimate {

bool isDrawnOn(const matte::Part& part, const std::string& surface) {
  const auto* drawn = matte::shapesOf(part);
  return drawn && !drawn->shapes.empty() && part.on && part.follows == matte::Follows::Surface &&
         (part.surface.empty() || part.surface == surface);
}

Outlined outlinedBy(const shot::Shot& shot, const std::string& elementId) {
  const auto* e = shot.element(elementId);
  if (!e || e->surface().empty()) throw Error("it is on no surface", "Put it on the surface behind");
  Outlined out;
  if (const auto* m = shot.matte(e->matte()))
    for (const auto& part : m->parts) {
      const auto* drawn = isDrawnOn(part, e->surface()) ? matte::shapesOf(part) : nullptr;
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

measure::DepthEstimate cardDistance(const shot::Shot& shot, const std::string& elementId, comp::RenderCache& cache,
                                    const Job& job) {
  const Outlined what = outlinedBy(shot, elementId);
  return measure::depthEstimate(*evaluate::ShotEvaluator::of(shot), shot.element(elementId)->surface(), what.frame,
                                what.outlines, cache, job);
}

}  // namespace zentil::estimate
