#pragma once
#include <string>

#include "core/base/job.h"
#include "core/comp/layer.h"

namespace zentil::measure {

/// A surface that looks the same a step further on: boards, bricks, slabs.
struct Repeat {
  Vec2 stepM = Vec2::Zero();  ///< metres along the surface, to the right and up
  double alike = 0;           ///< correlation of what is around the place with what lies a step away, at most 1
  double pxM = 0;             ///< metres a pixel of the plate is there
  double sigmaPx = 0;         ///< standard error of the step
};

/// Finds from where on its surface what is around an element's place looks the same: near `near` (metres), or, where
/// that is zero, anywhere within the place's own size three times over, and clear of the place itself and of what has
/// to go. The surface is looked at square, as the source's frame shows it; the match is refined between pixels
/// (Gauss-Newton, free gain and offset). Throws Error where the element lies on no surface that it can be shifted
/// along, or nothing is alike by more than a half.
Repeat repeatNear(const evaluate::ShotEvaluator& evaluator, const std::string& elementId, int frame, const Vec2& near,
                  comp::RenderCache& cache);

}  // namespace zentil::measure
