#pragma once
#include <string>

#include "core/comp/layer.h"

namespace zentil::measure {

/// How an element sits in the finished picture on a frame: whether its edge is a step, and whether its grain is as
/// strong as what is around it.
struct BlendAt {
  int frame = 0;
  std::string why;       ///< why nothing can be said; empty: the figures hold
  double seam = 0;       ///< step of the level along the cover's edge, part of it (root mean square)
  double seamSigma = 0;  ///< its standard error
  double grain = -1;     ///< finest grain of the patch, parts of that around it; below 0: it cannot be told
  int places = 0;        ///< of the edge that were looked at

  bool known() const { return why.empty(); }
};

/// Both compare the source with the picture where both are, inside the cover's edge and outside, so that the texture
/// falls out; where others lie over it nothing is compared. Seam: what lies between the two (logarithm of the level)
/// inside, less what does outside, place by place along the edge. Grain: the finest noise by Immerkaer's mask
/// (Immerkaer 1996, Fast Noise Variance Estimation) less what source and picture have in common, which is texture.
/// Never throws for a picture that says nothing; throws Error where one cannot be made.
BlendAt blendAt(const evaluate::ShotEvaluator& evaluator, const std::string& elementId, int frame,
                comp::RenderCache& cache);

}  // namespace zentil::measure
