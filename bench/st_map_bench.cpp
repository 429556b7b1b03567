// Redistorting a 1920x1080 RGBA float picture in one run: by ST map here, in OpenCV and in OpenImageIO, and by the
// lens's equation.
#include <OpenImageIO/imagebuf.h>
#include <OpenImageIO/imagebufalgo.h>
#include <benchmark/benchmark.h>

#include <opencv2/imgproc.hpp>
#include <random>

#include "core/lens/st_maps.h"
#include "core/map/resample.h"

namespace {

using namespace zentil;

constexpr int kWidth = 1920, kHeight = 1080;

/// A straight picture with overscan, a lens by its equation, and the same lens as positions.
struct Case {
  lens::LensOnPixels byEquation, byMaps;
  Box straight;
  image::Picture picture;
  cv::Mat x, y;           ///< the redistort map as OpenCV wants it
  std::vector<float> st;  ///< and as an ST map: red across, green down, blue

  Case() : st(size_t{kWidth} * kHeight * 3) {
    lens::Lens l;
    l.k1 = -0.1, l.k2 = 0.015;
    byEquation = lens::LensOnPixels(l, 1850, 1850, kWidth / 2.0 + 6, kHeight / 2.0 - 4);
    straight = lens::straightBox(byEquation, kWidth, kHeight);
    picture = image::Picture(straight, straight, 4);
    std::mt19937 random(1);
    std::uniform_real_distribution<float> u(0, 1);
    for (float& v : picture.values) v = u(random);
    auto maps = std::make_shared<lens::LensMaps>();
    maps->straight = straight;
    maps->redistort = lens::PositionTable({0, 0, kWidth, kHeight}, kWidth, kHeight);
    x.create(kHeight, kWidth, CV_32F), y.create(kHeight, kWidth, CV_32F);
    for (int j = 0; j < kHeight; ++j)
      for (int i = 0; i < kWidth; ++i) {
        Vec2 s;
        byEquation.straightFromPlate({i + 0.5, j + 0.5}, s);
        maps->redistort.set(i, j, s);
        x.at<float>(j, i) = static_cast<float>(s.x() - straight.x0 - 0.5);
        y.at<float>(j, i) = static_cast<float>(s.y() - straight.y0 - 0.5);
        float* p = st.data() + (static_cast<size_t>(j) * kWidth + i) * 3;
        p[0] = static_cast<float>((s.x() - straight.x0) / straight.width());
        p[1] = static_cast<float>((s.y() - straight.y0) / straight.height());
        p[2] = 0;
      }
    lens::Lens mapped;
    mapped.maps = maps;
    byMaps = lens::LensOnPixels(mapped, 1850, 1850, kWidth / 2.0, kHeight / 2.0);
  }
};

const Case& theCase() {
  static const Case c;
  return c;
}

void warp(benchmark::State& state, const lens::LensOnPixels& lens) {
  const map::Undistort map(lens);
  const auto filter = static_cast<map::Filter>(state.range(0));
  const Box frame{0, 0, kWidth, kHeight};
  for (auto _ : state) benchmark::DoNotOptimize(map::resample(theCase().picture, map, frame, frame, filter));
}

void RedistortByStMap(benchmark::State& state) { warp(state, theCase().byMaps); }
void RedistortByEquation(benchmark::State& state) { warp(state, theCase().byEquation); }

void RedistortByOpenCv(benchmark::State& state) {
  const Case& c = theCase();
  const cv::Mat from(c.straight.height(), c.straight.width(), CV_32FC4, const_cast<float*>(c.picture.values.data()));
  for (auto _ : state) {
    cv::Mat out;
    cv::remap(from, out, c.x, c.y, state.range(0) ? cv::INTER_CUBIC : cv::INTER_LINEAR);
    benchmark::DoNotOptimize(out.data);
  }
}

void RedistortByOpenImageIo(benchmark::State& state) {
  const Case& c = theCase();
  OIIO::ImageBuf from(OIIO::ImageSpec(c.straight.width(), c.straight.height(), 4, OIIO::TypeDesc::FLOAT),
                      const_cast<float*>(c.picture.values.data())),
      st(OIIO::ImageSpec(kWidth, kHeight, 3, OIIO::TypeDesc::FLOAT), const_cast<float*>(c.st.data()));
  for (auto _ : state) {
    OIIO::ImageBuf out;
    if (!OIIO::ImageBufAlgo::st_warp(out, from, st, state.range(0) ? "catmull-rom" : "triangle", 0.0f))
      state.SkipWithError(out.geterror().c_str());
    benchmark::DoNotOptimize(out.localpixels());
  }
}

// 0: linear, 1: cubic.
BENCHMARK(RedistortByStMap)
    ->Arg(1)
    ->Arg(0)
    ->ArgName("cubic")
    ->Unit(benchmark::kMillisecond)
    ->UseRealTime()
    ->Repetitions(5)
    ->ReportAggregatesOnly();
BENCHMARK(RedistortByEquation)
    ->Arg(1)
    ->Arg(0)
    ->ArgName("cubic")
    ->Unit(benchmark::kMillisecond)
    ->UseRealTime()
    ->Repetitions(5)
    ->ReportAggregatesOnly();
BENCHMARK(RedistortByOpenCv)
    ->Arg(1)
    ->Arg(0)
    ->ArgName("cubic")
    ->Unit(benchmark::kMillisecond)
    ->UseRealTime()
    ->Repetitions(5)
    ->ReportAggregatesOnly();
BENCHMARK(RedistortByOpenImageIo)
    ->Arg(1)
    ->Arg(0)
    ->ArgName("cubic")
    ->Unit(benchmark::kMillisecond)
    ->UseRealTime()
    ->Repetitions(5)
    ->ReportAggregatesOnly();

}  // namespace
