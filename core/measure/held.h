#pragma once
#include "core/comp/layer.h"

namespace zentil::measure {

/// The frame that an element is measured against: the one it is held at; of one that is not, the shot's middle.
evaluate::SceneStatePtr heldStage(const evaluate::ShotEvaluator& evaluator, const evaluate::Layer& layer);
/// What is seen there: the element's source frame, or the plate's.
comp::RenderCache::FramePtr heldPicture(const evaluate::ShotEvaluator& evaluator, const evaluate::FrameState& state,
                                        const evaluate::Layer& layer, const evaluate::SceneState& held,
                                        comp::RenderCache& cache);

}  // namespace zentil::measure
