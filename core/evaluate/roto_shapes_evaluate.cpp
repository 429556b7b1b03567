#include "core/matte/roto_shapes.h"

#include <Eigen/LU>

#include "core/evaluate/matte_content.h"
#include "core/shot/trackers.h"

namespace zentil::evaluate {

void put(const matte::RotoShapes& drawn, const matte::Part& part, const PartWhere& where, MattePart& out) {
  matte::RotoShapesNow now;
  for (const auto& s : drawn.shapes) now.curves.push_back({s.points.at(where.frame), s.adds});
  now.softPx = part.softPx.at(where.frame), now.growPx = part.growPx.at(where.frame);
  out.content = std::move(now);
  out.drawnOn = drawn.frame;
  out.follows = part.follows;
  if (part.follows == matte::Follows::Surface) {
    out.surface = part.surface.empty() ? where.elementSurface : part.surface;
    out.there = where.evaluator.stage(drawn.frame);
  } else if (part.follows == matte::Follows::Region) {
    const auto* r = shot::regionOf(where.shot, part.region);
    if (r && r->has(where.frame) && r->has(drawn.frame))
      out.motion = Mat3(r->motion.at(drawn.frame) * r->motion.at(where.frame).inverse());
  }
}

}  // namespace zentil::evaluate
