#include "core/measure/held.h"

#include "core/comp/undistort.h"
#include "core/evaluate/shot_evaluator.h"

namespace zentil::measure {

evaluate::SceneStatePtr heldStage(const evaluate::ShotEvaluator& evaluator, const evaluate::Layer& layer) {
  if (layer.held && layer.held->carries(layer.place)) return layer.held;
  const FrameRange r = evaluator.range();
  return evaluator.stage(r.first + r.count() / 2);
}

comp::RenderCache::FramePtr heldPicture(const evaluate::ShotEvaluator& evaluator, const evaluate::FrameState& state,
                                        const evaluate::Layer& layer, const evaluate::SceneState& held,
                                        comp::RenderCache& cache) {
  if (!layer.sources.empty()) return cache.frame(layer.sources.front().file);
  if (layer.held && !layer.files.empty()) return comp::heldFrame(state, layer, cache);
  return cache.frame(evaluator.plateAt(held.frame));
}

}  // namespace zentil::measure
