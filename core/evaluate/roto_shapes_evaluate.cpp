#include "core/matte/roto_shapes.h"

#include <Eigen/LU>

#include "core/evaluate/matte_content.h"
#include "core/shot/trackers.h"

namespace zentil::evaluate {

template <>
void evaluateContent(const matte::RotoShapes& drawn, const matte::Part& part, const PartWhere& where, MattePart& out) {
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

template <>
bool comparesWith(const matte::RotoShapes&, const std::string&) {
  return false;
}

template <>
uint64_t contentKey(const matte::RotoShapes& drawn, const MattePart& part) {
  return matte::keyOf(matte::constant(drawn, part.softPx, part.growPx));
}

}  // namespace zentil::evaluate
