// Planes followed: OpenCV's graffiti pair with its published homography (Mikolajczyk and Schmid 2005, A Performance
// Evaluation of Local Descriptors; the data set's graf1, graf3 and H1to3p, as Debian's opencv-doc carries them), and
// sequences warped by OpenCV.
#include <gtest/gtest.h>

#include <cmath>
#include <opencv2/calib3d.hpp>
#include <opencv2/imgcodecs.hpp>
#include <opencv2/imgproc.hpp>
#include <random>

#include "core/track/region.h"
#include "tests/support/synthetic.h"

using namespace zentil;

namespace {

image::Picture picture(const cv::Mat& grey) {
  cv::Mat f;
  grey.convertTo(f, CV_32F, 1 / 255.0);
  image::Picture p(f.cols, f.rows, 1);
  std::copy_n(f.ptr<float>(), p.values.size(), p.values.data());
  return p;
}

Mat3 asMat3(const cv::Mat& m) {
  Mat3 out;
  for (int y = 0; y < 3; ++y)
    for (int x = 0; x < 3; ++x) out(y, x) = m.at<double>(y, x);
  return out;
}

/// OpenCV puts pixels' centres on integers.
Mat3 fromOpenCv(const Mat3& m) {
  Mat3 half = Mat3::Identity();
  half(0, 2) = half(1, 2) = 0.5;
  return half * m * half.inverse();
}

Vec2 through(const Mat3& m, const Vec2& p) {
  const Vec3 h = m * Vec3(p.x(), p.y(), 1);
  return h.head<2>() / h.z();
}

/// Mean distance between two motions over an outline's inside.
double apart(const Mat3& a, const Mat3& b, const std::vector<Vec2>& outline) {
  std::vector<cv::Point2f> shape;
  for (const Vec2& p : outline) shape.emplace_back(static_cast<float>(p.x()), static_cast<float>(p.y()));
  double sum = 0;
  int n = 0;
  for (int y = 0; y < 1000; y += 8)
    for (int x = 0; x < 1000; x += 8)
      if (cv::pointPolygonTest(shape, {static_cast<float>(x), static_cast<float>(y)}, false) > 0)
        sum += (through(a, Vec2(x, y)) - through(b, Vec2(x, y))).norm(), ++n;
  return sum / n;
}

}  // namespace

TEST(PlanarOutside, ThePublishedHomographyIsFoundFromARoughStart) {
  const cv::Mat one = cv::imread(test::kOpenCvData + "graf1.png", cv::IMREAD_GRAYSCALE),
                three = cv::imread(test::kOpenCvData + "graf3.png", cv::IMREAD_GRAYSCALE);
  ASSERT_FALSE(one.empty() || three.empty());
  cv::Mat h;
  cv::FileStorage(test::kOpenCvData + "H1to3p.xml", cv::FileStorage::READ)["H13"] >> h;
  ASSERT_EQ(h.rows, 3);
  h.convertTo(h, CV_64F);
  const Mat3 published = fromOpenCv(asMat3(h));
  // The wall, away from the frame's border and from what stands before it.
  const std::vector<Vec2> wall = {{120, 80}, {640, 80}, {640, 560}, {120, 560}};
  std::mt19937 random(4);
  std::uniform_real_distribution<double> u(-1, 1);
  double worst = 0, start = 0;
  for (int k = 0; k < 6; ++k) {
    // Every corner of it up to twelve pixels off.
    std::vector<cv::Point2f> from, to;
    for (const Vec2& p : wall) {
      const Vec2 there = through(published, p) + 12 * Vec2(u(random), u(random));
      from.emplace_back(static_cast<float>(p.x()), static_cast<float>(p.y()));
      to.emplace_back(static_cast<float>(there.x()), static_cast<float>(there.y()));
    }
    Mat3 motion = asMat3(cv::getPerspectiveTransform(from, to));
    start = std::max(start, apart(motion, published, wall));
    const auto a = track::registerPlane(picture(one), picture(three), wall, track::Freedom::Perspective, motion);
    EXPECT_TRUE(a.found);
    worst = std::max(worst, apart(motion, published, wall));
  }
  std::printf("graf1 to graf3: from up to %.1f px off on the average to %.2f px at the worst of six starts\n", start,
              worst);
  EXPECT_LE(worst, 1.0);
}

TEST(PlanarOutside, AWarpedSequenceWithLightAndAFifthHiddenIsFollowed) {
  const cv::Mat grey = cv::imread(test::kOpenCvData + "graf1.png", cv::IMREAD_GRAYSCALE);
  ASSERT_FALSE(grey.empty());
  const std::vector<Vec2> outline = {{250, 180}, {550, 190}, {540, 450}, {240, 440}};
  std::map<int, Mat3> truth;
  std::map<int, std::shared_ptr<const image::Picture>> frames;
  cv::theRNG().state = 3;
  for (int f = 0; f <= 30; ++f) {
    const double t = f / 30.0;
    Mat3 m;
    m << 1 - 0.15 * t, -0.2 * t, 60 * t, 0.17 * t, 1 - 0.1 * t, -20 * t + 15 * std::sin(3 * t), 1.2e-4 * t, -0.8e-4 * t,
        1;
    truth[f] = fromOpenCv(m);
    cv::Mat cvm(3, 3, CV_64F), out, noise(grey.size(), CV_32F);
    for (int y = 0; y < 3; ++y)
      for (int x = 0; x < 3; ++x) cvm.at<double>(y, x) = m(y, x);
    cv::warpPerspective(grey, out, cvm, grey.size(), cv::INTER_CUBIC, cv::BORDER_REFLECT);
    out.convertTo(out, CV_32F, 1 / 255.0);
    // The light fades by a third, and there is grain.
    out = out * (1 - 0.33 * t) + 0.04 * t;
    cv::randn(noise, 0, 0.01);
    out += noise;
    // Something passes before it that hides a fifth of the region: 300 x 260 pixels.
    if (f > 0) {
      const cv::Rect hider(200 + 9 * f, 150 + 4 * f, 125, 125);
      cv::Mat(grey.size(), CV_32F, 0.35)(cv::Rect(0, 0, 125, 125))
          .copyTo(out(hider & cv::Rect(0, 0, grey.cols, grey.rows)));
    }
    auto p = std::make_shared<image::Picture>(out.cols, out.rows, 1);
    std::copy_n(out.ptr<float>(), p->values.size(), p->values.data());
    frames[f] = p;
  }
  track::Region r;
  r.outline = outline, r.quad = track::quadAbout(outline), r.reference = 0;
  const auto source = [&](int f) { return frames.at(f); };
  const auto followed = track::followRegion(source, r, 0, 30);
  ASSERT_TRUE(followed.has(30));
  double sum = 0, worst = 0;
  for (int f = 1; f <= 30; ++f)
    for (const Vec2& corner : r.quad) {
      const double off = (followed.moved(f, corner) - through(truth.at(f), corner)).norm();
      sum += off / 120, worst = std::max(worst, off);
    }
  std::printf(
      "30 frames, light down by a third, a fifth hidden: corners off by %.3f px in the mean, %.3f at the most\n", sum,
      worst);
  EXPECT_LE(sum, 0.1);
}
