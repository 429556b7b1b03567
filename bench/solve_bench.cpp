// From tracks to a camera: the demo's own, cut and gone through twice; and on long shots, tracks as real ones are
// (short, errors shared along them, every fifth sliding).
#include <benchmark/benchmark.h>

#include <Eigen/Geometry>
#include <cmath>
#include <filesystem>
#include <random>

#include "core/estimate/follow.h"
#include "core/shot/shot_json.h"
#include "core/solve/solve.h"

using namespace zentil;

namespace {

constexpr int kW = 1920, kH = 1080;

struct LongShot {
  camera::CameraPath truth;
  track::Tracks tracks;
  FrameRange range;

  /// A walk beside a street front, 3 cm a frame, by a hand that sways; about 180 tracks on each frame.
  explicit LongShot(int frames) : range{1, frames} {
    std::mt19937 random(7);
    std::uniform_real_distribution<double> u(0, 1);
    std::normal_distribution<double> n(0, 1);
    truth.backWidthMm = 24.89, truth.backHeightMm = 14;
    lens::Lens lens;
    lens.k1 = -0.07, lens.k2 = 0.008;
    for (int f = 1; f <= frames; ++f)
      truth.poses[f] = {Vec3(0.03 * f, 0.04 * std::sin(0.21 * f), 0.1 * std::sin(0.013 * f)),
                        (Eigen::AngleAxisd(0.15 * std::sin(0.017 * f) + 0.004 * std::sin(0.9 * f), Vec3::UnitY()) *
                         Eigen::AngleAxisd(0.01 * std::sin(0.31 * f), Vec3::UnitX()))
                            .toRotationMatrix(),
                        24};
    int id = 0;
    for (int start = -20; start <= frames; ++start)
      for (int k = 0; k < 6; ++k) {
        const int first = std::max(1, start), length = 8 + static_cast<int>(-28 * std::log(1 - u(random))),
                  last = std::min(frames, start + length);
        if (last - first < 4) continue;
        const auto eye = truth.at((first + last) / 2, kW, kH);
        const Vec3 at = eye.position + eye.towards(Vec2(kW * u(random), kH * u(random))) * (3 + 7 * u(random));
        const bool slides = u(random) < 0.2;
        const Vec2 slide = 0.25 * Vec2(n(random), n(random));
        Vec2 shared = 0.08 * Vec2(n(random), n(random));
        track::Track t;
        t.id = ++id, t.first = first;
        for (int f = first; f <= last; ++f) {
          const auto c = truth.at(f, kW, kH);
          const lens::LensOnPixels l(lens, c.fx, c.fy, c.cx, c.cy);
          Vec2 straight, p = Vec2::Constant(NAN);
          shared = 0.9 * shared + 0.035 * Vec2(n(random), n(random));
          if (!c.project(at, straight) || !l.plateFromStraight(straight, p) || p.x() < 0 || p.y() < 0 || p.x() > kW ||
              p.y() > kH)
            p = Vec2::Constant(NAN);
          t.at.push_back(p + shared + 0.05 * Vec2(n(random), n(random)) +
                         (slides ? Vec2(slide * (f - first)) : Vec2(Vec2::Zero())));
        }
        tracks.push_back(std::move(t));
      }
  }
};

void SolveLongShot(benchmark::State& state) {
  const LongShot shot(static_cast<int>(state.range(0)));
  camera::CameraPath body;
  body.backWidthMm = 24.89, body.backHeightMm = 14;
  solve::SolveAnswer a;
  for (auto _ : state) a = solve::solve(shot.tracks, shot.range, kW, kH, body, {}, {});
  state.counters["tracks"] = static_cast<double>(shot.tracks.size());
  state.counters["frames solved"] = static_cast<double>(a.camera.poses.size());
  state.counters["focal mm off"] = a.camera.focalMm - 24;
  state.counters["its error"] = a.errors.evidence.sigma.focal * body.backWidthMm;
  state.counters["rms px"] = a.errors.rmsPx;
}
/// The demo's tracks, from as many of its frames: of 144, its 72 there and back.
void SolveDemo(benchmark::State& state) {
  namespace fs = std::filesystem;
  auto shot = shot::load(std::string(ZENTIL_DEMO) + "/boathouse.zentil");
  shot.tracking.follow = {}, shot.tracking.matte.clear();
  const int frames = static_cast<int>(state.range(0)), first = shot.range.first, last = shot.range.last;
  const fs::path folder = fs::temp_directory_path() / ("zentil_bench_demo_" + std::to_string(frames));
  fs::remove_all(folder);
  fs::create_directories(folder);
  for (int k = 0; k < frames; ++k)
    fs::create_symlink(shot.plate().fileOf(first + k <= last ? first + k : 2 * last + 1 - first - k),
                       folder / ("demo." + std::to_string(first + k) + ".exr"));
  auto plate = shot.plate();
  plate.pattern = (folder / "demo.####.exr").string();
  plate.range = {first, first + frames - 1};
  shot.setPlate(plate);
  shot.range = plate.range;
  comp::RenderCache cache(size_t{64} << 20);
  const auto tracks = estimate::followShot(shot, cache);
  camera::CameraPath body;
  body.backWidthMm = shot.camera->backWidthMm, body.backHeightMm = shot.camera->backHeightMm;
  solve::SolveAnswer a;
  for (auto _ : state) a = solve::solve(tracks, plate.range, shot.width, shot.height, body, {}, {});
  fs::remove_all(folder);
  state.counters["tracks"] = static_cast<double>(tracks.size());
  state.counters["frames solved"] = static_cast<double>(a.camera.poses.size());
  state.counters["focal mm off"] = a.camera.focalMm - 24;
  state.counters["its error"] = a.errors.evidence.sigma.focal * body.backWidthMm;
  state.counters["rms px"] = a.errors.rmsPx;
}
BENCHMARK(SolveDemo)->Arg(36)->Arg(72)->Arg(144)->Unit(benchmark::kMillisecond)->UseRealTime()->Iterations(1);
BENCHMARK(SolveLongShot)->Arg(100)->Arg(500)->Arg(2000)->Unit(benchmark::kMillisecond)->UseRealTime()->Iterations(1);

}  // namespace
