#pragma once
#include "core/comp/render_cache.h"
#include "core/map/resample.h"
#include "core/steady/look.h"

namespace zentil::steady {

/// A look at a frame with what is beyond its plate taken from other frames.
struct Filled {
  image::Picture picture;
  double unseen = 0;  ///< which part of what is asked for no frame shows: it stays transparent
};

/// The finished picture of a frame as `look` has it, in `box`; beyond the plate's edge as the nearest frames that see
/// it show it: what lies on the set's surfaces by way of them (and only where nothing hides it there), the rest as if
/// it were far away. Frames meet softly, over a few pixels within each plate's edge, and each is brought to the level
/// of light of those before it. Throws Error as comp::buildFrame does.
Filled fill(const evaluate::ShotEvaluator& evaluator, int frame, const Look& look, const Box& box,
            comp::RenderCache& cache, map::Filter filter);

}  // namespace zentil::steady
