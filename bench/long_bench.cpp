// What people wait for on long shots: a spot's depth, files for other programs, how ten thousand frames of a sphere
// turn.
#include <benchmark/benchmark.h>
#include <fmt/format.h>

#include <unistd.h>
#include <Eigen/Geometry>
#include <cmath>
#include <filesystem>
#include <fstream>

#include "core/estimate/follow.h"
#include "core/estimate/spot_depth.h"
#include "core/exchange/write.h"
#include "core/image/write.h"
#include "core/view/view.h"

namespace {

using namespace zentil;
namespace fs = std::filesystem;

/// Smooth brightness that repeats nowhere near.
double texture(double u, double v) {
  double sum = 0;
  for (int k = 0; k < 6; ++k)
    sum += std::sin(u * (7.1 + 11.3 * k) + v * (3.7 - 5.9 * k) + k) + std::sin(v * (9.3 + 8.7 * k) - u * 2.3 * k);
  return 0.5 + 0.03 * sum;
}

/// A folder that is gone afterwards.
struct Folder {
  fs::path path = fs::temp_directory_path() / fmt::format("zentil_bench_{}", getpid());
  Folder() { fs::create_directories(path); }
  ~Folder() { fs::remove_all(path); }
};

/// A camera that walks along a textured wall, three metres before it.
shot::Shot walk(const Folder& folder, int frames, int width, int height, bool pictures) {
  shot::Shot s;
  s.name = "walk";
  image::Plate plate;
  plate.pattern = (folder.path / "walk.####.exr").string();
  plate.range = {1001, 1000 + frames};
  plate.width = width, plate.height = height, plate.colourSpace = "scene_linear";
  s.setPlate(plate);
  auto path = std::make_shared<camera::CameraPath>();
  path->backWidthMm = 24, path->backHeightMm = 24.0 * height / width, path->focalMm = 24;
  for (int f = 0; f < frames; ++f) path->poses[1001 + f] = {Vec3(-0.6 + 1.2 * f / frames, 0, 3), Mat3::Identity(), 24};
  s.camera = path;
  for (int f = 1001; pictures && f <= 1000 + frames; ++f) {
    image::Picture p(width, height, 4, 1.0f);
    const auto camera = s.cameraAt(f);
    for (int y = 0; y < height; ++y)
      for (int x = 0; x < width; ++x) {
        const Vec3 d = camera.unproject({x + 0.5, y + 0.5}), at = camera.position - d * (camera.position.z() / d.z());
        for (int c = 0; c < 3; ++c) p.pixel(x, y)[c] = static_cast<float>(texture(at.x(), at.y()));
      }
    image::writePicture(s.plate().fileOf(f), p, {});
  }
  return s;
}

/// The depth of a place by the picture alone, 1080p and a hundred frames; `files`: whose pictures are read anew each
/// time, else they are at hand, as those of a shot that was played.
void SpotDepth(benchmark::State& state) {
  const Folder folder;
  const auto shot = walk(folder, 100, 1920, 1080, true);
  const auto find = [&](comp::RenderCache& cache) {
    const auto found = estimate::spotAt(shot, 1050, Vec2(960, 540), cache, {}, set::DepthFrom::Picture);
    state.counters["off mm"] = 1000 * std::abs(found.spot.position.z());
  };
  comp::RenderCache kept(size_t{4} << 30);
  find(kept);
  for (auto _ : state) {
    comp::RenderCache fresh(size_t{4} << 30);
    find(state.range(0) ? fresh : kept);
  }
}
BENCHMARK(SpotDepth)->Arg(0)->Arg(1)->ArgName("files")->Unit(benchmark::kMillisecond)->UseRealTime()->Iterations(5);

/// Camera, set and spots of two thousand frames, written in every form.
void HandOnLongShot(benchmark::State& state) {
  const Folder folder;
  auto shot = walk(folder, 2000, 1920, 1080, false);
  auto points = std::make_shared<std::vector<set::Point>>();
  for (int i = 0; i < 2000; ++i) points->push_back({Vec3(0.001 * i - 1, std::sin(0.1 * i), 0), 0.1, 100, i});
  shot.points = points;
  for (int i = 0; i < 5; ++i) {
    set::Spot spot;
    spot.id = fmt::format("o{}", i), spot.name = spot.id;
    spot.position = Vec3(0.1 * i - 0.2, 0.1, 0);
    shot.spots.push_back(spot);
  }
  for (auto _ : state) {
    exchange::exportShot(shot, folder.path / "handed");
    state.PauseTiming();
    fs::remove_all(folder.path / "handed");
    state.ResumeTiming();
  }
}
BENCHMARK(HandOnLongShot)->Unit(benchmark::kMillisecond)->UseRealTime()->Iterations(5);

double residentMb() {
  std::ifstream in("/proc/self/statm");
  double all = 0, resident = 0;
  in >> all >> resident;
  return resident * 4096 / 1e6;
}

/// How a sphere turns, over links to thirty files that go round: time a frame, and what the process holds at its end.
/// Ten times as many frames should take ten times as long, and hold no more.
void SphereTurnsFound(benchmark::State& state) {
  const Folder folder;
  const int frames = static_cast<int>(state.range(0)), wide = 320, loop = 30;
  for (int k = 0; k < loop; ++k) {
    const view::Sphere sphere(wide, wide / 2, Mat3(Eigen::AngleAxisd(2 * M_PI * k / loop, Vec3::UnitY())));
    image::Picture p(wide, wide / 2, 4, 1.0f);
    for (int y = 0; y < wide / 2; ++y)
      for (int x = 0; x < wide; ++x) {
        Vec3 way;
        static_cast<const view::View&>(sphere).unproject(Vec2(x + 0.5, y + 0.5), way);
        for (int c = 0; c < 3; ++c)
          p.pixel(x, y)[c] = static_cast<float>(texture(way.x() + way.z(), way.y() - way.z()));
      }
    image::writePicture(folder.path / fmt::format("of.{}.exr", k), p, {});
  }
  for (int f = 0; f < frames; ++f)
    fs::create_symlink(folder.path / fmt::format("of.{}.exr", f % loop),
                       folder.path / fmt::format("yard.{:05}.exr", f + 1));
  shot::Shot s;
  s.name = "yard";
  s.setPlate(image::openPlate(folder.path / "yard.00001.exr"));
  s.projection = shot::Projection::Sphere;
  for (auto _ : state) {
    comp::RenderCache cache(size_t{256} << 20);
    const auto turns = estimate::turnsOf(s, cache);
    state.counters["found"] = static_cast<double>(turns.at.size());
    state.counters["MB"] = residentMb();
  }
  state.counters["a frame"] =
      benchmark::Counter(frames, benchmark::Counter::kIsIterationInvariantRate | benchmark::Counter::kInvert);
}
BENCHMARK(SphereTurnsFound)->Arg(1000)->Arg(10000)->Unit(benchmark::kSecond)->UseRealTime()->Iterations(1);

}  // namespace
