// Tracking and solving: features followed through frames beside OpenCV's pyramidal Lucas-Kanade, and the bundle.
#include <benchmark/benchmark.h>

#include <Eigen/Geometry>
#include <opencv2/imgproc.hpp>
#include <opencv2/video/tracking.hpp>
#include <random>

#include "core/solve/bundle.h"
#include "core/track/follow.h"

namespace {

using namespace zentil;

constexpr int kWidth = 1920, kHeight = 1080, kFrames = 12, kFeatures = 300;

/// Frames of one texture that moves by fractions of a pixel.
const std::vector<std::shared_ptr<const image::Picture>>& frames() {
  static const auto made = [] {
    cv::Mat wide(kHeight + 80, kWidth + 80, CV_32F);
    cv::theRNG().state = 1;
    cv::randu(wide, 0, 1);
    cv::Mat fine, coarse;
    cv::GaussianBlur(wide, fine, {0, 0}, 2.2);
    cv::GaussianBlur(wide, coarse, {0, 0}, 9);
    cv::Mat texture = (fine - 0.5) * 2.2 + (coarse - 0.5) * 7 + 0.5;
    std::vector<std::shared_ptr<const image::Picture>> out;
    for (int f = 0; f < kFrames; ++f) {
      const cv::Mat move = (cv::Mat_<double>(2, 3) << 1, 0, 5 + 2.3 * f, 0, 1, 4 + 1.4 * f);
      cv::Mat m;
      cv::warpAffine(texture, m, move, {kWidth, kHeight}, cv::INTER_CUBIC | cv::WARP_INVERSE_MAP, cv::BORDER_REFLECT);
      auto p = std::make_shared<image::Picture>(kWidth, kHeight, 1);
      std::copy_n(m.ptr<float>(), p->values.size(), p->values.data());
      out.push_back(p);
    }
    return out;
  }();
  return made;
}

void FollowFeatures(benchmark::State& state) {
  track::FollowQuestion q;
  q.count = kFeatures;
  size_t tracks = 0;
  for (auto _ : state)
    tracks = track::follow([&](int f) { return frames()[static_cast<size_t>(f)]; }, {0, kFrames - 1}, q).size();
  state.counters["tracks"] = static_cast<double>(tracks);
  // Followed forwards, and back where they began later: nearly all work is forwards.
  state.counters["ms_a_frame"] =
      benchmark::Counter(kFrames / 1000.0, benchmark::Counter::kIsIterationInvariantRate | benchmark::Counter::kInvert);
}

void OpenCvLucasKanade(benchmark::State& state) {
  track::FollowQuestion q;
  q.count = kFeatures;
  std::vector<cv::Point2f> start;
  for (const Vec2& p : track::featuresOf(*frames()[0], q))
    start.emplace_back(static_cast<float>(p.x() - 0.5), static_cast<float>(p.y() - 0.5));
  std::vector<cv::Mat> eight;
  for (const auto& f : frames()) {
    cv::Mat m;
    cv::Mat(kHeight, kWidth, CV_32F, const_cast<float*>(f->values.data())).convertTo(m, CV_8U, 220);
    eight.push_back(m);
  }
  for (auto _ : state) {
    std::vector<cv::Point2f> at = start, next;
    for (int f = 1; f < kFrames; ++f) {
      std::vector<uchar> found;
      std::vector<float> error;
      cv::calcOpticalFlowPyrLK(eight[static_cast<size_t>(f) - 1], eight[static_cast<size_t>(f)], at, next, found, error,
                               {21, 21}, 3);
      at = next;
    }
    benchmark::DoNotOptimize(at.data());
  }
  state.counters["ms_a_frame"] =
      benchmark::Counter(kFrames / 1000.0, benchmark::Counter::kIsIterationInvariantRate | benchmark::Counter::kInvert);
}

/// `views` views of `points` points, each seen for about a third of the way, with noise.
void Bundle(benchmark::State& state) {
  const int views = static_cast<int>(state.range(0)), points = static_cast<int>(state.range(1));
  std::mt19937 random(1);
  std::uniform_real_distribution<double> u(-1, 1);
  std::normal_distribution<double> noise(0, 0.2), shake(0, 0.002);
  const solve::Inner truth{1300, 645, 357, -0.09, 0.012, 1};
  std::vector<solve::View> v(static_cast<size_t>(views));
  for (int i = 0; i < views; ++i) {
    v[static_cast<size_t>(i)].turn = Eigen::AngleAxisd(0.002 * i * 100 / views, Vec3::UnitY()).toRotationMatrix();
    v[static_cast<size_t>(i)].place = Vec3(-0.03 * i * 100 / views, 0.1 * std::sin(0.2 * i), 0);
  }
  std::vector<Vec3> x;
  for (int i = 0; i < points; ++i) x.emplace_back(4 * u(random) + 1.5, 2 * u(random), 7 + 2 * u(random));
  std::vector<solve::Sight> sights;
  const int length = std::max(8, static_cast<int>(state.range(2)) / points);
  for (int p = 0; p < points; ++p) {
    const int first = static_cast<int>((u(random) + 1) / 2 * std::max(1, views - length));
    for (int f = first; f < std::min(views, first + length); ++f) {
      Vec2 at;
      if (truth.project(v[static_cast<size_t>(f)].turn * x[static_cast<size_t>(p)] + v[static_cast<size_t>(f)].place,
                        at))
        sights.push_back({f, p, at + Vec2(noise(random), noise(random)), 1});
    }
  }
  auto startV = v;
  auto startX = x;
  for (auto& w : startV) w.place += Vec3(shake(random), shake(random), shake(random));
  for (auto& p : startX) p += 5 * Vec3(shake(random), shake(random), shake(random));
  solve::BundleQuestion q;
  q.focal = q.k1 = q.k2 = true, q.huberPx = 1e6;
  double rms = 0;
  int rounds = 0;
  for (auto _ : state) {
    auto views2 = startV;
    auto x2 = startX;
    solve::Inner inner = truth;
    inner.f = 1280, inner.k1 = -0.05, inner.k2 = 0;
    const auto report = solve::refine(views2, inner, x2, sights, q);
    rms = report.rmsPx, rounds = report.rounds;
  }
  state.counters["sights"] = static_cast<double>(sights.size());
  state.counters["rms_px"] = rms;
  state.counters["rounds"] = rounds;
}

BENCHMARK(FollowFeatures)->Unit(benchmark::kMillisecond)->UseRealTime()->MinTime(3);
BENCHMARK(OpenCvLucasKanade)->Unit(benchmark::kMillisecond)->UseRealTime()->MinTime(3);
BENCHMARK(Bundle)->Args({100, 300, 11000})->Args({500, 1500, 89000})->Unit(benchmark::kMillisecond)->UseRealTime();

}  // namespace
