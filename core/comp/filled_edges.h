#pragma once
#include "core/comp/render_cache.h"
#include "core/map/resample.h"
#include "core/view/output_view.h"

namespace zentil::comp {

/// A frame with what is beyond its plate taken from other frames.
struct FilledEdges {
  image::Picture picture;
  double unseen = 0;  ///< which part of what is asked for no frame shows: it stays transparent
};

/// The finished picture of a frame from an output view; beyond the plate's edge as the nearest frames that see it show
/// it, each with its elements, seen from the same view: what lies on the set's surfaces by way of them (and only where
/// nothing hides it there), the rest as if it were far away. Plates meet softly, over a few pixels within each one's
/// edge, and each is brought to the level of light of those before it. Throws Error as buildFrame does.
FilledEdges withFilledEdges(const evaluate::ShotEvaluator& evaluator, int frame, const view::OutputView& output,
                            RenderCache& cache, map::Filter filter);

}  // namespace zentil::comp
