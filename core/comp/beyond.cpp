#include "core/comp/beyond.h"

#include "core/base/error.h"
#include "core/comp/cg_render.h"
#include "core/comp/cover.h"
#include "core/evaluate/shot_evaluator.h"

namespace zentil::comp {
namespace {

/// Of what covers cover, looked at every few pixels: how many, and how many of them see the surface, whatever stands
/// before it.
struct Lies {
  int covered = 0, on = 0;
};

Lies lie(const evaluate::Layer& layer, const evaluate::SceneState& here, const std::string& surface,
         RenderCache& cache) {
  const auto scene = cache.scene(here);
  const int only = scene->indexOf(surface);
  const Box box = coverBox(layer.cover, here, cache);
  Lies out;
  if (only < 0 || !box.width() || !box.height()) return out;
  const image::Picture cover = coverOver(layer.cover, here, box, cache);
  const int step = std::max(1, std::min(box.width(), box.height()) / 24);
  for (int y = box.y0; y < box.y1; y += step)
    for (int x = box.x0; x < box.x1; x += step) {
      if (*cover.pixel(x, y) < 0.5f) continue;
      const Vec2 pixel(x + 0.5, y + 0.5);
      Vec3 way;
      if (!here.view->unproject(pixel, way)) continue;
      ++out.covered;
      out.on += scene->first(here.view->positionAt(pixel), way, only).surface == only;
    }
  return out;
}

std::string wordsForBeyond(const evaluate::ShotEvaluator& evaluator, const std::string& id, const std::string& name,
                           const FrameRange& range, RenderCache& cache, const Job& job) {
  constexpr int kLookedAt = 5;
  constexpr double kHardly = 0.1;
  std::string on;
  int frames = 0;
  double most = 0;
  for (int i = 0; i < kLookedAt; ++i) {
    job.checkpoint();
    const int f = range.first + i * (range.count() - 1) / (kLookedAt - 1);
    const evaluate::FrameState state = evaluator.only(id, f);
    const auto* layer = state.layer(id);
    if (!layer || layer->cover.empty() || !state.here->carries(layer->place)) continue;
    const set::Surface* surface = state.here->surface(element::surfaceOf(layer->place));
    if (!surface) continue;
    try {
      const Lies lies = lie(*layer, *state.here, surface->id, cache);
      constexpr int kFew = 8;
      if (lies.covered < kFew) continue;
      on = surface->name, ++frames;
      most = std::max(most, static_cast<double>(lies.on) / lies.covered);
    } catch (const Error&) {
      continue;  // a matte that cannot be read is named where it is shown
    }
  }
  if (!frames || most >= kHardly) return {};
  return fmt::format("\"{}\": {} of its matte is on {}: make {} larger at Set, or choose another surface", name,
                     most > 0 ? "almost nothing" : "nothing", on, on);
}

}  // namespace

std::string wordsForUnseen(const evaluate::ShotEvaluator& evaluator, const std::string& id, const std::string& name,
                           const FrameRange& range, RenderCache& cache, const Job& job) {
  const std::string words = wordsFor(cutOffs(evaluator, id, range, cache, job), evaluator, name);
  return words.empty() ? wordsForBeyond(evaluator, id, name, range, cache, job) : words;
}

}  // namespace zentil::comp
