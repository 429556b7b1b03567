#pragma once
#include "core/comp/cover.h"

namespace zentil::comp {

// How each kind of a matte's content covers, in a file of its own: over a region, and the box outside of which it
// covers nothing; inverting and combining are others' business.
image::Picture over(const matte::RotoShapesNow& now, const evaluate::MattePart& part, const evaluate::SceneState& here,
                    const Box& region, RenderCache& cache);
Box boxOf(const matte::RotoShapesNow& now, const evaluate::MattePart& part, const evaluate::SceneState& here,
          RenderCache& cache);
image::Picture over(const evaluate::ImageMatteNow& now, const evaluate::MattePart& part,
                    const evaluate::SceneState& here, const Box& region, RenderCache& cache);
Box boxOf(const evaluate::ImageMatteNow& now, const evaluate::MattePart& part, const evaluate::SceneState& here,
          RenderCache& cache);
image::Picture over(const evaluate::KeyerNow& now, const evaluate::MattePart& part, const evaluate::SceneState& here,
                    const Box& region, RenderCache& cache);
Box boxOf(const evaluate::KeyerNow& now, const evaluate::MattePart& part, const evaluate::SceneState& here,
          RenderCache& cache);

/// Its closed lines as they lie here; none for what has no shapes.
std::vector<Outline> outlinesOf(const matte::RotoShapesNow& now, const evaluate::MattePart& part,
                                const evaluate::SceneState& here, RenderCache& cache);
inline std::vector<Outline> outlinesOf(const evaluate::ImageMatteNow&, const evaluate::MattePart&,
                                       const evaluate::SceneState&, RenderCache&) {
  return {};
}
inline std::vector<Outline> outlinesOf(const evaluate::KeyerNow&, const evaluate::MattePart&,
                                       const evaluate::SceneState&, RenderCache&) {
  return {};
}

}  // namespace zentil::comp
