// The demo shot delivered by zentil-batch, measured with OpenCV and OpenImageIO alone, against the render without the
// rig.
#include <OpenImageIO/imageio.h>
#include <gtest/gtest.h>

#include <cmath>
#include <cstdlib>
#include <fstream>
#include <opencv2/calib3d.hpp>
#include <opencv2/imgproc.hpp>
#include <opencv2/video/tracking.hpp>

#include "core/measure/slip.h"
#include "core/shot/shot_json.h"
#include "tests/outside/demo_truth.h"
#include "tests/support/making.h"
#include "tests/support/some.h"
#include "tests/support/synthetic.h"

using namespace zentil;

using namespace zentil::test::demo;

namespace {

std::string deliveredFile(int frame) {
  // Delivered once for all tests of this program that ask; each test runs in a process of its own, and a delivery keeps
  // what is up to date.
  // The folder is the program's own: another build delivers anew.
  static const std::string folder = (std::filesystem::temp_directory_path() /
                                     fmt::format("zentil-demo-delivered-{:016x}", stampOf(ZENTIL_BATCH).key()))
                                        .string();
  static const bool done = [] {
    std::string printed;
    if (test::runCommand(std::string(ZENTIL_BATCH) + " build " + test::kPainted + " --out " + folder + " --json",
                         &printed) != 0)
      throw std::runtime_error(printed);
    return true;
  }();
  (void)done;
  return folder + "/boathouse_clean." + std::to_string(frame) + ".exr";
}

double median(std::vector<double> v) {
  std::sort(v.begin(), v.end());
  return v[v.size() / 2];
}

}  // namespace

TEST(Demo, TheRigIsGoneByThePeakSignalToNoiseRatio) {
  const auto [mean, worst] = psnrOverTheRig(deliveredFile);
  std::printf("PSNR over the rig's matte: mean %.2f dB, worst frame %.2f dB\n", mean, worst);
  EXPECT_GE(mean, 44.5);
  EXPECT_GE(worst, 42.5);
}
TEST(Demo, ThePatchDoesNotSlipAgainstTheTruth) {
  // Enhanced correlation (Evangelidis and Psarakis 2008) of what was patched against the render without the rig, over
  // the patched area.
  std::vector<double> slips;
  for (int f = kFirst; f <= kLast; f += test::some(2, 1)) {
    cv::Mat ours, truth, mask = rigMatte(f);
    cv::cvtColor(readWhole(deliveredFile(f), 3), ours, cv::COLOR_RGB2GRAY);
    cv::cvtColor(bare(f), truth, cv::COLOR_RGB2GRAY);
    // The matte that was patched is wider than the rig; a few pixels around it are patch as well.
    cv::dilate(mask, mask, cv::getStructuringElement(cv::MORPH_ELLIPSE, {9, 9}));
    const cv::Rect box = cv::boundingRect(mask);
    cv::Mat warp = cv::Mat::eye(2, 3, CV_32F);
    cv::findTransformECC(ours(box), truth(box), warp, cv::MOTION_TRANSLATION,
                         cv::TermCriteria(cv::TermCriteria::COUNT | cv::TermCriteria::EPS, 60, 1e-6), mask(box), 5);
    slips.push_back(std::hypot(warp.at<float>(0, 2), warp.at<float>(1, 2)));
  }
  const double middle = median(slips), worst = *std::max_element(slips.begin(), slips.end());
  std::printf("slip against the truth by ECC: median %.4f px, worst %.4f px\n", middle, worst);
  EXPECT_LE(middle, 0.05);
  EXPECT_LE(worst, 0.15);
}
TEST(Demo, WhereNothingIsCoveredThePlateIsDeliveredBitForBit) {
  const shot::Shot s = shot::load(test::kPainted);
  comp::RenderCache w(size_t{500} << 20);
  size_t compared = 0;
  for (const int f : {1001, 1030, 1049, 1072}) {
    cv::Mat covered = cv::Mat::zeros(kHeight, kWidth, CV_8U);
    for (const auto& e : s.elements) {
      const auto layer = test::buildLayer(s, e, f, w, map::Filter::Sharp);
      for (int y = layer.data.y0; y < layer.data.y1; ++y)
        for (int x = layer.data.x0; x < layer.data.x1; ++x)
          if (layer.pixel(x, y)[3] > 0) covered.at<uchar>(y, x) = 1;
    }
    const auto half = [](const std::string& file) {
      const auto in = OIIO::ImageInput::open(file);
      std::vector<uint16_t> v(static_cast<size_t>(kWidth) * kHeight * 3);
      EXPECT_EQ(in->spec().format, OIIO::TypeDesc::HALF);
      in->read_image(0, 0, 0, 3, OIIO::TypeDesc::HALF, v.data());
      return v;
    };
    const auto ours = half(deliveredFile(f)), plate = half(s.plate().fileOf(f));
    for (int i = 0; i < kWidth * kHeight; ++i) {
      if (covered.data[i]) continue;
      for (int c = 0; c < 3; ++c)
        ASSERT_EQ(ours[static_cast<size_t>(i) * 3 + c], plate[static_cast<size_t>(i) * 3 + c]) << f;
      ++compared;
    }
  }
  EXPECT_GT(compared, static_cast<size_t>(kWidth) * kHeight * 3);
}
TEST(Demo, ZentilsOwnSlipIsTheTrueSlipWhenTheWallIsMovedOff) {
  // The truth by OpenCV's projection alone: a pixel of the patch shows a source pixel by way of the wrong wall; where
  // does that source pixel belong by way of the right wall? The mean over the matte is what slipped.
  const shot::Shot right = shot::load(test::kPainted);
  const cv::Mat lens =
      (cv::Mat_<double>(1, 5) << right.lens.k1, right.lens.k2, right.lens.p1, right.lens.p2, right.lens.k3);
  const auto inner = [](const camera::Camera& c) {
    return cv::Mat((cv::Mat_<double>(3, 3) << c.fx, 0, c.cx, 0, c.fy, c.cy, 0, 0, 1));
  };
  const auto onWall = [&](int frame, const Vec2& plate, double z) {
    const auto c = right.cameraAt(frame);
    std::vector<cv::Point2d> in = {{plate.x(), plate.y()}}, n;
    cv::undistortPoints(in, n, inner(c), lens, cv::noArray(), cv::noArray(), cv::TermCriteria(3, 100, 1e-12));
    const Vec3 d = c.rotation * Vec3(n[0].x, -n[0].y, -1);
    return Vec3(c.position + d * ((z - c.position.z()) / d.z()));
  };
  const auto project = [&](int frame, const Vec3& world) {
    const auto c = right.cameraAt(frame);
    const Vec3 q = c.rotation.transpose() * (world - c.position);
    std::vector<cv::Point2d> out;
    cv::projectPoints(std::vector<cv::Point3d>{{q.x(), -q.y(), -q.z()}}, cv::Vec3d(), cv::Vec3d(), inner(c), lens, out);
    return Vec2(out[0].x, out[0].y);
  };
  comp::RenderCache w(size_t{900} << 20);
  int measured = 0;
  double worst = 0;
  for (const double off : {-0.03, -0.012, -0.004, 0.004, 0.012, 0.03})
    for (const int frame : {1003, 1012, 1030, 1044, 1055, 1069}) {
      shot::Shot wrong = right;
      wrong.surface("s1")->position.each([&](Vec3& p) { p.z() = off; });
      const auto e = *std::find_if(wrong.elements.begin(), wrong.elements.end(),
                                   [&](const auto& x) { return x.surface() == "s1" && x.shows(frame); });
      const int held = e.from<element::Patch>()->frame;
      // Over the part of the matte that lies on the wall.
      const auto layer = test::buildLayer(right, e, frame, w, map::Filter::Draft);
      Vec2 sum(0, 0);
      double weight = 0;
      for (int y = layer.data.y0; y < layer.data.y1; y += 6)
        for (int x = layer.data.x0; x < layer.data.x1; x += 6) {
          const double a = layer.pixel(x, y)[3];
          if (a <= 0) continue;
          const Vec2 here(x + 0.5, y + 0.5), source = project(held, onWall(frame, here, off)),
                                             belongs = project(frame, onWall(held, source, 0));
          sum += a * (here - belongs), weight += a;
        }
      const Vec2 truth = sum / weight;
      const auto said = test::slipAt(wrong, e, frame, w);
      if (truth.norm() < 0.1 || truth.norm() > 2) continue;
      ASSERT_TRUE(said.known) << frame << " off " << off << ": " << said.why;
      worst = std::max(worst, (said.offset - truth).norm());
      EXPECT_LT((said.offset - truth).norm(), 0.05) << "frame " << frame << " off " << off << " true "
                                                    << truth.transpose() << " said " << said.offset.transpose();
      ++measured;
    }
  std::printf("%d slips of 0.1 to 2 px, the figure off by %.4f px at the worst\n", measured, worst);
  EXPECT_GE(measured, 15);
}
TEST(Demo, ZentilsOwnSlipIsSmallWhenNothingIsWrong) {
  shot::Shot s = shot::load(test::kPainted);
  // In the middle every patch shows.
  s.range = {test::some(1019, s.range.first), test::some(1054, s.range.last)};
  comp::RenderCache w(size_t{1200} << 20);
  for (const auto& e : s.elements) {
    if (!e.on) continue;
    const auto slip = test::slipOver(s, e, w);
    std::printf("%s: lock %.3f px, median %.3f px\n", e.name.c_str(), slip.lockPx, slip.medianPx);
    EXPECT_LT(slip.lockPx, 0.05) << e.name;
    EXPECT_EQ(slip.unknown, 0);
  }
}
// The render's own markers: small bright spheres at the points, bent by a script that uses OpenCV only.
TEST(Demo, PointsLandOnTheirRenderedMarkers) {
  const shot::Shot s = shot::load(test::kPainted);
  double worst = 0;
  int seen = 0;
  for (const int f : {1001, 1036, 1072}) {
    const cv::Mat m = readWhole(test::kDemo + "/truth/markers/markers." + std::to_string(f) + ".exr", 1);
    for (const auto& point : *s.points) {
      Vec2 straight, p;
      if (!s.cameraAt(f).project(point.at, straight) || !s.lensAt(f).plateFromStraight(straight, p)) continue;
      const int r = static_cast<int>(0.02 * s.cameraAt(f).fx / s.cameraAt(f).depthOf(point.at)) + 4;
      const cv::Rect box(static_cast<int>(p.x()) - r, static_cast<int>(p.y()) - r, 2 * r + 1, 2 * r + 1);
      if ((box & cv::Rect(2, 2, kWidth - 4, kHeight - 4)) != box) continue;
      const cv::Moments k = cv::moments(m(box));
      if (k.m00 < 1) continue;
      worst = std::max(worst, (Vec2(box.x + k.m10 / k.m00 + 0.5, box.y + k.m01 / k.m00 + 0.5) - p).norm());
      ++seen;
    }
  }
  std::printf("%d markers, worst %.3f px\n", seen, worst);
  EXPECT_GT(seen, 300);
  EXPECT_LE(worst, 0.15);
}
TEST(Demo, TheShotIsInOrder) {
  for (const auto& file : {test::kDemo + "/boathouse.zentil", test::kPainted})
    EXPECT_TRUE(shot::problemsOf(shot::load(file), true).empty()) << file;
}
