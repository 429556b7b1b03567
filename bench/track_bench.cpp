// Tracking: features followed through frames beside OpenCV's pyramidal Lucas-Kanade.
#include <benchmark/benchmark.h>

#include <chrono>
#include <opencv2/imgproc.hpp>
#include <opencv2/video/tracking.hpp>

#include "core/estimate/follow.h"
#include "core/shot/shot_json.h"
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
  track::TrackSettings q;
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
  track::TrackSettings q;
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

/// The demo's plate from its files: decoding, 900 features, forwards and back.
void FollowDemoWithDecoding(benchmark::State& state) {
  auto shot = shot::load(std::string(ZENTIL_DEMO) + "/boathouse.zentil");
  shot.tracking.follow = {}, shot.tracking.matte.clear();
  size_t tracks = 0;
  for (auto _ : state) {
    comp::RenderCache cache(size_t{64} << 20);
    tracks = estimate::followShot(shot, cache).size();
  }
  state.counters["tracks"] = static_cast<double>(tracks);
  state.counters["frames_a_second"] =
      benchmark::Counter(shot.range.count(), benchmark::Counter::kIsIterationInvariantRate);
}

/// Two thousand frames: the time of a frame early and late, forwards.
void FollowTwoThousandFrames(benchmark::State& state) {
  track::TrackSettings q;
  q.count = kFeatures;
  double early = 0, late = 0;
  for (auto _ : state) {
    std::vector<double> at;
    const auto start = std::chrono::steady_clock::now();
    Job job;
    job.onProgress = [&](double, const std::string&) {
      at.push_back(std::chrono::duration<double, std::milli>(std::chrono::steady_clock::now() - start).count());
    };
    // There and back again over the twelve.
    track::follow(
        [&](int f) {
          const int k = f % (2 * kFrames - 2);
          return frames()[static_cast<size_t>(k < kFrames ? k : 2 * kFrames - 2 - k)];
        },
        {0, 1999}, q, job);
    early = (at[300] - at[100]) / 200, late = (at[1990] - at[1790]) / 200;
  }
  state.counters["early_ms"] = early;
  state.counters["late_ms"] = late;
}

BENCHMARK(FollowDemoWithDecoding)->Unit(benchmark::kMillisecond)->UseRealTime();
BENCHMARK(FollowTwoThousandFrames)->Unit(benchmark::kMillisecond)->UseRealTime()->Iterations(1);
BENCHMARK(FollowFeatures)->Unit(benchmark::kMillisecond)->UseRealTime()->MinTime(3);
BENCHMARK(OpenCvLucasKanade)->Unit(benchmark::kMillisecond)->UseRealTime()->MinTime(3);

}  // namespace
