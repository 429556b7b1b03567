// The demo shot end to end, and one resampling against three.
#include <benchmark/benchmark.h>

#include <cmath>
#include <filesystem>

#include "core/comp/layer.h"
#include "core/comp/sight.h"
#include "core/evaluate/shot_evaluator.h"
#include "core/set/surface_map.h"
#include "core/shot/shot_json.h"

namespace {

using namespace zentil;

const std::string kShot = std::string(ZENTIL_DEMO) + "/boathouse.zentil";

void BuildDemoFrameFromCache(benchmark::State& state) {
  if (!std::filesystem::exists(kShot)) {
    state.SkipWithError("the demo shot is not there");
    return;
  }
  shot::Shot shot = shot::load(kShot);
  if (state.range(0))
    for (auto& e : shot.elements) e.on |= e.from<element::Cg>() != nullptr;
  comp::RenderCache cache(size_t{3} << 30);
  const auto evaluator = evaluate::ShotEvaluator::of(shot);
  for (int f = shot.range.first; f <= shot.range.last; ++f) comp::buildFrame(evaluator->at(f), cache);
  int f = shot.range.first;
  for (auto _ : state) {
    benchmark::DoNotOptimize(comp::buildFrame(evaluator->at(f), cache));
    f = f == shot.range.last ? shot.range.first : f + 1;
  }
  state.counters["fps"] = benchmark::Counter(static_cast<double>(state.iterations()), benchmark::Counter::kIsRate);
}
// With patches alone, and with the CG object and its shadow bent in as well.
BENCHMARK(BuildDemoFrameFromCache)
    ->Arg(0)
    ->Arg(1)
    ->ArgName("cg")
    ->Unit(benchmark::kMillisecond)
    ->UseRealTime()
    ->MinTime(3);

/// The textured wall of one frame seen in another, both rendered without grain, once by the one resampling and once the
/// usual way: straighten, project, bend. `ours` and `usual` name the filters: 1 sharp (cubic), 2 sharper, which is what
/// deliveries are made with.
void OneResamplingAgainstThree(benchmark::State& state) {
  const auto wallFile = [](int f) {
    return std::string(ZENTIL_DEMO) + "/truth/wall/wall." + std::to_string(f) + ".exr";
  };
  if (!std::filesystem::exists(wallFile(1001))) {
    state.SkipWithError("the demo's truth is not there");
    return;
  }
  shot::Shot shot = shot::load(kShot);
  std::erase_if(shot.surfaces, [](const auto& s) { return s.name != "plank wall"; });
  comp::RenderCache cache(size_t{1} << 30);
  const auto evaluator = evaluate::ShotEvaluator::of(shot);
  const Box frame = shot.frameBox();
  // Plank wall between the window and the door, nothing in front; big enough for texture, away from the eaves' shadow
  // edge.
  const Vec3 lo(-0.9, 0.75, 0), hi(1.15, 2.2, 0);
  double once = 0, thrice = 0;
  const auto filter = static_cast<map::Filter>(state.range(0)), usualFilter = static_cast<map::Filter>(state.range(1));
  for (auto _ : state) {
    double errorOnce = 0, errorThrice = 0;
    size_t n = 0;
    for (const auto& [from, to] : {std::pair{1001, 1036}, {1072, 1036}, {1036, 1001}, {1036, 1072}}) {
      const auto source = image::readPicture(wallFile(from)), truth = image::readPicture(wallFile(to));
      const auto ours = map::resample(
          source.picture,
          *comp::plateToPlate(*evaluator->stage(to), shot.surfaces[0].id, *evaluator->stage(from), false, cache), frame,
          frame, filter);
      const Box wide = lens::straightBox(shot.lensAt(from), shot.width, shot.height),
                wideTo = lens::straightBox(shot.lensAt(to), shot.width, shot.height);
      const auto straight = map::resample(source.picture, map::Redistort(shot.lensAt(from)), wide, wide, usualFilter);
      const auto scene = cache.scene(*evaluator->stage(to));
      const auto projected = map::resample(
          straight, set::SeenBy(shot.cameraAt(to), scene, 0, shot.cameraAt(from), false), wideTo, wideTo, usualFilter);
      const auto usual = map::resample(projected, map::Undistort(shot.lensAt(to)), frame, frame, usualFilter);
      const auto camera = shot.cameraAt(to);
      for (int y = 0; y < frame.y1; ++y)
        for (int x = 0; x < frame.x1; ++x) {
          Vec2 s;
          if (!shot.lensAt(to).straightFromPlate({x + 0.5, y + 0.5}, s)) continue;
          const Vec3 d = camera.unproject(s), world = camera.position - d * (camera.position.z() / d.z());
          if ((world - lo).head<2>().minCoeff() < 0 || (hi - world).head<2>().minCoeff() < 0 ||
              ours.pixel(x, y)[3] < 0.99f || usual.pixel(x, y)[3] < 0.99f)
            continue;
          for (int c = 0; c < 3; ++c) {
            errorOnce += std::pow(ours.pixel(x, y)[c] - truth.picture.pixel(x, y)[c], 2);
            errorThrice += std::pow(usual.pixel(x, y)[c] - truth.picture.pixel(x, y)[c], 2);
            ++n;
          }
        }
    }
    once = -10 * std::log10(errorOnce / static_cast<double>(n));
    thrice = -10 * std::log10(errorThrice / static_cast<double>(n));
  }
  state.counters["once_dB"] = once;
  state.counters["thrice_dB"] = thrice;
  state.counters["gain_dB"] = once - thrice;
}
BENCHMARK(OneResamplingAgainstThree)
    ->Args({2, 1})
    ->Args({1, 1})
    ->Args({2, 2})
    ->ArgNames({"ours", "usual"})
    ->Unit(benchmark::kMillisecond)
    ->Iterations(1);

}  // namespace
