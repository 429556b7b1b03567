// The one resampling against cv::remap with ready-made maps, in one run: 1920x1080 RGBA float, through lens, plane and
// held lens.
#include <benchmark/benchmark.h>

#include <Eigen/Geometry>
#include <opencv2/imgproc.hpp>
#include <random>

#include "core/map/resample.h"
#include "core/set/surface_map.h"

namespace {

using namespace zentil;

constexpr int kWidth = 1920, kHeight = 1080;

image::Picture noise() {
  image::Picture p(kWidth, kHeight, 4);
  std::mt19937 random(1);
  std::uniform_real_distribution<float> u(0, 1);
  for (float& v : p.values) v = u(random);
  return p;
}

camera::Camera cameraAt(double x, double turn) {
  camera::Camera c;
  c.fx = c.fy = 1850;
  c.cx = kWidth / 2.0 + 6, c.cy = kHeight / 2.0 - 4;
  c.position = Vec3(x, 1.6, 8);
  c.rotation = Eigen::AngleAxisd(turn, Vec3::UnitY()).toRotationMatrix();
  return c;
}

std::shared_ptr<map::Chain> lensPlaneLens() {
  const camera::Camera moving = cameraAt(0.4, 0.03), held = cameraAt(-0.3, -0.02);
  lens::Lens lens;
  lens.k1 = -0.1, lens.k2 = 0.015;
  set::Surface wall;
  wall.id = "wall";
  wall.size = Vec3(40, 40, 1);
  const auto scene = std::make_shared<set::RayScene>(std::vector{wall});
  auto chain = std::make_shared<map::Chain>();
  chain->add(std::make_shared<map::Undistort>(lens::LensOnPixels(lens, moving.fx, moving.fy, moving.cx, moving.cy)));
  chain->add(std::make_shared<set::SeenBy>(moving, scene, 0, held, true));
  chain->add(std::make_shared<map::Redistort>(lens::LensOnPixels(lens, held.fx, held.fy, held.cx, held.cy)));
  return chain;
}

void ResampleLensPlaneLens(benchmark::State& state) {
  const auto source = noise();
  const auto chain = lensPlaneLens();
  for (auto _ : state)
    benchmark::DoNotOptimize(map::resample(source, *chain, {0, 0, kWidth, kHeight}, {0, 0, kWidth, kHeight},
                                           static_cast<map::Filter>(state.range(0))));
}
BENCHMARK(ResampleLensPlaneLens)
    ->Arg(0)
    ->Arg(1)
    ->Arg(2)
    ->ArgName("filter")
    ->Unit(benchmark::kMillisecond)
    ->UseRealTime()
    ->MinTime(1.5);

void RemapReadyMaps(benchmark::State& state) {
  auto source = noise();
  const auto chain = lensPlaneLens();
  cv::Mat mx(kHeight, kWidth, CV_32F), my(kHeight, kWidth, CV_32F);
  for (int y = 0; y < kHeight; ++y)
    for (int x = 0; x < kWidth; ++x) {
      Vec2 to(-1, -1);
      map::through(*chain, {x + 0.5, y + 0.5}, to);
      mx.at<float>(y, x) = static_cast<float>(to.x() - 0.5);
      my.at<float>(y, x) = static_cast<float>(to.y() - 0.5);
    }
  const cv::Mat in(kHeight, kWidth, CV_32FC4, source.values.data());
  for (auto _ : state) {
    cv::Mat out;
    cv::remap(in, out, mx, my, static_cast<int>(state.range(0)));
    benchmark::DoNotOptimize(out.data);
  }
}
BENCHMARK(RemapReadyMaps)
    ->Arg(cv::INTER_LINEAR)
    ->Arg(cv::INTER_CUBIC)
    ->Arg(cv::INTER_LANCZOS4)
    ->ArgName("interpolation")
    ->Unit(benchmark::kMillisecond)
    ->UseRealTime()
    ->MinTime(1.5);

}  // namespace
