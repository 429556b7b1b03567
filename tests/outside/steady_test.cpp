// The demo steadied, by a spot and by its wall as a plane: what its texture still moves by OpenCV's ECC (Evangelidis
// and Psarakis 2008).
#include <gtest/gtest.h>

#include <opencv2/video/tracking.hpp>

#include "core/estimate/spot_depth.h"
#include "core/exchange/steadied_plate.h"
#include "core/shot/shot_json.h"
#include "core/steady/views.h"
#include "tests/outside/demo_truth.h"
#include "tests/support/making.h"

using namespace zentil;

namespace {

constexpr int kReference = 1036;

/// How far the picture around a place of the steadied one moves on every sixth frame against the reference's: median
/// and worst.
std::pair<double, double> residual(const shot::Shot& s, const Vec2& about, comp::RenderCache& w) {
  constexpr int kHalf = 32;
  const auto path = steady::pathOf(s);
  const auto cut = [&](int f) {
    const auto picture = exchange::steadied(s, path, f, w, map::Filter::Sharper).picture;
    cv::Mat m(2 * kHalf, 2 * kHalf, CV_32F);
    for (int y = 0; y < m.rows; ++y)
      for (int x = 0; x < m.cols; ++x)
        m.at<float>(y, x) =
            picture.pixel(static_cast<int>(about.x()) - kHalf + x, static_cast<int>(about.y()) - kHalf + y)[1];
    return m;
  };
  const cv::Mat base = cut(kReference);
  std::vector<double> off;
  for (int f = test::demo::kFirst; f <= test::demo::kLast; f += 6) {
    cv::Mat warp = cv::Mat::eye(2, 3, CV_32F);
    cv::findTransformECC(base, cut(f), warp, cv::MOTION_AFFINE,
                         {cv::TermCriteria::COUNT + cv::TermCriteria::EPS, 200, 1e-7}, cv::noArray(), 5);
    const float m = kHalf - 0.5f;
    off.push_back(std::hypot(warp.at<float>(0, 0) * m + warp.at<float>(0, 1) * m + warp.at<float>(0, 2) - m,
                             warp.at<float>(1, 0) * m + warp.at<float>(1, 1) * m + warp.at<float>(1, 2) - m));
  }
  std::sort(off.begin(), off.end());
  return {off[off.size() / 2], off.back()};
}

}  // namespace

TEST(SteadyOutside, AHeldSpotAndAHeldPlaneOfTheDemoStay) {
  auto s = shot::load(test::kPainted);
  for (auto& e : s.elements) e.on = false;
  s.steady.reference = kReference, s.steady.enlarged = false;
  comp::RenderCache w(test::kBudget);
  // Where there is texture both ways that lies in the surface (the frames of window and door stand before the wall),
  // and nothing passes: boards at the wall's end, and slabs of the slip.
  for (const auto& [surface, about] :
       {std::pair("s1", Vec2(180, 285)), {"s1", Vec2(180, 330)}, {"s2", Vec2(900, 645)}, {"s2", Vec2(1080, 645)}}) {
    s.steady.surface = surface, s.steady.hold = shot::Hold::Plane;
    const auto [median, worst] = residual(s, about, w);
    std::printf("%s held, about (%g, %g): residual %.3f px median, %.3f worst\n", surface, about.x(), about.y(), median,
                worst);
    EXPECT_LT(median, 0.05);
    EXPECT_LT(worst, 0.15);
    // And by a spot there, where the surface is looked at and not along: the patch stays as well.
    if (surface != std::string("s1")) continue;
    Vec2 plate;
    ASSERT_TRUE(steady::toPlate(s, steady::pathOf(s), kReference, about, plate));
    s.spots = {estimate::spotAt(s, kReference, plate, w).spot};
    s.spots[0].id = s.steady.spot = "o1";
    s.steady.hold = shot::Hold::PlaceTurnScale;
    Vec2 there;
    ASSERT_TRUE(steady::fromPlate(s, steady::pathOf(s), kReference, plate, there));
    const auto [spotMedian, spotWorst] = residual(s, there, w);
    std::printf("a spot there held: residual %.3f px median, %.3f worst\n", spotMedian, spotWorst);
    EXPECT_LT(spotMedian, 0.05);
    EXPECT_LT(spotWorst, 0.15);
  }
}
