#include "core/comp/reprojected_frame.h"

#include <fmt/format.h>

#include "core/base/error.h"
#include "core/evaluate/shot_evaluator.h"
#include "core/set/scene_reprojection.h"
#include "core/value/hash.h"

namespace zentil::comp {

std::shared_ptr<const image::Picture> finishedFrame(const evaluate::FrameState& state, RenderCache& cache,
                                                    map::Filter filter) {
  const size_t bytes = static_cast<size_t>(state.frameBox().width()) * state.frameBox().height() * 16;
  const auto key = value::Hasher().add("built").add(state.key).add(static_cast<int>(filter)).key();
  return cache.picture(key, bytes, [&] {
    BuildOptions options;
    options.filter = filter;
    return buildFrame(state, cache, options);
  });
}

image::Picture otherFrame(const evaluate::ShotEvaluator& evaluator, const evaluate::SceneState& here, int other,
                          RenderCache& cache, map::Filter filter) {
  const auto there = evaluator.stage(other);
  for (const auto* scene : {&here, there.get()})
    if (!scene->hasCamera)
      throw Error(fmt::format("there is no camera on frame {}", scene->frame), "Solve it, or load one");
  const set::SceneReprojection map(here.view, cache.scene(here), there->view, cache.scene(*there));
  return map::resample(*finishedFrame(evaluator.at(other), cache, filter), map, here.frameBox, here.frameBox, filter);
}

}  // namespace zentil::comp
