#pragma once
#include "core/comp/layer.h"

namespace zentil::comp {

/// The finished picture of a moment (buildFrame), kept in the workshop.
std::shared_ptr<const image::Picture> finishedFrame(const evaluate::FrameState& state, RenderCache& cache,
                                                    map::Filter filter);

/// The finished picture of another frame as a scene's view sees it: what lies on the set's surfaces by way of them
/// (and only where nothing hid it there), the rest as if it were far away; transparent where the other frame does not
/// show it. Where camera and set hold, it lies on the frame's own picture. One resampling of the finished frame, in
/// the scene's pixels. Throws Error where one of both has no camera or cannot be made.
image::Picture otherFrame(const evaluate::ShotEvaluator& evaluator, const evaluate::SceneState& here, int other,
                          RenderCache& cache, map::Filter filter);

}  // namespace zentil::comp
