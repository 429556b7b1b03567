// A 2:1 picture of 4096 x 2048 turned, beside ffmpeg's v360 and OpenCV's remap.
#include <benchmark/benchmark.h>
#include <fmt/format.h>

#include <chrono>
#include <cmath>
#include <cstdlib>
#include <filesystem>
#include <opencv2/imgproc.hpp>

#include "core/comp/plate_layer.h"
#include "core/image/write.h"
#include "core/steady/views.h"

namespace {

using namespace zentil;

constexpr int kWide = 4096, kHigh = 2048;
constexpr double kYaw = 37, kPitch = -22, kRoll = 15;

const image::Picture& plain() {
  static const image::Picture picture = [] {
    image::Picture p(kWide, kHigh, 4, 1.0f);
    for (int y = 0; y < kHigh; ++y)
      for (int x = 0; x < kWide; ++x)
        for (int c = 0; c < 3; ++c)
          p.pixel(x, y)[c] = static_cast<float>(0.5 + 0.4 * std::sin(0.05 * x * (c + 1)) * std::cos(0.04 * y));
    return p;
  }();
  return picture;
}

view::OutputView look(double yaw = kYaw) {
  const Mat3 turned = view::steered({yaw, kPitch, kRoll, 90}, 2, 1).rotation;
  return {std::make_shared<view::Sphere>(kWide, kHigh, turned),
          {0, 0, kWide, kHigh},
          std::make_shared<view::Sphere>(kWide, kHigh)};
}

/// Four floats a pixel. `held`: every frame is turned likewise; else map and all, as every frame of a sphere that turns
/// needs it.
void SphereTurned(benchmark::State& state) {
  const auto filter = state.range(0) ? map::Filter::Sharper : map::Filter::Sharp;
  comp::RenderCache cache(size_t{1} << 30);
  double yaw = kYaw;
  for (auto _ : state) {
    benchmark::DoNotOptimize(comp::sphereThrough(look(yaw), plain(), filter, cache));
    if (!state.range(1)) yaw += 0.01;
  }
}
BENCHMARK(SphereTurned)
    ->ArgsProduct({{0, 1}, {0, 1}})
    ->ArgNames({"lanczos", "held"})
    ->Unit(benchmark::kMillisecond)
    ->UseRealTime()
    ->MinTime(3);

/// The same by OpenCV: positions at every pixel, then a cubic remap of four floats.
void SphereTurnedByOpenCv(benchmark::State& state) {
  const auto& p = plain();
  const cv::Mat from(kHigh, kWide, CV_32FC4, const_cast<float*>(p.values.data()));
  const auto one = look();
  cv::Mat x(kHigh, kWide, CV_32F), y(kHigh, kWide, CV_32F), out;
  for (auto _ : state) {
    cv::parallel_for_({0, kHigh}, [&](const cv::Range& rows) {
      for (int v = rows.start; v < rows.end; ++v)
        for (int u = 0; u < kWide; ++u) {
          Vec2 at;
          one.toPlate({u + 0.5, v + 0.5}, at);
          x.at<float>(v, u) = static_cast<float>(at.x() - 0.5), y.at<float>(v, u) = static_cast<float>(at.y() - 0.5);
        }
    });
    cv::remap(from, out, x, y, cv::INTER_CUBIC, cv::BORDER_WRAP);
    benchmark::DoNotOptimize(out.data);
  }
}
BENCHMARK(SphereTurnedByOpenCv)->Unit(benchmark::kMillisecond)->UseRealTime()->MinTime(3);

/// ffmpeg's v360 on three times 16 bits. `frames` 1: whole runs of one frame against runs without the filter, since a
/// new rotation needs a new table; more: what one more frame costs with the same rotation.
void SphereTurnedByV360(benchmark::State& state) {
  const auto folder = std::filesystem::temp_directory_path();
  const auto file = folder / fmt::format("zentil_bench_{}.png", static_cast<int>(state.range(0)));
  image::WriteOptions raw;
  raw.colourSpace = "raw";
  image::writePicture(file, plain(), raw);
  const auto run = [&](int frames, bool filter) {
    const auto begin = std::chrono::steady_clock::now();
    const std::string turn = filter ? fmt::format(",v360=e:e:yaw={}:pitch={}:roll={}:interp={}", kYaw, kPitch, kRoll,
                                                  state.range(1) ? "lanczos" : "cubic")
                                    : "";
    if (std::system(fmt::format("ffmpeg -v error -i {} -vf format=gbrp16le,loop=loop={}:size=1{} -f null - "
                                "</dev/null >/dev/null 2>&1",
                                file.string(), frames - 1, turn)
                        .c_str()) != 0)
      state.SkipWithError("ffmpeg does not run");
    return std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count();
  };
  const int more = static_cast<int>(state.range(0));
  for (auto _ : state)
    state.SetIterationTime(more == 1 ? run(1, true) - run(1, false) : (run(1 + more, true) - run(1, true)) / more);
  std::filesystem::remove(file);
}
BENCHMARK(SphereTurnedByV360)
    ->Args({1, 0})
    ->Args({10, 0})
    ->Args({1, 1})
    ->Args({10, 1})
    ->ArgNames({"frames", "lanczos"})
    ->Unit(benchmark::kMillisecond)
    ->UseManualTime()
    ->Iterations(3);

}  // namespace
